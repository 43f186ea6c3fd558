"""Delay, looper and the modulated effects against closed forms and common practice."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from dunefall.catalogue import spec_of
from dunefall.compiler.build import compile_patch
from dunefall.patch.model import Module
from dunefall.render.player import Player
from rig import RATE, Rig, level_db, patch_of, pulses, tone

PLAIN = {"high_cut_hz": 20000.0, "dry": 0.0, "wet": 1.0}


def impulse(samples: int, at: int = 0, level: float = 0.5) -> np.ndarray:
    sound = np.zeros(samples)
    sound[at] = level
    return sound


def echoes(sound: np.ndarray) -> list[int]:
    return [int(k) for k in np.flatnonzero(np.abs(sound) > 1e-6)]


# -- delay ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("params", "samples"),
    [
        ({"span": 0, "short_s": 0.003}, 144),
        ({"span": 1, "time_s": 0.25}, 12000),
        ({"span": 2, "long_s": 1.5}, 72000),
        ({"span": 3, "time_beats": 0.75}, 23478),
    ],
)
def test_the_time_is_that_of_the_chosen_range(params: dict[str, float], samples: int) -> None:
    """Arithmetic: 0.75 beats at 92 BPM are 489.13 ms."""
    out = Rig("delay", **PLAIN, **params, feedback=0).run(100_000, audio=impulse(100_000))["out"]
    assert abs(int(np.argmax(np.abs(out))) - samples) <= 1


def test_alternating_echoes_change_sides() -> None:
    """Schroeder 1962: echo k has amplitude g**(k - 1)."""
    rig = Rig("delay", **PLAIN, span=0, short_s=0.01, feedback=0.6, sides=1)
    out = rig.run(4800, audio=impulse(4800))
    for k in range(1, 9):
        near, far = (out["out"], out["out_right"]) if k % 2 else (out["out_right"], out["out"])
        assert near[480 * k] == pytest.approx(0.5 * 0.6 ** (k - 1), abs=1e-9)
        assert far[480 * k] == 0.0


def output_of(module: Module) -> str:
    spec = spec_of(module.type)
    assert spec is not None
    return spec.outputs[0].id


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


# -- looper -----------------------------------------------------------------------------------------------------


def test_a_loop_goes_round_at_any_speed() -> None:
    sound = tone(500, 1.0, level=0.4)
    gate = pulses([0.0], 4.0, width_s=0.5)
    for speed, hz in ((1.0, 500), (0.5, 250), (-1.0, 500), (2.0, 1000)):
        rig = Rig("looper", dry=0, wet=1, speed=speed)
        out = rig.run(96000, audio=np.concatenate([sound, np.zeros(48000)]), take=gate[:96000])["out"]
        piece = out[60000 : 60000 + 16384]
        assert np.argmax(np.abs(np.fft.rfft(piece * np.hanning(16384)))) * RATE / 16384 == pytest.approx(hz, abs=4)


def test_a_loop_fades_by_the_kept_share_each_pass() -> None:
    gate = pulses([0.0], 3.0, width_s=0.25)
    rig = Rig("looper", dry=0, wet=1, keep=0.5)
    out = rig.run(144000, audio=np.concatenate([tone(400, 0.25, level=0.4), np.zeros(132000)]), take=gate)["out"]
    passes = [level_db(out[12000 + 12000 * k + 1000 : 24000 + 12000 * k - 1000]) for k in range(5)]
    np.testing.assert_allclose(np.diff(passes), 20 * np.log10(0.5), atol=0.2)


# -- the others -------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("semitones", [-12.0, 7.0, 12.0])
def test_the_pitch_shifter_shifts_by_semitones(semitones: float) -> None:
    out = Rig("pitch-shifter", shift_st=semitones, window_s=0.1).run(96000, audio=tone(440, 2.0, level=0.5))["out"]
    spectrum = np.abs(np.fft.rfft(out[40000:90000] * np.hanning(50000)))
    assert np.argmax(spectrum) * RATE / 50000 == pytest.approx(440 * 2 ** (semitones / 12), rel=0.02)


def test_the_phaser_has_a_notch_for_two_stages() -> None:
    """Two first-order all-passes turn the phase by half a cycle at their middle (Smith 1984)."""
    rig = Rig("phaser", stages=2, centre_hz=1000, depth_oct=0, feedback=0, dry=0.5, wet=0.5)
    response = np.abs(np.fft.rfft(rig.run(48000, audio=impulse(48000, level=1.0))["out"]))
    assert abs(int(np.argmin(response[100:5000])) + 100 - 1000) < 20
    assert 20 * np.log10(response[1000]) < -30
    assert 20 * np.log10(response[60]) == pytest.approx(0, abs=0.3)


def test_the_flanger_s_notches_are_those_of_its_delay() -> None:
    """A sound plus itself a time later: notches at odd multiples of half its inverse (textbook)."""
    rig = Rig("flanger", delay_s=0.001, depth=0, feedback=0, dry=0.5, wet=0.5)
    response = np.abs(np.fft.rfft(rig.run(48000, audio=impulse(48000, level=1.0))["out"]))
    for hz in (500, 1500, 2500):
        assert response[hz] < 1e-3
    for hz in (1000, 2000):
        assert response[hz] == pytest.approx(1.0, abs=1e-3)


def test_through_the_middle_the_flanger_cancels_itself() -> None:
    rig = Rig("flanger", depth=0, feedback=0, through=1, dry=0.7, wet=-0.7)
    assert np.abs(rig.run(9600, audio=tone(330, 0.2))["out"][2000:]).max() < 1e-9


def test_chorus_copies_sway_in_pitch() -> None:
    out = Rig("chorus", copies=1, width=0, dry=0, wet=1, depth_s=0.002, rate_hz=2).run(96000, audio=tone(1000, 2.0))[
        "out"
    ]
    phase = np.unwrap(np.angle(np.fft.ifft(np.fft.fft(out) * (np.arange(96000) < 48000) * 2)))
    hz = np.diff(phase[4000:-4000]) / (2 * np.pi) * RATE
    most = 1000 * 2 * np.pi * 2 * 0.002  # the rate at which the delay changes
    assert hz.max() == pytest.approx(1000 + most, rel=0.004)
    assert hz.min() == pytest.approx(1000 - most, rel=0.004)


def test_tremolo_with_the_sides_apart_wanders() -> None:
    rig = Rig("tremolo", rate_hz=2, depth=1, hardness=0, apart=1)
    out = rig.run(48000, audio=np.ones(48000))
    total = out["out"] + out["out_right"]
    np.testing.assert_allclose(total, 1.0, atol=1e-6)
    assert out["out"].max() > 0.99
    assert out["out"].min() < 0.01


def test_width_zero_is_mono_and_a_made_side_vanishes_in_mono() -> None:
    generator = np.random.default_rng(2)
    left, right = generator.normal(size=(2, 48000)) * 0.1
    narrow = Rig("width", width=0).run(48000, audio=left, audio_right=right)
    np.testing.assert_array_equal(narrow["out"], narrow["out_right"])
    made = Rig("width", made=1).run(48000, audio=left, audio_right=left)
    np.testing.assert_allclose(made["out"] + made["out_right"], 2 * left, atol=1e-12)
    assert abs(np.corrcoef(made["out"], made["out_right"])[0, 1]) < 0.2


def test_low_frequencies_stay_in_the_middle() -> None:
    apart = {"audio": tone(40, 2.0), "audio_right": -tone(40, 2.0)}
    out = Rig("width", low_mono_hz=300).run(96000, **apart)["out"][48000:]
    assert level_db(out) < -25


def test_drive_keeps_aliasing_down() -> None:
    """At least 20 dB less than the same curve by itself, for a sine of 5 kHz (Parker et al. 2016)."""
    sound = tone(5000, 1.0)
    driven = Rig("drive", drive_db=24, tone_hz=20000).run(48000, audio=sound)["out"]
    x = 10 ** (24 / 20) * sound
    bare = x / np.sqrt(1 + x * x)

    def beside(wave: np.ndarray) -> float:
        spectrum = np.abs(np.fft.rfft(wave[-32000:] * np.kaiser(32000, 14))) ** 2
        hz = np.fft.rfftfreq(32000, 1 / RATE)
        away = np.abs(hz - 5000 * np.round(hz / 5000)) > 60
        return float(10 * np.log10(spectrum[away & (hz < 16000)].sum() / spectrum.sum()))

    assert beside(driven) < beside(bare) - 20


def test_grains_keep_pitch_or_fall_on_steps() -> None:
    settings = {"dry": 0.0, "wet": 1.0, "size_s": 0.3, "density_hz": 20.0, "spray_s": 0.2, "backwards": 0.0}
    sound = tone(220, 4.0, level=0.5)
    fifths = Rig("grain-cloud", **settings, scatter_st=20, steps=3).run(len(sound), audio=sound)["out"]
    power = np.abs(np.fft.rfft(fifths[96000:] * np.hanning(len(fifths) - 96000))) ** 2
    hz = np.fft.rfftfreq(len(fifths) - 96000, 1 / RATE)
    steps = 12 * np.log2(np.maximum(hz, 1.0) / 220)
    near = np.abs((steps + 0.5) % 12 - 0.5) < 0.5
    near |= np.abs(steps % 12 - 7) < 0.5
    assert power[near].sum() / power.sum() > 0.9


def test_a_frozen_cloud_stays_with_what_has_been() -> None:
    rig = Rig("grain-cloud", dry=0, wet=1, scatter_st=0, spray_s=0.1, density_hz=40, spread=0)
    rig.run(48000, audio=tone(440, 1.0, level=0.5))
    rig.program.set_base("m", "freeze", 1.0)
    rig.run(9600, audio=tone(440, 0.2, level=0.5))
    out = rig.run(96000, audio=tone(1100, 2.0, level=0.5))["out"][24000:]
    spectrum = np.abs(np.fft.rfft(out * np.hanning(len(out))))
    assert np.argmax(spectrum) * RATE / len(out) == pytest.approx(440, abs=6)


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
