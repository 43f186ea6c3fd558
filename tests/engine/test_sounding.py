"""What runs in the audio thread: edits without clicks, fades, and the published numbers."""

from __future__ import annotations

import random
import time
from collections.abc import Iterator
from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest

from dunefall.base.layouts import MOST_CHANNELS, layout_of
from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import value_changes
from dunefall.compiler.loop import NOBODY
from dunefall.compiler.records import RAMP_S
from dunefall.compiler.takeover import Takeover
from dunefall.compiler.team import Team
from dunefall.engine import sounding as sounding_module
from dunefall.engine.messages import Monitor
from dunefall.engine.shared import SharedState, Status
from dunefall.engine.sounding import Sounding
from dunefall.patch.model import Link, Module, Patch, Place
from dunefall.render.known import KnownSound
from dunefall.render.player import NOW, Player, Step, glide
from rig import demo, patch_of


@pytest.fixture
def sounding() -> Iterator[Sounding]:
    shared = SharedState()
    made = Sounding(shared, 48000.0, 512)
    made.shared = shared  # type: ignore[attr-defined]
    yield made
    made.let_go()
    del made._shared
    made.shared.close()  # type: ignore[attr-defined]


def play(sounding: Sounding, blocks: int, frames: int = 512) -> np.ndarray:
    out = np.zeros((blocks * frames, 2))
    for k in range(blocks):
        sounding.fill(out[k * frames : (k + 1) * frames])
    return out


def sine_patch(level: float = 0.5) -> Patch:
    modules = (Module("tone", "oscillator", "Tone", {"pitch_note": 57, "level": level}),
               Module("a-output", "output", "A", {"level_db": 0, "angle_deg": -90}))  # fmt: skip
    return patch_of(*modules, links=(("tone.out", "a-output.audio", 1.0),))


def swap(sounding: Sounding, patch: Patch) -> None:
    old = getattr(sounding, "latest", None)
    program = compile_patch(patch, rate=48000)
    if old is None:
        sounding.later(lambda: sounding.sound(Player(program, channels=MOST_CHANNELS)))
    else:
        takeover = Takeover(program, old)
        sounding.do(Step(NOW, lambda player: player.swap(program, None, takeover), structural=True))
    sounding.latest = program  # type: ignore[attr-defined]


def test_fade_at_start_and_stop(sounding: Sounding) -> None:
    swap(sounding, sine_patch())
    assert (play(sounding, 2) == 0).all()
    sounding.set_playing(True)
    out = play(sounding, 10)[:, 0]
    natural = 0.5 * 2 * np.pi * 220 / 48000
    assert np.abs(np.diff(out, prepend=0)).max() <= natural * 1.05
    sounding.set_playing(False)
    tail = play(sounding, 10)[:, 0]
    assert np.abs(np.diff(tail, prepend=out[-1])).max() <= natural * 1.05
    assert (tail[-512:] == 0).all()


def test_random_structural_edits_never_click(sounding: Sounding) -> None:
    """A sounding sine while modules and links around and in its path come and go, a thousand times."""
    sounding.monitor = Monitor(limited=False)
    generator = np.random.default_rng(2)
    patch = sine_patch()
    swap(sounding, patch)
    sounding.set_playing(True)
    last = play(sounding, 10)[-1, 0]
    natural = 0.5 * 2 * np.pi * 220 / 48000
    worst = 0.0
    for k in range(1000):
        kind = generator.integers(5)
        if kind == 0:
            patch = patch.with_new_module("a", Module(f"m{k}", "lfo", f"M{k}"))
        elif kind == 1 and any(m.id.startswith("m") for m in patch.modules()):
            patch = patch.without_module(next(m.id for m in patch.modules() if m.id.startswith("m")))
        elif kind == 2:
            tone = patch.module("tone")
            patch = patch.with_module(replace(tone, bypassed=not tone.bypassed))
        elif kind == 3:
            link = patch.links[0]
            patch = patch.with_link(replace(link, on=not link.on))
        else:
            patch = patch.with_param("a-output", "level_db", float(generator.uniform(-30, 0)))
        swap(sounding, patch)
        out = play(sounding, int(generator.integers(1, 6)), 480)[:, 0]
        worst = max(worst, np.abs(np.diff(out, prepend=last)).max())
        last = out[-1]
    # To what the sine does by itself, the cross-fade over 10 ms adds at most amplitude / 480 per sample, and a glide of
    # 30 dB at most amplitude * 30 ln(10) / 20 * 1.5 / (samples of the glide): its steepest place.
    glide = 30 * np.log(10) / 20 * 1.5 / (RAMP_S * 48000)
    assert worst <= natural + 0.5 / 480 + 0.5 * glide


def test_edits_while_silent_do_not_hold_up_play(sounding: Sounding) -> None:
    for patch in (sine_patch(), demo(), sine_patch()):
        swap(sounding, patch)
        play(sounding, 1)
    sounding.later(lambda: sounding.set_playing(True))
    assert np.abs(play(sounding, 10)).max() > 0.1


def test_a_stop_in_the_middle_of_a_cross_fade_holds_up_no_edit(sounding: Sounding) -> None:
    swap(sounding, sine_patch())
    sounding.set_playing(True)
    play(sounding, 10)
    sounding.later(lambda: sounding.set_playing(False))
    play(sounding, 20, 64)
    swap(sounding, demo())  # its cross-fade of 480 samples begins 160 before the silence of 1440
    play(sounding, 3, 64)
    assert sounding.silent
    swap(sounding, sine_patch())
    assert (play(sounding, 10, 64) == 0).all()
    assert sounding.player is not None
    assert sounding.player.program is sounding.latest  # type: ignore[attr-defined]


def test_what_waits_for_a_fade_out_comes_when_it_has_ended(sounding: Sounding) -> None:
    """Going back to a time just after a stop: what was left of the fade ran on from there."""
    swap(sounding, sine_patch())
    sounding.set_playing(True)
    play(sounding, 10)
    program = compile_patch(sine_patch(), rate=48000)
    program.memory.position[0] = 144000
    takeover = Takeover(program, program)
    sounding.later(lambda: sounding.set_playing(False))
    step = Step(NOW, lambda player: player.swap(program, None, takeover), structural=True)
    sounding.do(step, after_fade=True)
    play(sounding, 10)
    assert sounding.shared.status[Status.POSITION] == 144000  # type: ignore[attr-defined]


def test_rewinding_fades_out_first_and_begins_at_the_beginning(sounding: Sounding) -> None:
    patch = sine_patch()
    swap(sounding, patch)
    sounding.set_playing(True)
    before = play(sounding, 20)[-1, 0]
    fresh = compile_patch(patch, rate=48000)
    sounding.later(lambda: sounding.set_playing(False))
    sounding.later(lambda: sounding.sound(Player(fresh, channels=MOST_CHANNELS)), after_fade=True)
    tail = play(sounding, 10)[:, 0]
    assert np.abs(np.diff(tail, prepend=before)).max() <= 0.5 * 2 * np.pi * 220 / 48000 * 1.05
    assert sounding.shared.status[Status.POSITION] == 0  # type: ignore[attr-defined]


def test_values_glide(sounding: Sounding) -> None:
    sounding.monitor = Monitor(limited=False)
    patch = sine_patch(0.0)
    swap(sounding, patch)
    sounding.set_playing(True)
    play(sounding, 10)
    louder = patch.with_param("tone", "level", 1.0)
    for (module, param), value in value_changes(patch, louder).items():
        sounding.do(Step(NOW, lambda player, m=module, p=param, v=value: player.program.set_base(m, p, v)))
    out = play(sounding, 10)[:, 0]
    assert np.abs(np.diff(out)).max() <= 2 * np.pi * 220 / 48000 * 1.05
    assert np.abs(out[-1000:]).max() == pytest.approx(1.0, abs=0.01)


def test_odd_blocks_are_the_same_as_even_ones(sounding: Sounding) -> None:
    found = []
    for sizes in ((100, 333, 79, 512, 500), (508, 508, 508)):
        sounding._gain = 0.0
        sounding.sound(Player(compile_patch(demo(), rate=48000), channels=MOST_CHANNELS))
        sounding.set_playing(True)
        found.append(np.concatenate([play(sounding, 1, n) for n in sizes]))
    np.testing.assert_allclose(found[0], found[1], atol=1e-12)
    assert sounding.shared.status[Status.BLOCKS] == 8  # type: ignore[attr-defined]


def test_status_tells_position_levels_and_values(sounding: Sounding) -> None:
    sounding.monitor = Monitor(limited=False)
    patch = sine_patch(1.0)
    swap(sounding, patch.with_link(Link("x", Place("tone", "out"), Place("tone", "fine_ct"), 0.0)))
    sounding.set_playing(True)
    play(sounding, 400)
    status = sounding.shared.status  # type: ignore[attr-defined]
    assert status[Status.POSITION] == pytest.approx(400 * 512, abs=64)
    assert status[Status.PEAKS] == pytest.approx(1.0, abs=0.02)
    assert status[Status.PEAKS + 1] < 1e-6
    assert status[Status.LUFS] == pytest.approx(-3.01 - 0.7, abs=0.5)  # BS.1770 at 220 Hz: about -0.7 dB of weighting
    assert status[Status.LOAD] > 0


def test_correlation_and_what_is_lost_in_mono(sounding: Sounding) -> None:
    """The same on both sides: +1 and nothing lost; one side alone: 3 dB (textbook)."""
    both = sine_patch().with_param("a-output", "angle_deg", 0.0)
    swap(sounding, both)
    play(sounding, 1)
    sounding.set_playing(True)
    play(sounding, 200)
    status = sounding._shared.status
    assert status[Status.CORRELATION] == pytest.approx(1.0, abs=1e-3)
    assert status[Status.MONO_DB] == pytest.approx(0.0, abs=0.01)
    swap(sounding, sine_patch())
    play(sounding, 300)
    assert status[Status.MONO_DB] == pytest.approx(-3.01, abs=0.05)


def test_mono_is_heard_on_request_and_changes_no_measure(sounding: Sounding) -> None:
    swap(sounding, sine_patch())
    play(sounding, 1)
    sounding.set_playing(True)
    apart = play(sounding, 20)
    assert np.abs(apart[-512:, 1]).max() < 1e-6
    sounding.monitor = Monitor(fold="mono")
    together = play(sounding, 20)
    np.testing.assert_array_equal(together[:, 0], together[:, 1])
    assert np.abs(together[-512:, 0]).max() == pytest.approx(0.5 * np.abs(apart[-512:, 0]).max(), rel=0.02)
    sounding.monitor = Monitor()
    assert np.abs(play(sounding, 2)[:, 1]).max() < 1e-6


def test_loudness_since_play_began(sounding: Sounding) -> None:
    """A sine of A3 at half amplitude on one side: its mean square is -9.03 dB; K weighting takes about 0.5 dB there."""
    swap(sounding, sine_patch())
    play(sounding, 1)
    assert sounding._shared.status[Status.INTEGRATED] in (0.0, -np.inf)
    sounding.set_playing(True)
    play(sounding, 400)
    status = sounding._shared.status
    assert status[Status.INTEGRATED] == pytest.approx(status[Status.MOMENTARY], abs=0.5)
    assert -11.5 < status[Status.INTEGRATED] < -9.0
    assert status[Status.RANGE] == pytest.approx(0.0, abs=0.2)


def test_a_device_gets_all_channels_or_what_they_fold_to(sounding: Sounding) -> None:
    """ITU-R BS.775: what comes from behind left goes to the left, 3 dB lower; the limiter holds that, too."""
    behind = replace(sine_patch().with_param("a-output", "angle_deg", -110.0), layout="5.1")
    swap(sounding, behind)
    play(sounding, 1)
    sounding.set_playing(True)
    wide, narrow = np.zeros((512, 6)), np.zeros((512, 2))
    for _ in range(40):
        sounding.fill(wide)
    assert np.abs(wide[:, 4]).max() > 0.4
    assert np.abs(np.delete(wide, 4, axis=1)).max() < 1e-6
    status = sounding._shared.status
    assert status[Status.CHANNELS] == 6
    assert status[Status.PEAKS + 4] == pytest.approx(np.abs(wide[:, 4]).max(), rel=0.05)
    sounding.monitor = Monitor(fold="stereo")
    for _ in range(10):
        sounding.fill(wide)
    assert np.abs(wide[:, 2:]).max() == 0.0
    for _ in range(4):
        sounding.fill(narrow)
    assert np.abs(narrow[:, 0]).max() == pytest.approx(0.7071 * status[Status.PEAKS + 4], rel=0.05)
    loud = behind.with_param("a-output", "level_db", 12.0).with_param("a-output", "angle_deg", -70.0)
    sounding.monitor = Monitor()
    swap(sounding, loud)
    for _ in range(100):
        sounding.fill(narrow)
    assert np.abs(narrow).max() <= 10 ** (-1 / 20)


@pytest.mark.parametrize("fade_s", [0.05, 0.4])
def test_a_fade_lasts_as_long_as_asked(sounding: Sounding, fade_s: float) -> None:
    """Half of the amplitude after half of the time, all of it at its end: against the same sound without a fade."""
    sounding.monitor = Monitor(limited=False)
    patch = sine_patch()
    whole = np.zeros((48000, 2))
    Player(compile_patch(patch, rate=48000)).fill(whole)
    swap(sounding, patch)
    play(sounding, 1)
    sounding.set_playing(True, fade_s)
    out, size = play(sounding, 60)[:, 0], 218  # one period of 220 Hz
    for share, gain in ((0.25, 0.25), (0.5, 0.5), (0.75, 0.75), (1.2, 1.0)):
        at = round(share * fade_s * 48000) - size // 2
        measured = np.sqrt(np.mean(out[at : at + size] ** 2) / np.mean(whole[at : at + size, 0] ** 2))
        assert measured == pytest.approx(gain, abs=0.04)


@pytest.mark.parametrize("fold", ["", "mono", "stereo"])
def test_channels_that_nothing_is_for_are_silent(sounding: Sounding, fold: str) -> None:
    sounding.monitor = Monitor(limited=False, fold=fold)
    swap(sounding, sine_patch())
    sounding.set_playing(True)
    out = np.ones((512, 4))
    for _ in range(4):
        out[:] = 1.0
        sounding.fill(out)
    assert (out[:, 2:] == 0.0).all()
    assert np.abs(out[:, :2]).max() > 0.01


def test_what_is_known_goes_over_into_the_player_without_a_seam(sounding: Sounding) -> None:
    """It fades in over the sound of before; from then on it is the sound of the other program, bit for bit."""
    sounding.monitor = Monitor(limited=False)
    whole = np.zeros((200 * 256, MOST_CHANNELS))
    Player(compile_patch(demo(), rate=48000), channels=MOST_CHANNELS).fill(whole)
    begin, joined = 64 * 300, 64 * 391
    other = Player(compile_patch(demo(), rate=48000), channels=MOST_CHANNELS)
    other.fill(np.zeros((joined, MOST_CHANNELS)))
    swap(sounding, sine_patch())
    sounding.later(lambda: sounding.set_playing(True))
    before = play(sounding, 20)
    sounding.later(lambda: sounding.sound_known(KnownSound(whole[begin : begin + 9000], begin, layout_of("stereo"))))
    first = play(sounding, 4)
    assert sounding.shared.status[Status.POSITION] == begin + 4 * 512  # type: ignore[attr-defined]
    assert abs(first[0, 0] - before[-1, 0]) < 0.02, "no step where it begins"
    sounding.later(lambda: sounding.go_on_with(other))
    heard = np.concatenate([first, play(sounding, 30)])
    np.testing.assert_array_equal(heard[480:], whole[begin + 480 : begin + len(heard), :2])
    assert sounding.player is other


def test_other_threads_take_part_while_there_is_much_to_do(sounding: Sounding) -> None:
    """From half of what a block has time for, down to a good eighth; nothing of it is heard."""
    shared, team = SharedState(), Team(2)
    helped = Sounding(shared, 48000.0, 512, team.words)
    heard, together = [], []
    for one in (sounding, helped):
        swap(one, demo())
        one.later(lambda one=one: one.set_playing(True))
        heard.append(play(one, 1))
    assert helped.player is not None
    assert helped.player.team is NOBODY
    heard[0] = play(sounding, 40)
    loads = (*(0.3,) * 10, 0.6, *(0.3,) * 10, 0.1, *(0.3,) * 18)
    for k, load in enumerate(loads):
        shared.status[Status.LOAD] = load
        np.testing.assert_array_equal(play(helped, 1), heard[0][512 * k : 512 * (k + 1)])
        together.append(helped.player.team is team.words)
    assert together == [False] * 10 + [True] * 11 + [False] * 19
    helped.let_go()
    team.close()
    assert team.threads == 1
    del helped._shared
    shared.close()


def test_the_beats_are_those_of_the_tempo_and_rest_with_the_sound(sounding: Sounding) -> None:
    """Sixty blocks of 512: at 120 BPM, then, from a block on, at 60."""
    patch = replace(sine_patch(), tempo_bpm=120.0)
    swap(sounding, patch)
    sounding.later(lambda: sounding.set_playing(True))
    play(sounding, 30)
    assert sounding.beats.per_s == 2.0
    assert abs(sounding.beats.beats - 2.0 * 29 * 512 / 48000) < 1e-9, "where the last block began"
    sounding.do(Step(NOW, glide(patch, replace(patch, tempo_bpm=60.0))))
    play(sounding, 30)
    assert sounding.beats.per_s == 1.0
    assert abs(sounding.beats.beats - (2.0 * 30 + 29) * 512 / 48000) < 2 * 512 / 48000
    sounding.later(lambda: sounding.set_playing(False))
    play(sounding, 10)
    rested = sounding.beats.beats
    play(sounding, 10)
    assert sounding.beats.per_s == 0.0
    assert sounding.beats.beats == rested


def test_what_is_played_while_only_what_is_known_sounds_is_not_lost(sounding: Sounding) -> None:
    done = list[tuple[str, int]]()

    def noted(name: str) -> Step:
        return Step(NOW, lambda player: done.append((name, player.position)))

    swap(sounding, sine_patch())
    sounding.later(lambda: sounding.set_playing(True))
    play(sounding, 10)
    sounding.later(lambda: sounding.sound_known(KnownSound(np.ones((9600, MOST_CHANNELS)), 6400, layout_of("stereo"))))
    play(sounding, 1)
    sounding.do(noted("pressed"))
    sounding.do(noted("let go"))
    play(sounding, 2)
    assert not done, "the player of before is left: it would be heard no more"
    other = Player(compile_patch(sine_patch(), rate=48000), channels=MOST_CHANNELS)
    other.program.memory.position[0] = 9600
    sounding.later(lambda: sounding.go_on_with(other))
    play(sounding, 10)
    assert done == [("pressed", 9600), ("let go", 9600)]


def test_at_the_end_of_what_is_known_it_waits(sounding: Sounding) -> None:
    sounding.monitor = Monitor(limited=False)
    swap(sounding, sine_patch())
    sounding.later(lambda: sounding.set_playing(True))
    play(sounding, 10)
    sounding.later(lambda: sounding.sound_known(KnownSound(np.ones((1000, MOST_CHANNELS)), 6400, layout_of("stereo"))))
    heard = play(sounding, 4)
    assert (heard[480:1000] == 1.0).all()
    assert (heard[1000:] == 0.0).all()
    assert sounding.shared.status[Status.POSITION] == 7400  # type: ignore[attr-defined]
    sounding.later(lambda: sounding.set_playing(False))
    play(sounding, 10)
    other = Player(compile_patch(sine_patch(), rate=48000), channels=MOST_CHANNELS)
    sounding.later(lambda: sounding.go_on_with(other))
    play(sounding, 2)
    assert sounding.player is other, "also while it is paused"
    sounding.later(lambda: sounding.sound_known(KnownSound(np.ones((100, MOST_CHANNELS)), 0, layout_of("stereo"))))
    sounding.later(sounding.drop_known)
    sounding.later(lambda: sounding.set_playing(True))
    play(sounding, 2)
    assert other.position > 0


def test_what_is_played_keeps_its_distances_though_blocks_come_early_or_late(
    sounding: Sounding, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Within a millisecond; at the starts of blocks it would be 10.7 of them. At once while the sound rests."""
    dice, now, found = random.Random(1), [1000.0], list[tuple[float, int]]()
    clock = SimpleNamespace(monotonic=lambda: now[0], perf_counter=time.perf_counter)
    monkeypatch.setattr(sounding_module, "time", clock)
    swap(sounding, sine_patch())
    sounding.play(now[0], lambda player: found.append((now[0], player.position)))
    play(sounding, 1)
    assert found.pop() == (now[0], 0)
    sounding.later(lambda: sounding.set_playing(True))
    before, block = now[0], 512 / 48000
    begun = before + 1.0
    for k in range(500):
        entered = begun + k * block + dice.uniform(0.0, 3e-3)
        for at in sorted(dice.uniform(before, entered) for _ in range(k > 150 and dice.randrange(3))):
            sounding.play(at, lambda player, at=at: found.append((at, player.position)))
        now[0] = before = entered
        play(sounding, 1)
    late_s = np.array([position / 48000 - at for at, position in found])
    assert len(late_s) > 200
    assert np.ptp(late_s) < 1e-3
    assert [position for _, position in found] == sorted(position for _, position in found)
