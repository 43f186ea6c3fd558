"""Equaliser, Vowel, Resonator, Frequency shifter, Phase-locked loop, Compressor, Limiter, Low-pass gate and Amplifier,
against outside numbers."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import freqz

from dunefall.catalogue.shape.vowel import FORMANTS_HZ
from dunefall.dsp.equaliser import FLAT, HIGH, LOW, MIDDLE, band_levels_db
from rig import RATE, Rig, level_db, tone

SECOND = round(RATE)


def response(type_id: str, **params: float) -> np.ndarray:
    """Amplitude response by whole Hz."""
    impulse = np.zeros(SECOND)
    impulse[0] = 1e-3
    return np.abs(np.fft.rfft(Rig(type_id, **params).run(SECOND, audio=impulse)["out"])) * 1e3


def cookbook(kind: str, hz: float, gain_db: float, q: float) -> np.ndarray:
    """Bristow-Johnson, Audio EQ Cookbook (from memory), by whole Hz."""
    a, w = 10 ** (gain_db / 40), 2 * np.pi * hz / RATE
    cos, alpha = np.cos(w), np.sin(w) / (2 * q)
    root = 2 * np.sqrt(a) * alpha
    if kind == "peak":
        b, c = [1 + alpha * a, -2 * cos, 1 - alpha * a], [1 + alpha / a, -2 * cos, 1 - alpha / a]
    else:
        s = 1 if kind == "low" else -1
        b = [a * (a + 1 - s * (a - 1) * cos + root), s * 2 * a * (a - 1 - s * (a + 1) * cos),
             a * (a + 1 - s * (a - 1) * cos - root)]  # fmt: skip
        c = [a + 1 + s * (a - 1) * cos + root, -s * 2 * (a - 1 + s * (a + 1) * cos), a + 1 + s * (a - 1) * cos - root]
    _, h = freqz(b, c, worN=np.arange(SECOND // 2 + 1), fs=RATE)
    return np.abs(h)


@pytest.mark.parametrize("gain_db", [-18.0, 9.0])
def test_equaliser_is_the_cookbook(gain_db: float) -> None:
    for kind, params, q in (
        ("low", {"low_hz": 150.0, "low_db": gain_db}, np.sqrt(0.5)),
        ("peak", {"a_hz": 700.0, "a_db": gain_db, "a_q": 2.0}, 2.0),
        ("peak", {"b_hz": 5000.0, "b_db": gain_db, "b_q": 0.7}, 0.7),
        ("high", {"high_hz": 6000.0, "high_db": gain_db}, np.sqrt(0.5)),
    ):
        hz = next(value for name, value in params.items() if name.endswith("hz"))
        difference = 20 * np.log10(response("equaliser", **params)[20:20000] / cookbook(kind, hz, gain_db, q)[20:20000])
        assert np.abs(difference).max() < 0.01, kind


@pytest.mark.parametrize(("kind", "name"), [(LOW, "low"), (MIDDLE, "peak"), (HIGH, "high")])
@pytest.mark.parametrize("db", [-12.0, 9.0])
def test_the_master_s_curve_is_the_cookbook(kind: int, name: str, db: float) -> None:
    q = 1.3 if kind == MIDDLE else FLAT
    drawn = band_levels_db(kind, 900.0, db, q, np.arange(20.0, 20000.0), RATE)
    np.testing.assert_allclose(drawn, 20 * np.log10(cookbook(name, 900.0, db, q)[20:20000]), atol=0.01)


def test_a_flat_equaliser_changes_nothing() -> None:
    noise = np.random.default_rng(1).normal(size=4800)
    np.testing.assert_allclose(Rig("equaliser").run(4800, audio=noise)["out"], noise, atol=1e-12)


@pytest.mark.parametrize("vowel", range(5))
def test_a_vowel_has_its_published_formants(vowel: int) -> None:
    """Peaks of the response within 6 % of the first two formants (Peterson and Barney 1952, from memory)."""
    levels = response("vowel", vowel=vowel, sharpness=0.8)
    for hz in FORMANTS_HZ[vowel, :2]:
        near = levels[round(0.85 * hz) : round(1.15 * hz)]
        assert round(0.85 * hz) + int(near.argmax()) == pytest.approx(hz, rel=0.06)
    shifted = response("vowel", vowel=2, sharpness=0.8, shift_st=12)
    assert abs(int(shifted[1200:1700].argmax()) + 1200 - 1460) < 60


def test_resonator_bands_have_gain_1_and_their_width() -> None:
    """Band-pass of quality Q: -3.01 dB at a distance of f / 2Q to each side (textbook)."""
    levels = response("resonator", a_hz=1000, b_level=0, c_level=0, resonance=0.5)
    damping = 2.0 * (0.0025 / 2.0) ** 0.5
    assert levels[1000] == pytest.approx(1.0, abs=1e-3)
    inside = np.flatnonzero(levels > np.sqrt(0.5))
    assert inside[-1] - inside[0] == pytest.approx(1000 * damping, abs=3)


@pytest.mark.parametrize("hz", [60, 1000, 9000])
def test_frequency_shifter_leaves_one_side(hz: int) -> None:
    """Single-sideband modulation (textbook): all of a sine at f + shift, the other side at least 60 dB down."""
    for port, goes in (("up", hz + 37), ("down", hz - 37)):
        out = Rig("frequency-shifter", shift_hz=37).run(2 * SECOND, audio=tone(hz, 2))[port][SECOND:]
        amplitudes = 2 * np.abs(np.fft.rfft(out)) / SECOND
        assert amplitudes[goes] == pytest.approx(1.0, abs=2e-3)
        amplitudes[goes] = 0.0
        assert 20 * np.log10(amplitudes.max()) < -60


def square(hz: float, seconds: float) -> np.ndarray:
    return np.sign(np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE + 0.1))


def last_hz(wave: np.ndarray) -> float:
    """Mean frequency of a square wave's second half."""
    rises = np.flatnonzero((wave[:-1] < 0) & (wave[1:] > 0))
    rises = rises[rises > len(wave) // 2]
    return (len(rises) - 1) / (rises[-1] - rises[0]) * RATE


@pytest.mark.parametrize(("away", "locks"), [(-0.9, True), (0.5, True), (0.9, True), (1.2, False), (-1.2, False)])
def test_phase_locked_loop_locks_within_its_range(away: float, locks: bool) -> None:
    """Exclusive or, first order: the voltage goes from -1 to 1 over half a cycle, so the loop holds +- its range around
    the centre (Gardner; Best, from memory)."""
    rig = Rig("phase-locked-loop", centre_hz=400, range_hz=60, cutoff_hz=8000)
    hz = 400 + 60 * away
    out = rig.run(6 * SECOND, audio=square(hz, 6))["out"]
    assert (abs(last_hz(out) - hz) < 0.05) == locks


@pytest.mark.parametrize("detector", [0, 1, 2])
def test_every_detector_locks_and_says_so(detector: int) -> None:
    rig = Rig("phase-locked-loop", centre_hz=400, range_hz=100, cutoff_hz=15, detector=detector)
    outputs = rig.run(8 * SECOND, audio=square(430, 8))
    assert last_hz(outputs["out"]) == pytest.approx(430, abs=0.5)
    assert outputs["locked"][-SECOND:].mean() == 1.0
    assert outputs["voltage"][-SECOND:].mean() == pytest.approx(0.3, abs=0.02)


def curve(level: float, threshold: float, ratio: float, knee: float) -> float:
    """Static curve with a soft knee (Giannoulis, Massberg and Reiss 2012, eq. 4)."""
    over = level - threshold
    if 2 * over < -knee:
        return level
    if 2 * abs(over) <= knee:
        return level + (1 / ratio - 1) * (over + knee / 2) ** 2 / (2 * knee)
    return threshold + over / ratio


@pytest.mark.parametrize("level", [-40.0, -26.0, -24.0, -20.0, -6.0])
def test_compressor_follows_its_static_curve(level: float) -> None:
    rig = Rig("compressor", threshold_db=-24, ratio=4, knee_db=12, attack_s=0.0002, release_s=0.005)
    out = rig.run(SECOND, audio=np.full(SECOND, 10 ** (level / 20)))["out"]
    assert 20 * np.log10(out[-1]) == pytest.approx(curve(level, -24, 4, 12), abs=0.01)


def test_compressor_ducks_under_its_side_input() -> None:
    side = np.concatenate((np.zeros(SECOND), tone(100, 1)))
    rig = Rig("compressor", threshold_db=-30, ratio=20, attack_s=0.001, release_s=0.05)
    outputs = rig.run(2 * SECOND, audio=tone(1000, 2, level=0.1), side=side)
    first, second = outputs["out"][:SECOND], outputs["out"][SECOND + 4800 :]
    assert level_db(first) == pytest.approx(-23.01, abs=0.1)
    assert level_db(second) < level_db(first) - 20
    assert outputs["reduction"][-1] > 0.8


def test_limiter_keeps_its_ceiling_without_distortion() -> None:
    """Not a sample above the ceiling; harmonics of a limited tone at least 50 dB down."""
    noise = np.random.default_rng(2).normal(0, 1, 2 * SECOND)
    out = Rig("limiter", ceiling_db=-6, drive_db=12).run(2 * SECOND, audio=noise)["out"]
    assert np.abs(out).max() <= 10 ** (-6 / 20) + 1e-12
    limited = Rig("limiter", ceiling_db=-6).run(2 * SECOND, audio=tone(1000, 2))["out"][SECOND:]
    amplitudes = 2 * np.abs(np.fft.rfft(limited)) / SECOND
    assert amplitudes[1000] == pytest.approx(10 ** (-6 / 20), rel=0.01)
    amplitudes[990:1011] = 0.0
    assert 20 * np.log10(amplitudes.max()) < -56


def test_limiter_passes_what_is_soft_unchanged() -> None:
    quiet = tone(500, 0.5, level=0.2)
    out = Rig("limiter", ceiling_db=0).run(len(quiet), audio=quiet)["out"]
    late = int(np.flatnonzero(out)[0]) - int(np.flatnonzero(quiet)[0])
    assert late / RATE == pytest.approx(0.0015, abs=1e-4)
    np.testing.assert_allclose(out[late:], quiet[:-late], atol=1e-12)


def test_low_pass_gate_darkens_as_it_closes() -> None:
    opening = np.zeros(2 * SECOND)
    opening[:4800] = 1.0
    noise = np.random.default_rng(3).normal(0, 0.3, 2 * SECOND)
    out = Rig("low-pass-gate", decay_s=0.5).run(2 * SECOND, audio=noise, opening=opening)["out"]

    def brightness(part: np.ndarray) -> float:
        power = np.abs(np.fft.rfft(part)) ** 2
        return float((power * np.arange(len(power))).sum() / power.sum() * RATE / len(part))

    pieces = [out[at : at + 4800] for at in (0, 9600, 19200, 28800)]
    assert (np.diff([level_db(piece) for piece in pieces]) < -3).all()
    assert (np.diff([brightness(piece) for piece in pieces]) < 0).all()
    assert (Rig("low-pass-gate").run(4800, audio=noise[:4800])["out"] == 0).all()


def test_amplifier_in_decibels() -> None:
    audio = tone(100, 0.1)
    louder = Rig("amplifier").run(4800, audio=audio, level_db=np.full(4800, 6.0))["out"]
    np.testing.assert_allclose(louder, audio * 10 ** (6 / 20), rtol=1e-12)
