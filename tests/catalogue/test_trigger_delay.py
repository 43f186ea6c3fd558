"""Trigger delay."""

from __future__ import annotations

import numpy as np
import pytest

from rig import Rig, rises, ticks


def test_trigger_delay_is_exact_and_keeps_all_under_way() -> None:
    out = Rig("trigger-delay", delay_s=0.1, length_s=0.001).run(60 * 200, trigger=ticks(40, 200))["out"]
    assert (rises(out) == 4800 + 200 * np.arange((12_000 - 4800) // 200)).all()
    assert out.sum() == pytest.approx(48 * len(rises(out)), abs=48)
