"""Ladder, Comb, Crusher, Ring modulator, Band split and Plucked string, against outside numbers."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import lfilter

from rig import RATE, Rig, level_db, pulses, tone

SECOND = round(RATE)


def impulse(samples: int = SECOND) -> np.ndarray:
    signal = np.zeros(samples)
    signal[0] = 1.0
    return signal


def response_db(sound: np.ndarray) -> np.ndarray:
    """Levels by whole Hz of a second of sound."""
    return 20 * np.log10(np.abs(np.fft.rfft(sound)) + 1e-300)


def pitch_hz(sound: np.ndarray, near: float) -> float:
    """Frequency of the strongest partial within 3 % of a frequency, by a parabola through the logarithm of a
    Hann-windowed spectrum (Smith and Serra 1987, from memory)."""
    levels = np.log(np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) + 1e-300)
    per = len(sound) / RATE
    low, high = int(0.97 * near * per), int(1.03 * near * per) + 2
    k = low + int(np.argmax(levels[low:high]))
    a, b, c = levels[k - 1 : k + 2]
    return (k + 0.5 * (a - c) / (a - 2 * b + c)) / per


def test_ladder_is_four_equal_one_poles() -> None:
    """Without feedback -3.01 dB four times at the cutoff, -24 dB per octave far above (Stilson and Smith 1996); with
    the bilinear transform tan(pi f / rate) / tan(pi fc / rate) takes the place of f / fc."""
    out = Rig("ladder", cutoff_hz=500, resonance=0).run(SECOND, audio=0.1 * impulse())["out"]
    levels = response_db(10 * out)
    for hz in (100, 500, 1000, 2000, 4000, 8000):
        ratio = np.tan(np.pi * hz / RATE) / np.tan(np.pi * 500 / RATE)
        assert levels[hz] == pytest.approx(-80 * np.log10(np.hypot(1, ratio)), abs=0.02)


@pytest.mark.parametrize("hz", [55.0, 440.0, 1760.0])
def test_ladder_sings_in_tune_with_nothing_at_its_input(hz: float) -> None:
    """Feedback 4 is the limit; a sine within 1 % of the cutoff below 2 kHz (Stilson and Smith 1996)."""
    out = Rig("ladder", cutoff_hz=hz, resonance=1.05).run(8 * SECOND)["out"][-2 * SECOND :]
    assert level_db(out) > -20
    assert pitch_hz(out, hz) == pytest.approx(hz, rel=0.01)
    spectrum = np.abs(np.fft.rfft(out * np.hanning(len(out))))
    place = round(hz * 2)
    assert 20 * np.log10(spectrum[round(2.5 * place) :].max() / spectrum[place - 40 : place + 40].max()) < -30


def test_ladder_below_its_limit_dies_away() -> None:
    rig = Rig("ladder", cutoff_hz=440, resonance=0.9)
    out = rig.run(4 * SECOND, audio=np.concatenate((tone(440, 0.5), np.zeros(7 * SECOND // 2))))["out"]
    assert level_db(out[-SECOND // 2 :]) < -150


def test_comb_is_the_filter_of_its_formula() -> None:
    """y[n] = x[n] + g y[n - 100] at 480 Hz (Schroeder 1962), by scipy.signal.lfilter."""
    note = 69 + 12 * np.log2(480 / 440)
    noise = np.random.default_rng(1).uniform(-0.1, 0.1, 4800)
    ours = Rig("comb", pitch_note=note, feedback=0.7, damping=0).run(4800, audio=noise)["out"]
    np.testing.assert_allclose(ours, lfilter([1], [1, *np.zeros(99), -0.7], noise), atol=1e-6)


@pytest.mark.parametrize("note", [33.0, 60.3, 81.0])
def test_comb_rings_in_tune(note: float) -> None:
    """Within a cent of the note (ISO 16:1975)."""
    hz = 440 * 2 ** ((note - 69) / 12)
    out = Rig("comb", pitch_note=note, feedback=0.998, damping=0).run(2 * SECOND, audio=impulse(2 * SECOND))["out"]
    assert abs(1200 * np.log2(pitch_hz(out, hz) / hz)) < 1.0


def test_crusher_makes_the_noise_that_its_steps_must_make() -> None:
    """Bennett 1948: the error of a busy signal has the power q**2 / 12; triangular dither adds q**2 / 6 (Lipshitz et
    al. 1992)."""
    noise = np.random.default_rng(2).uniform(-0.9, 0.9, 2 * SECOND)
    step = 2.0 ** (1 - 6)
    for dither, power in ((0, step**2 / 12), (1, step**2 / 4)):
        crushed = Rig("crusher", bits=6, rate_hz=96000, dither=dither).run(len(noise), audio=noise)["out"]
        assert np.mean((crushed - noise) ** 2) == pytest.approx(power, rel=0.03)


def test_crusher_holds_for_the_period_of_its_rate() -> None:
    """At a sixth of the sample rate every value stands for six samples (definition)."""
    noise = np.random.default_rng(3).uniform(-0.9, 0.9, 6000)
    held = Rig("crusher", bits=24, rate_hz=RATE / 6).run(6000, audio=noise)["out"]
    np.testing.assert_allclose(held, np.repeat(noise[::6], 6), rtol=1e-14)


def test_ring_modulator_leaves_sum_and_difference_only() -> None:
    """cos a cos b = (cos(a - b) + cos(a + b)) / 2 (trigonometry)."""
    out = Rig("ring-modulator").run(SECOND, audio=tone(1000, 1), carrier=tone(300, 1))["out"]
    amplitudes = 2 * np.abs(np.fft.rfft(out)) / SECOND
    assert amplitudes[700] == pytest.approx(0.5, abs=1e-9)
    assert amplitudes[1300] == pytest.approx(0.5, abs=1e-9)
    amplitudes[[700, 1300]] = 0.0
    assert amplitudes.max() < 1e-9
    leaking = Rig("ring-modulator", leak=0.25).run(SECOND, audio=tone(1000, 1), carrier=tone(300, 1))["out"]
    assert 2 * np.abs(np.fft.rfft(leaking))[1000] / SECOND == pytest.approx(0.25, abs=1e-9)


def test_band_split_is_6_db_down_at_the_split_and_adds_up_flat() -> None:
    """Linkwitz and Riley 1976: -6.02 dB in both parts, their sum flat within 0.1 dB."""
    parts = Rig("band-split", split_hz=800).run(SECOND, audio=impulse())
    low, high = response_db(parts["low"]), response_db(parts["high"])
    assert low[800] == pytest.approx(-6.02, abs=0.02)
    assert high[800] == pytest.approx(-6.02, abs=0.02)
    assert low[3200] < -46
    assert high[200] < -46
    assert np.abs(response_db(parts["low"] + parts["high"])[20:20000]).max() < 0.1


@pytest.mark.parametrize("note", [28.0, 45.0, 60.3, 76.0])
@pytest.mark.parametrize("brightness", [0.2, 0.9])
def test_a_plucked_string_is_in_tune(note: float, brightness: float) -> None:
    """Within 1 cent by fractional delay (Jaffe and Smith 1983); the strongest partial near the fundamental."""
    hz = 440 * 2 ** ((note - 69) / 12)
    gate = pulses([0.01], 2.0)
    out = Rig("plucked-string", pitch_note=note, brightness=brightness, decay_s=20).run(2 * SECOND, trigger=gate)["out"]
    assert abs(1200 * np.log2(pitch_hz(out[2400:], hz) / hz)) < 1.0


def test_a_plucked_string_fades_as_told() -> None:
    """The lowest partial falls by 60 dB in the decay time: 30 dB in half of it (definition)."""
    rig = Rig("plucked-string", pitch_note=45, decay_s=2, brightness=1)
    out = rig.run(2 * SECOND, trigger=pulses([0.01], 2.0))["out"]
    fundamental = [np.abs(np.sum(part * np.exp(-2j * np.pi * 110 * np.arange(4800) / RATE))) for part in
                   (out[4800:9600], out[4800 + SECOND : 9600 + SECOND])]  # fmt: skip
    assert 20 * np.log10(fundamental[1] / fundamental[0]) == pytest.approx(-30, abs=0.5)


def test_a_string_plucked_in_the_middle_lacks_its_even_partials() -> None:
    """Node of every even partial (Jaffe and Smith 1983)."""
    rig = Rig("plucked-string", pitch_note=45, place=0.5, brightness=1, decay_s=30, hardness=1)
    out = rig.run(2 * SECOND, trigger=pulses([0.01], 2.0))["out"][-SECOND:]
    spectrum = np.abs(np.fft.rfft(out * np.hanning(SECOND)))
    odd = max(spectrum[108:113].max(), spectrum[328:333].max())
    assert 20 * np.log10(max(spectrum[218:223].max(), spectrum[438:443].max()) / odd) < -25
