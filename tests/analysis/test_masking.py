"""Which layer covers which."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.analysis.masking import BANDS_HZ, KEPT, Masking, band_powers
from rig import RATE, tone


def test_the_power_of_a_sine_stands_in_its_band() -> None:
    """A sine of amplitude 1 has a mean square of -3.01 dB (definition)."""
    powers = band_powers(tone(1000, 8192 / RATE).astype(np.float32), RATE)
    assert BANDS_HZ[int(np.argmax(powers))] == pytest.approx(1000)
    assert 10 * np.log10(powers.max()) == pytest.approx(-3.01, abs=0.1)


def looks(masking: Masking, covered: int, of: int) -> None:
    """A soft layer at 1 kHz, and a loud one that is there so many times."""
    for k in range(of):
        soft, loud = np.full(len(BANDS_HZ), 1e-10), np.full(len(BANDS_HZ), 1e-10)
        soft[14:16] = 1e-4
        if k < covered:
            loud[13:17] = 1e-2
        masking.add({"drip": soft, "fog": loud})


def test_the_worst_case_names_both_the_stretch_and_the_share() -> None:
    masking = Masking()
    looks(masking, KEPT // 2, KEPT)
    worst = masking.worst()
    assert worst is not None
    assert (worst.above, worst.below) == ("fog", "drip")
    assert worst.low_hz == pytest.approx(BANDS_HZ[14] / 2 ** (1 / 6))
    assert worst.high_hz == pytest.approx(BANDS_HZ[15] * 2 ** (1 / 6))
    assert worst.share == pytest.approx(0.5)
    assert worst.by_db == pytest.approx(20, abs=0.01)
    assert masking.worst("fog") is None


def test_what_is_rare_or_has_just_begun_is_not_told() -> None:
    rare, new = Masking(), Masking()
    looks(rare, KEPT // 20, KEPT)
    looks(new, 3, 3)
    assert rare.worst() is None
    assert new.worst() is None
