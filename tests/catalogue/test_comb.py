"""Comb."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import lfilter

from measuring import impulse_of_shaping, pitch_hz
from rig import RATE, Rig

SECOND = round(RATE)


def test_comb_is_the_filter_of_its_formula() -> None:
    """y[n] = x[n] + g y[n - 100] at 480 Hz (Schroeder 1962), by scipy.signal.lfilter."""
    note = 69 + 12 * np.log2(480 / 440)
    noise = np.random.default_rng(1).uniform(-0.1, 0.1, 4800)
    ours = Rig("comb", pitch_note=note, feedback=0.7, damping=0).run(4800, audio=noise)["out"]
    np.testing.assert_allclose(ours, lfilter([1], [1, *np.zeros(99), -0.7], noise), atol=1e-6)


@pytest.mark.parametrize("note", [33.0, 60.3, 81.0, 93.0])
@pytest.mark.parametrize(("damping", "feedback"), [(0.0, 0.998), (0.1, 0.998), (0.5, 0.998), (0.5, -0.998)])
def test_comb_rings_in_tune(note: float, damping: float, feedback: float) -> None:
    """Within a cent of the note (ISO 16:1975), an octave lower where the feedback is negative."""
    hz = 440 * 2 ** ((note - 69) / 12) * (0.5 if feedback < 0 else 1.0)
    rig = Rig("comb", pitch_note=note, feedback=feedback, damping=damping)
    out = rig.run(2 * SECOND, audio=impulse_of_shaping(2 * SECOND))["out"]
    assert abs(1200 * np.log2(pitch_hz(out, hz) / hz)) < 1.0
