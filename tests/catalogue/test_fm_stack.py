"""FM stack."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.special import jv

from dunefall.catalogue.source.fm_stack import ARRANGEMENTS
from rig import RATE, Rig, level_db

SECOND = round(RATE)


def test_a_pair_of_the_stack_makes_bessel_sidebands() -> None:
    """B at twice A's pitch: amplitudes |J_n(index) + …| at f (1 + 2 n); from scipy.special.jv, with what comes back
    from below 0 Hz (Chowning 1973)."""
    rig = Rig("fm-stack", pitch_note=69, arrangement=3, index=1.5, b_ratio=2, b_level=1, c_level=0, d_level=0, level=1)
    spectrum = 2 * np.abs(np.fft.rfft(rig.run(SECOND)["out"])) / SECOND
    for n in range(4):  # -1 - 2 n comes back onto 1 + 2 n with the other sign
        wanted = abs(jv(n, 1.5) - jv(-1 - n, 1.5)) / np.sqrt(2)
        assert spectrum[440 * (1 + 2 * n)] == pytest.approx(wanted, abs=2e-3)


def test_every_arrangement_is_heard_and_side_by_side_is_four_sines() -> None:
    for number in range(len(ARRANGEMENTS)):
        assert level_db(Rig("fm-stack", arrangement=number).run(4800)["out"]) > -30
    levels = {f"{x}_level": 1.0 for x in "abcd"}
    ratios = {"a_ratio": 1.0, "b_ratio": 2.0, "c_ratio": 3.0, "d_ratio": 0.0, "d_hz": 1000.0}
    out = Rig("fm-stack", pitch_note=69, arrangement=7, level=1, **levels, **ratios).run(SECOND)["out"]
    spectrum = 2 * np.abs(np.fft.rfft(out)) / SECOND
    np.testing.assert_allclose(spectrum[[440, 880, 1320, 1000]], 0.5, atol=1e-3)
