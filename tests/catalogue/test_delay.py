"""Delay."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from dunefall.catalogue import spec_of
from dunefall.compiler.build import compile_patch
from dunefall.compiler.takeover import Takeover
from dunefall.patch.model import Module
from dunefall.render.player import Player
from measuring import impulse, impulse_of_space
from rig import RATE, Rig, level_db, patch_of, pulses, tone

PLAIN = {"high_cut_hz": 20000.0, "dry": 0.0, "wet": 1.0}


def echoes(sound: np.ndarray) -> list[int]:
    return [int(k) for k in np.flatnonzero(np.abs(sound) > 1e-6)]


def loop_through(*between: Module, feedback: float = 0.8, seconds: float = 0.5) -> np.ndarray:
    """A delay whose echoes go through modules on their way back, struck by an impulse at its start."""
    delay = Module("d", "delay", "D", {**PLAIN, "span": 0.0, "short_s": 0.01, "feedback": feedback})
    chain = ["d.send", *(f"{m.id}.audio" for m in between)]
    ways = [(chain[0], chain[1])] if between else [("d.send", "d.back")]
    for a, b in pairwise(between):
        ways.append((f"{a.id}.{output_of(a)}", f"{b.id}.audio"))
    if between:
        ways.append((f"{between[-1].id}.{output_of(between[-1])}", "d.back"))
    click = Module("i", "impulse", "I", {"rate_hz": 0.01, "level": 0.5})
    links = (("i.out", "d.audio", 1.0), *((a, b, 1.0) for a, b in ways), ("d.out", "a-output.audio", 1.0))
    modules = (click, delay, *between, Module("a-output", "output", "O", {"level_db": 0.0, "angle_deg": -90.0}))
    player = Player(compile_patch(patch_of(*modules, links=links), rate=RATE))
    out = np.zeros((round(seconds * RATE), 2))
    player.fill(out)
    return out[:, 0]


def output_of(module: Module) -> str:
    spec = spec_of(module.type)
    assert spec is not None
    return spec.outputs[0].id


@pytest.mark.parametrize("feedback", [0.5, -0.7, 0.9])
def test_echoes_fall_by_the_feedback(feedback: float) -> None:
    # Schroeder 1962: echo k has amplitude g^k at k tau
    out = Rig("delay", span=0, short_s=0.01, feedback=feedback, high_cut_hz=20000, dry=0, wet=1).run(
        48000, audio=0.5 * impulse(48000)
    )["out"]
    for k in range(1, 30):
        assert out[480 * k] == pytest.approx(0.5 * feedback ** (k - 1), abs=1e-9)
    others = np.delete(out, np.arange(480, 48000, 480))
    assert np.abs(others).max() < 1e-9


def test_decay_time_of_the_echoes() -> None:
    # Schroeder 1962: 60 dB in 3 tau / log10(1 / |g|)
    gain, tau = 0.9, 0.01
    out = Rig("delay", span=0, short_s=tau, feedback=gain, high_cut_hz=20000, dry=0, wet=1).run(
        96000, audio=0.5 * impulse(96000)
    )["out"]
    at = 3 * tau / np.log10(1 / gain)
    k = round(at / tau)
    assert 20 * np.log10(out[480 * (k + 1)] / out[480]) == pytest.approx(-60, abs=0.5)


@pytest.mark.parametrize("feedback", [1.0, 1.1, -1.1])
def test_delay_is_safe_at_and_above_unity(feedback: float) -> None:
    sound = np.concatenate([tone(200, 1.0), np.zeros(9 * 48000)])
    out = Rig("delay", time_s=0.05, feedback=feedback, high_cut_hz=20000, dry=0, wet=1).run(len(sound), audio=sound)[
        "out"
    ]
    assert np.abs(out).max() < 3.5
    assert np.abs(out[-48000:]).max() > 0.5  # it holds on: 1.0 keeps the sound for ever (common practice)


def test_moving_the_time_bends_the_pitch_like_tape() -> None:
    """Common practice: the pitch changes by the rate at which the delay changes, here 0.5 s per s at most."""
    seconds = 0.5
    times = np.full(round((1 + seconds) * RATE), 0.5)
    times[48000:] = 0.1
    out = Rig("delay", time_s=0.5, feedback=0, dry=0, wet=1).run(
        len(times), audio=tone(400, 1 + seconds), time_s=times
    )["out"]
    piece = out[50000 : 50000 + 16384]
    spectrum = np.abs(np.fft.rfft(piece * np.hanning(len(piece))))
    assert spectrum.argmax() * RATE / len(piece) == pytest.approx(600, abs=4)


def test_fractional_delay_is_clean() -> None:
    out = Rig("delay", span=0, short_s=0.0100104, feedback=0, dry=0, wet=1).run(48000, audio=tone(1000, 1.0))["out"]
    expected = np.sin(2 * np.pi * 1000 * (np.arange(48000) / RATE - 0.0100104))
    assert np.abs(out[2000:] - expected[2000:]).max() < 2e-3


@pytest.mark.parametrize(
    ("params", "samples"),
    [
        ({"span": 0, "short_s": 0.003}, 144),
        ({"span": 1, "time_s": 0.25}, 12000),
        ({"span": 2, "long_s": 1.5}, 72000),
        ({"span": 3, "time_beats": 0.75}, 23478),
        ({"span": 4, "any_s": 0.002}, 96),
        ({"span": 4, "any_s": 1.5}, 72000),
    ],
)
def test_the_time_is_that_of_the_chosen_range(params: dict[str, float], samples: int) -> None:
    """Arithmetic: 0.75 beats at 92 BPM are 489.13 ms."""
    out = Rig("delay", **PLAIN, **params, feedback=0).run(100_000, audio=impulse_of_space(100_000))["out"]
    assert abs(int(np.argmax(np.abs(out))) - samples) <= 1


def test_alternating_echoes_change_sides() -> None:
    """Schroeder 1962: echo k has amplitude g**(k - 1)."""
    rig = Rig("delay", **PLAIN, span=0, short_s=0.01, feedback=0.6, sides=1)
    out = rig.run(4800, audio=impulse_of_space(4800))
    for k in range(1, 9):
        near, far = (out["out"], out["out_right"]) if k % 2 else (out["out_right"], out["out"])
        assert near[480 * k] == pytest.approx(0.5 * 0.6 ** (k - 1), abs=1e-9)
        assert far[480 * k] == 0.0


def test_send_and_return_keep_the_time_of_the_loop() -> None:
    """The patched loop costs a sample, the line is read a sample earlier: echo k stays at k times the time."""
    out = loop_through(Module("g", "amplifier", "G", {"gain": 0.5}))
    first = echoes(out)[0]
    for k in range(6):
        assert out[first + 480 * k] == pytest.approx(out[first] * 0.4**k, rel=1e-6)


def test_each_repeat_changes_by_what_is_patched_in() -> None:
    """A ring modulator's way back would double in pitch; here a low-pass: each echo is duller than the one before."""
    out = loop_through(Module("f", "filter", "F", {"cutoff_hz": 2000.0}))
    first = echoes(out)[0]
    pieces = [np.abs(np.fft.rfft(out[first + 480 * k : first + 480 * (k + 1)])) for k in range(4)]
    high = [piece[60:].sum() / piece[1:20].sum() for piece in pieces]
    assert all(a > 1.5 * b for a, b in pairwise(high))


def test_frozen_it_goes_round_without_loss_and_takes_layers() -> None:
    rig = Rig("delay", **PLAIN, span=1, time_s=0.25, feedback=0.5)
    sound = np.concatenate([tone(300, 0.25, level=0.3), np.zeros(12000)])
    rig.run(12000, audio=sound[:12000])
    rig.program.set_base("m", "freeze", 1.0)
    rig.run(4800)
    once = rig.run(12000)["out"]
    later = rig.run(12000 * 8)["out"][-12000:]
    assert level_db(later) == pytest.approx(level_db(once), abs=0.01)
    rig.program.set_base("m", "layering", 1.0)
    rig.run(4800)
    rig.run(12000, audio=tone(900, 0.25, level=0.3))
    rig.program.set_base("m", "layering", 0.0)
    both = np.abs(np.fft.rfft(rig.run(24000)["out"][-12000:] * np.hanning(12000)))
    assert both[round(900 * 0.25)] > 0.3 * both[round(300 * 0.25)]


def test_cleared_it_is_empty_without_a_click() -> None:
    rig = Rig("delay", **PLAIN, span=1, time_s=0.1, feedback=0.95)
    sound = np.concatenate([tone(200, 0.3, level=0.4), np.zeros(48000)])
    before = rig.run(24000, audio=sound[:24000])["out"]
    after = rig.run(24000, clear=pulses([0.01], 0.5))["out"]
    assert np.abs(after[1500:]).max() < 1e-12
    assert np.abs(np.diff(after)).max() <= 1.2 * np.abs(np.diff(before)).max()


def test_backwards_a_rising_tone_falls() -> None:
    """In the middle of a piece, where one of both reading places is heard alone."""
    seconds = np.arange(96000) / RATE
    rising = 0.5 * np.sin(2 * np.pi * (200 * seconds + 300 * seconds**2))
    out = Rig("delay", **PLAIN, span=1, time_s=0.5, feedback=0, reverse=1).run(96000, audio=rising)["out"]

    def strongest(part: np.ndarray) -> float:
        return float(np.argmax(np.abs(np.fft.rfft(part * np.hanning(len(part)), 1 << 18))))

    assert strongest(out[56000:60000]) > 1.02 * strongest(out[60000:64000])


def test_a_new_time_fades_over_without_bending_the_pitch() -> None:
    times = np.full(72000, 0.3)
    times[24000:] = 0.2
    out = Rig("delay", **PLAIN, span=1, feedback=0, change=1).run(72000, audio=tone(400, 1.5), time_s=times)["out"]
    for at in (24500, 26000, 30000):
        piece = out[at : at + 8192] * np.hanning(8192)
        assert np.argmax(np.abs(np.fft.rfft(piece))) * RATE / 8192 == pytest.approx(400, abs=8)
    assert np.abs(np.diff(out[15000:])).max() < 1.1 * 2 * np.pi * 400 / RATE


def test_it_warns_where_the_loop_does_not_die_away() -> None:
    from dunefall.catalogue.story import module_story

    def told(feedback: float) -> str:
        return module_story(patch_of(Module("d", "delay", "Echo", {"feedback": feedback})), "d")

    assert "does not die away" in told(1.0)
    assert "does not die away" in told(-1.05)
    assert "die away" not in told(0.9)


@pytest.mark.parametrize("sides", [0.0, 1.0])
def test_a_delay_fed_in_mono_is_stereo_only_where_its_sides_alternate(sides: float) -> None:
    modules = (
        Module("o", "oscillator", "O"),
        Module("m", "delay", "D", {"sides": sides}),
        Module("a-output", "output", "A"),
    )
    links = (("o.out", "m.audio", 1.0), ("m.out", "a-output.audio", 1.0))
    program = compile_patch(patch_of(*modules, links=links), rate=RATE)
    assert (("m", "out_right") in program.row_at) == bool(sides)


@pytest.mark.parametrize("rate", [44100.0, 48000.0])
def test_between_samples_an_echo_keeps_its_highs(rate: float) -> None:
    """At most 0.1 dB up to 15 kHz over 20 repeats of a time half way between two samples (it was 2.5 dB each)."""
    time_s = 960.5 / rate
    rig = Rig("delay", rate=rate, span=0, short_s=time_s, feedback=-0.99, **PLAIN)
    out = rig.run(24_000, audio=impulse(24_000))["out"]
    first = np.abs(np.fft.rfft(out[700:1200], 4096))
    later = np.abs(np.fft.rfft(out[20_000 - 300 : 20_000 + 500], 4096))  # the twenty-first: 20170.5
    upto = round(15_000 / rate * 4096)
    lost = 20 * np.log10(later[10:upto] / first[10:upto] / 0.99**20)
    assert np.abs(lost).max() < 0.1


def test_at_100_percent_nothing_is_lost_in_two_minutes() -> None:
    """Off whole samples it fell by 4 to 21 dB."""
    rate, length = 8000.0, 3203  # 0.40037 s, to the next sample
    sound = np.zeros(round(120 * rate))
    sound[:1600] = np.random.default_rng(1).uniform(-0.3, 0.3, 1600)
    out = Rig("delay", rate=rate, span=1, time_s=0.40037, feedback=1.0, **PLAIN).run(len(sound), audio=sound)["out"]
    first, last = (out[length * k : length * (k + 1)] for k in (1, len(out) // length - 1))
    assert level_db(last) == pytest.approx(level_db(first), abs=0.01)
    highs = [np.sum(np.abs(np.fft.rfft(part))[800:] ** 2) for part in (first, last)]
    assert highs[1] == pytest.approx(highs[0], rel=0.01)


@pytest.mark.parametrize(("before", "behind"), [(1, 4), (4, 1), (1, 2), (0, 1)])
def test_another_range_keeps_what_sounds(before: int, behind: int) -> None:
    """Echoes of 50 ms go on as if nothing had been chosen, in a line of another size."""
    times = {"short_s": 0.05, "time_s": 0.05, "long_s": 0.05, "any_s": 0.05}
    sound = np.zeros(6000)
    sound[:2000] = np.random.default_rng(1).normal(0, 0.1, 2000)
    old = Rig("delay", **PLAIN, span=before, **times, feedback=0.9)
    new = Rig("delay", **PLAIN, span=behind, **times, feedback=0.9)
    old.run(6016, audio=sound)
    Takeover(new.program, old.program).apply()
    silence = np.zeros(9600)
    went_on = old.run(9600, audio=silence)["out"]
    assert np.abs(went_on).max() > 0.05
    later = 0.25 if behind == 2 else 0.05  # the shortest time of that range
    if later == 0.05:
        np.testing.assert_allclose(new.run(9600, audio=silence)["out"], went_on, atol=1e-9)
    else:
        assert np.abs(new.run(48000, audio=np.zeros(48000))["out"]).max() > 0.05


def test_a_shorter_range_cuts_the_time_and_nothing_breaks() -> None:
    old, new = Rig("delay", **PLAIN, span=2, long_s=8), Rig("delay", **PLAIN, span=0, short_s=0.01)
    old.run(96_000, audio=np.random.default_rng(1).normal(0, 0.1, 96_000))
    Takeover(new.program, old.program).apply()
    out = new.run(48_000, audio=np.zeros(48_000))["out"]
    assert np.isfinite(out).all()
    assert 0.05 < np.abs(out).max() < 1.0
