"""The three shortest of the nine builds of `bench.gestures`, by real input events: few enough, and right."""

from __future__ import annotations

from pathlib import Path

import pytest
from bench.gestures import build, limit
from PySide6.QtWidgets import QApplication


@pytest.mark.parametrize("name", ["first", "slow_wave", "compound"])
def test_a_build_takes_few_gestures_and_is_what_was_asked_for(name: str, qapp: QApplication, tmp_path: Path) -> None:
    hands = build(name, tmp_path)
    assert hands.count <= limit(name), hands.done
