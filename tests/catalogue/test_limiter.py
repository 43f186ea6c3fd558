"""Limiter."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, tone

SECOND = round(RATE)


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
