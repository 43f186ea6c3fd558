"""Takes sound the same every time: for any block, from any checkpoint, live and offline."""

from __future__ import annotations

import pickle
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import same_structure
from dunefall.compiler.sounds import import_sounds
from dunefall.compiler.takeover import Takeover
from dunefall.patch.changes import difference
from dunefall.patch.model import Link, Module, Patch, Place
from dunefall.patch.take import Clear, Edit, Entry, Note, Press, Take
from dunefall.patch.takefiles import load_take, save_take
from dunefall.render.offline import render_to_array
from dunefall.render.performance import Performance, by_hand
from dunefall.render.player import NOW, Player, Step, glide
from dunefall.session import open_patch
from rig import demo, patch_of

SAMPLES = 48000


def start() -> Patch:
    """The demo with a layer that is played by hand."""
    patch = demo()
    layer = replace(patch.layer("fog-air"), id="bells", name="Bells", voices=3, modules=())
    modules = (Module("keys", "keyboard", "Keys"), Module("ring", "envelope", "Ring", {"decay_s": 0.2}),
               Module("tone", "operator", "Tone", {"level": 0}), Module("bells-output", "output", "Bells"))  # fmt: skip
    patch = patch.with_layer(replace(layer, modules=modules))
    for k, (a, b, amount) in enumerate(
        (("keys.gate", "ring.trigger", 1.0), ("ring.out", "tone.level", 0.5), ("tone.out", "bells-output.audio", 1.0))
    ):
        patch = patch.with_link(Link(f"b{k}", Place(*a.split(".")), Place(*b.split(".")), amount))
    return patch.with_link(Link("b9", Place("keys", "pitch"), Place("tone", "pitch_note"), 1.0, -60.0))


def take() -> Take:
    """Values, structure, notes, presses and clearings, some at odd samples, some at once."""
    patch = start()
    made = Take(patch)

    def edit(at: int, after: Patch) -> None:
        nonlocal made, patch
        made = made.with_entry(Entry(at, Edit(difference(patch, after))))
        patch = after

    edit(0, patch.with_param("drip-line-echo", "feedback", 0.8))
    edit(4001, patch.with_param("fog-air-band", "cutoff_hz", 900.0))
    for at, note, force in ((5003, 60.0, 0.9), (5003, 67.0, 0.5), (9000, 60.0, 0.0), (30000, 72.0, 1.0)):
        made = made.with_entry(Entry(at, Note("keys", note, force)))
    edit(12345, patch.without_module("drip-line-low-pass"))
    edit(12400, patch.with_new_module("shared", Module("extra", "lfo", "Extra")))  # within the fade of the one before
    edit(12400, patch.with_link(Link("e", Place("extra", "out"), Place("fog-air-band", "cutoff_hz"), 1.5)))
    made = made.with_entry(Entry(20000, Press("drip-line-strike", "trigger", True)))
    made = made.with_entry(Entry(20500, Press("drip-line-strike", "trigger", False)))
    made = made.with_entry(Entry(25001, Clear("drip-line-echo")))
    edit(33333, replace(patch, tempo_bpm=140.0, seed=9))
    made = made.with_entry(Entry(40000, Clear()))
    return made


def sound(performance: Performance, block: int, samples: int = SAMPLES) -> np.ndarray:
    out = np.zeros((samples, 2))
    for at in range(0, samples, block):
        performance.fill(out[at : at + block])
    return out


@pytest.fixture(scope="module")
def whole() -> np.ndarray:
    return sound(Performance(take()), 4096)


@pytest.mark.parametrize("block", [1, 7, 64, 480, 48000])
def test_a_take_is_the_same_for_any_block(whole: np.ndarray, block: int) -> None:
    assert (sound(Performance(take()), block) == whole).all()


def test_every_entry_is_heard(whole: np.ndarray) -> None:
    made = take()
    for index, entry in enumerate(made.entries):
        if isinstance(entry.what, Note) and entry.what.velocity == 0:
            continue
        other = sound(Performance(made.without_entry(index)), 4096)
        changed = np.flatnonzero((other != whole).any(axis=1))
        if len(changed):
            assert changed[0] >= entry.at
    assert (sound(Performance(made.without_entry(2)), 4096)[5003:] != whole[5003:]).any()


def test_a_take_goes_on_from_any_checkpoint(whole: np.ndarray) -> None:
    performance = Performance(take())
    out, kept = np.zeros((64, 2)), []
    while performance.player.position < SAMPLES - 64:
        if performance.player.settled and len(kept) < 60 and performance.player.position >= 800 * len(kept):
            kept.append(performance.player.checkpoint())
        performance.fill(out)
    assert len(kept) >= 55
    for checkpoint in kept[::3]:
        later = Performance(take(), checkpoint)
        rest = sound(later, 999, SAMPLES - checkpoint.position)
        assert (rest == whole[checkpoint.position :]).all(), checkpoint.position


def test_a_corrected_take_can_go_on_from_the_checkpoint_before(whole: np.ndarray) -> None:
    performance = Performance(take())
    out = np.zeros((64, 2))
    while performance.player.position < 24960 or not performance.player.settled:
        performance.fill(out)
    checkpoint = performance.player.checkpoint()
    corrected = take().with_entry_moved(len(take().entries) - 1, 45000)
    rest = sound(Performance(corrected, checkpoint), 512, SAMPLES - checkpoint.position)
    assert (rest == sound(Performance(corrected), 4096)[checkpoint.position :]).all()
    assert (rest != whole[checkpoint.position :]).any()


def test_live_and_replayed_are_the_same() -> None:
    """Edits as the engine makes them while it sounds, noted down, and the take played again."""
    generator = np.random.default_rng(4)
    patch = start()
    journal = Take(patch)
    player = Player(compile_patch(patch, rate=48000))
    heard = []
    for k in range(150):
        happened: list[tuple[int, object]] = []
        kind = generator.integers(6)
        before = patch
        if kind == 0:
            patch = patch.with_param("drip-line-echo", "time_s", float(generator.uniform(0.05, 0.9)))
        elif kind == 1:
            patch = patch.with_new_module("shared", Module(f"m{k}", "noise", "M"))
            patch = patch.with_link(Link(f"y{k}", Place(f"m{k}", "out"), Place("fog-air-output", "audio"), 0.1))
        elif kind == 2:
            patch = patch.with_link(replace(patch.links[3], amount=float(generator.uniform(0, 1))))
        what: object = Edit(difference(before, patch)) if kind < 3 else Note("keys", 40.0 + k % 30, 0.5 * (kind < 5))
        if kind < 3 and not difference(before, patch):
            continue

        def act(player: Player, what: object = what, before: Patch = before, after: Patch = patch) -> None:
            happened.append((player.position, what))  # noqa: B023
            if not isinstance(what, Edit):
                by_hand(what)(player)  # type: ignore[arg-type]
            elif same_structure(before, after):
                glide(before, after)(player)
            else:
                program = compile_patch(after, rate=48000, probed=[Place("fog-air-noise", "out")])
                player.swap(program, None, Takeover(program, player.program))

        player.steps.append(Step(NOW, act, isinstance(what, Edit) and not same_structure(before, patch)))
        out = np.zeros((int(generator.integers(100, 1500)), 2))
        player.fill(out)
        while not happened:
            heard.append(out)
            out = np.zeros((100, 2))
            player.fill(out)
        heard.append(out)
        for at, done in happened:
            journal = journal.with_entry(Entry(at, done))  # type: ignore[arg-type]
    live = np.concatenate(heard)
    assert (sound(Performance(journal), 3000, len(live)) == live).all()


def test_a_saved_take_sounds_the_same(tmp_path: Path) -> None:
    save_take(take(), tmp_path / "a.dunetake")
    assert (
        render_to_array(load_take(tmp_path / "a.dunetake"), seconds=1.0) == render_to_array(take(), seconds=1.0)
    ).all()


def test_running_ahead_elsewhere_goes_on_from_a_checkpoint() -> None:
    """The checkpoint travels as bytes, as it would to another process."""
    performance = Performance(take())
    performance.fill(np.zeros((12800, 2)))
    while not performance.player.settled:
        performance.fill(np.zeros((64, 2)))
    sent = pickle.dumps((take(), performance.player.checkpoint()))
    here, ahead = np.zeros((24000, 2)), np.zeros((24000, 2))
    performance.fill(here)
    Performance(*pickle.loads(sent)).fill(ahead)
    assert (here == ahead).all()


def test_another_rate_keeps_the_times() -> None:
    slow, fast = (render_to_array(take(), seconds=1.0, rate=rate) for rate in (48000.0, 96000.0))
    for at in (0.2, 0.5, 0.9):
        window = [np.abs(x[int(at * r) : int((at + 0.05) * r)]).mean() for x, r in ((slow, 48000), (fast, 96000))]
        assert window[0] == pytest.approx(window[1], rel=0.6)


def test_after_silence_everything_sounds_as_from_the_start() -> None:
    """Constants that several modules share must not be cleared with what they remember: they would fault for ever."""
    patch, _ = open_patch("demo:")
    import_sounds(patch)
    player = Player(compile_patch(patch, rate=48000))
    sound = np.zeros((24000, 2))
    player.fill(sound)
    by_hand(Clear())(player)
    player.fill(np.zeros((24000, 2)))
    assert not player.program.memory.faults.any()
    later = np.zeros((48000, 2))
    player.fill(later)
    assert np.isfinite(later).all()
    assert np.abs(later).max() > 0.25 * np.abs(sound).max()


def test_a_swapped_module_begins_at_its_own_values() -> None:
    """One id, another type: a value of the same name means something else, so nothing glides over from it."""
    links = (("m.out", "a-output.audio", 1.0),)
    before = patch_of(Module("m", "oscillator", "M", {"width": 0.9}), Module("a-output", "output", "A"), links=links)
    after = before.with_module(Module("m", "lfo", "M", {"width": 0.5}))
    player = Player(compile_patch(before, rate=48000))
    player.fill(np.zeros((640, 2)))
    program = compile_patch(after, rate=48000)
    player.swap(program, None, Takeover(program, player.program))
    player.fill(np.zeros((64, 2)))
    assert program.bases_now()[program.input_at[("m", "width")]] == 0.5
