"""Vowel."""

from __future__ import annotations

import pytest

from dunefall.catalogue.shape.vowel import FORMANTS_HZ
from measuring import response
from rig import RATE

SECOND = round(RATE)


@pytest.mark.parametrize("vowel", range(5))
def test_a_vowel_has_its_published_formants(vowel: int) -> None:
    """Peaks of the response within 6 % of the first two formants (Peterson and Barney 1952, from memory)."""
    levels = response("vowel", vowel=vowel, sharpness=0.8)
    for hz in FORMANTS_HZ[vowel, :2]:
        near = levels[round(0.85 * hz) : round(1.15 * hz)]
        assert round(0.85 * hz) + int(near.argmax()) == pytest.approx(hz, rel=0.06)
    shifted = response("vowel", vowel=2, sharpness=0.8, shift_st=12)
    assert abs(int(shifted[1200:1700].argmax()) + 1200 - 1460) < 60
