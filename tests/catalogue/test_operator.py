"""FM operator."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import special

from rig import RATE, Rig, level_db, pulses, tone

SECOND = round(RATE)


def partial(sound: np.ndarray, hz: float) -> float:
    """Amplitude of a sine of this frequency in a whole number of its periods."""
    n = np.arange(len(sound))
    return float(2 * abs(np.mean(sound * np.exp(-2j * np.pi * hz * n / RATE))))


@pytest.mark.parametrize("index", [1.0, 2.4048, 5.0])
def test_fm_sidebands_are_bessel_functions(index: float) -> None:
    """Chowning 1973: sidebands at carrier +- n modulator with amplitude |J_n(index)|, tolerance 1e-3."""
    carrier, modulator = 6000.0, 500.0
    phase_in = tone(modulator, 1.0)
    out = Rig("operator", tuning=1, fixed_hz=carrier, index=index, level=1.0).run(round(RATE), phase_in=phase_in)["out"]
    for n in range(6):
        wanted = abs(special.jv(n, index))
        assert partial(out, carrier + n * modulator) == pytest.approx(wanted, abs=1e-3)
        assert partial(out, carrier - n * modulator) == pytest.approx(wanted, abs=1e-3)


def test_operator_tunes_by_ratio_or_by_frequency() -> None:
    by_ratio = Rig("operator", pitch_note=69, ratio=2.5, level=1.0).run(round(RATE))["out"]
    assert partial(by_ratio, 1100.0) == pytest.approx(1.0, abs=1e-3)
    fixed = Rig("operator", pitch_note=69, ratio=2.5, tuning=1, fixed_hz=300.0, level=1.0).run(round(RATE))["out"]
    assert partial(fixed, 300.0) == pytest.approx(1.0, abs=1e-3)


def test_operator_feedback_adds_overtones_that_fall_like_a_saw() -> None:
    """Feedback of one radian: Bessel sum of a wave that bends itself, partial n near 2 J_n(n b) / (n b), b = 1
    (Tomisawa 1979, from memory); the mean of two samples keeps to it within 10 % at low frequencies."""
    out = Rig("operator", tuning=1, fixed_hz=100.0, feedback=1.0, level=1.0).run(round(RATE) * 2)["out"][-round(RATE) :]
    for n in range(1, 5):
        assert partial(out, 100.0 * n) == pytest.approx(2 * special.jv(n, n) / n, rel=0.1)


def test_an_operator_has_a_level_of_its_own() -> None:
    """Silent until struck; 60 dB down after the decay (definition); half the velocity, half the level."""
    gate = pulses([0.1], 1.0)
    rigs = [Rig("operator", pitch_note=69, attack_s=0.001, decay_s=0.4, velocity=velocity) for velocity in (1.0, 0.5)]
    full, half = (rig.run(SECOND, trigger=gate)["out"] for rig in rigs)
    assert (full[:4800] == 0).all()
    fall = level_db(full[14400:15360]) - level_db(full[24000:24960])
    assert fall == pytest.approx(60 * 0.2 / 0.4, abs=0.5)
    np.testing.assert_allclose(half, 0.5 * full, atol=1e-12)


def test_an_operator_s_fine_tuning_is_in_cents() -> None:
    """100 cents are a semitone (definition)."""
    fine = Rig("operator", pitch_note=57, fine_ct=100).run(4800)["out"]
    np.testing.assert_allclose(fine, Rig("operator", pitch_note=58).run(4800)["out"], atol=1e-9)
    beside = Rig("operator", pitch_note=69, ratio=2, fine_ct=-50).run(96000)["out"]
    spectrum = np.abs(np.fft.rfft(beside * np.hanning(96000)))
    assert np.argmax(spectrum) / 2 == pytest.approx(880 * 2 ** (-50 / 1200), abs=0.5)
