"""Pitch mix."""

from __future__ import annotations

import numpy as np

from rig import Rig


def test_alone_it_is_a_note() -> None:
    assert (Rig("pitch-mix", note=64).run(128)["out"] == 64.0).all()


def test_intervals_add_up() -> None:
    """A fifth and half an octave above C4, the octave turned over (semitones: definition)."""
    a, b = np.full(64, 67.0), np.full(64, 72.0)
    assert (Rig("pitch-mix", note=48, share_b=0.5).run(64, a=a, b=b)["out"] == 48 + 7 + 6).all()
    assert (Rig("pitch-mix", note=60, share_b=-1).run(64, b=b)["out"] == 48.0).all()
