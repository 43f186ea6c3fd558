"""Compressor."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, level_db, tone

SECOND = round(RATE)


def curve(level: float, threshold: float, ratio: float, knee: float) -> float:
    """Static curve with a soft knee (Giannoulis, Massberg and Reiss 2012, eq. 4)."""
    over = level - threshold
    if 2 * over < -knee:
        return level
    if 2 * abs(over) <= knee:
        return level + (1 / ratio - 1) * (over + knee / 2) ** 2 / (2 * knee)
    return threshold + over / ratio


@pytest.mark.parametrize("level", [-40.0, -26.0, -24.0, -20.0, -6.0])
def test_compressor_follows_its_static_curve(level: float) -> None:
    rig = Rig("compressor", threshold_db=-24, ratio=4, knee_db=12, attack_s=0.0002, release_s=0.005)
    out = rig.run(SECOND, audio=np.full(SECOND, 10 ** (level / 20)))["out"]
    assert 20 * np.log10(out[-1]) == pytest.approx(curve(level, -24, 4, 12), abs=0.01)


def test_compressor_ducks_under_its_side_input() -> None:
    side = np.concatenate((np.zeros(SECOND), tone(100, 1)))
    rig = Rig("compressor", threshold_db=-30, ratio=20, attack_s=0.001, release_s=0.05)
    outputs = rig.run(2 * SECOND, audio=tone(1000, 2, level=0.1), side=side)
    first, second = outputs["out"][:SECOND], outputs["out"][SECOND + 4800 :]
    assert level_db(first) == pytest.approx(-23.01, abs=0.1)
    assert level_db(second) < level_db(first) - 20
    assert outputs["reduction"][-1] > 0.8
