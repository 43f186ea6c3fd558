"""Pitch shifter."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, tone


@pytest.mark.parametrize("semitones", [-12.0, 7.0, 12.0])
def test_the_pitch_shifter_shifts_by_semitones(semitones: float) -> None:
    out = Rig("pitch-shifter", shift_st=semitones, window_s=0.1).run(96000, audio=tone(440, 2.0, level=0.5))["out"]
    spectrum = np.abs(np.fft.rfft(out[40000:90000] * np.hanning(50000)))
    assert np.argmax(spectrum) * RATE / 50000 == pytest.approx(440 * 2 ** (semitones / 12), rel=0.02)


@pytest.mark.parametrize("hz", [55.0, 110.0, 440.0, 2000.0])
@pytest.mark.parametrize("shift", [-12.0, -0.3, 7.0, 12.0, 24.0])
def test_a_tone_stays_a_tone(hz: float, shift: float) -> None:
    """Within 2 cents and 1 dB all the time (definition: a sine of another frequency and the same level)."""
    sound = 0.3 * np.sin(2 * np.pi * hz * np.arange(96000) / RATE)
    out = Rig("pitch-shifter", shift_st=shift, watched=("out",)).run(96000, audio=sound)["out"][24000:]
    wanted = hz * 2 ** (shift / 12)
    length = max(round(6 * RATE / wanted), 2400)
    window = np.hanning(length) / np.hanning(length).sum()
    turning = 2 * np.convolve(out * np.exp(-2j * np.pi * wanted * np.arange(len(out)) / RATE), window, "valid")
    turns = np.unwrap(np.angle(turning))
    found = wanted + (turns[-1] - turns[0]) / (2 * np.pi) * RATE / len(turns)
    assert abs(1200 * np.log2(found / wanted)) < 2.0
    assert np.abs(20 * np.log10(np.abs(turning) / 0.3)).max() < 1.0


def test_noise_keeps_its_power_where_it_is_joined() -> None:
    """What is not alike is faded over at equal power: short-time levels as even as those of the noise itself."""
    noise = np.random.default_rng(1).normal(0, 0.1, 192000)
    out = Rig("pitch-shifter", shift_st=7, watched=("out",)).run(len(noise), audio=noise)["out"][24000:]

    def spread(sound: np.ndarray) -> float:
        levels = 10 * np.log10((sound[: len(sound) // 960 * 960].reshape(-1, 960) ** 2).mean(axis=1))
        return float(np.percentile(levels, 97.5) - np.percentile(levels, 2.5))

    assert spread(out) < spread(noise) + 1.0
