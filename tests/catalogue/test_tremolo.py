"""Tremolo."""

from __future__ import annotations

import numpy as np

from rig import Rig


def test_tremolo_with_the_sides_apart_wanders() -> None:
    rig = Rig("tremolo", rate_hz=2, depth=1, hardness=0, apart=1)
    out = rig.run(48000, audio=np.ones(48000))
    total = out["out"] + out["out_right"]
    np.testing.assert_allclose(total, 1.0, atol=1e-6)
    assert out["out"].max() > 0.99
    assert out["out"].min() < 0.01
