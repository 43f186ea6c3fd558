"""Chorus."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, tone


def test_chorus_copies_sway_in_pitch() -> None:
    out = Rig("chorus", copies=1, width=0, dry=0, wet=1, depth_s=0.002, rate_hz=2).run(96000, audio=tone(1000, 2.0))[
        "out"
    ]
    phase = np.unwrap(np.angle(np.fft.ifft(np.fft.fft(out) * (np.arange(96000) < 48000) * 2)))
    hz = np.diff(phase[4000:-4000]) / (2 * np.pi) * RATE
    most = 1000 * 2 * np.pi * 2 * 0.002  # the rate at which the delay changes
    assert hz.max() == pytest.approx(1000 + most, rel=0.004)
    assert hz.min() == pytest.approx(1000 - most, rel=0.004)


def test_feedback_builds_up_and_dies_away() -> None:
    """At its most it rings on for longer, and is gone in the end; it never passes 2 (bounded like every loop)."""
    sound = np.zeros(480_000)
    sound[:2400] = 0.2 * np.random.default_rng(1).normal(size=2400)
    outs = [Rig("chorus", dry=0, wet=1, feedback=share).run(len(sound), audio=sound)["out"] for share in (0.0, 0.95)]
    assert np.abs(outs[1][9600:14400]).max() > 100 * np.abs(outs[0][9600:14400]).max()
    assert np.abs(outs[1]).max() < 2.0
    assert np.abs(outs[1][-4800:]).max() < 1e-3
