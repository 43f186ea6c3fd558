"""Transpose."""

from __future__ import annotations

import numpy as np
import pytest

from rig import Rig


def test_transpose_glide_and_chord() -> None:
    note = np.repeat([60.0, 72.0], 9600)
    assert Rig("transpose", octaves=-1, semitones=7, cents=50).run(4, pitch=note[:4])["out"][0] == 60 - 12 + 7.5
    even = Rig("glide", time_s=0.1).run(len(note), pitch=note)
    np.testing.assert_allclose(even["out"][9600:14_400], 60 + 12 * np.arange(1, 4801) / 4800, atol=1e-6)
    assert even["gliding"].sum() == pytest.approx(4800, abs=2)
    speed = Rig("glide", time_s=0.1, kind=1).run(len(note), pitch=np.repeat([60.0, 66.0], 9600))["out"]
    assert speed[9600 + 2400] == pytest.approx(66.0, abs=1e-3)
    legato = Rig("glide", time_s=0.1).run(len(note), pitch=note, gate=np.zeros(len(note)))["out"]
    assert legato[9600] == 72.0
    out = Rig("chord", kind=3, inversion=1).run(4, pitch=np.full(4, 60.0))  # C major, first inversion
    assert sorted(out[f"note_{x}"][0] for x in "abcd") == [64, 67, 72, 72]
