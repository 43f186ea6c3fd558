"""A monkey at the window, for a moment: no exception, and undo leads back to the first patch (see `bench.monkey`)."""

from __future__ import annotations

import sys

import pytest
from bench.monkey import Monkey, monkey_window
from PySide6.QtWidgets import QApplication


@pytest.mark.parametrize("seed", [21, 22])
def test_random_gestures_raise_nothing_and_are_undone(
    seed: int, qapp: QApplication, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    window = monkey_window()
    monkey = Monkey(window, seed)
    monkey.round(300)
    monkey.stop()
    window.session.document.mark_saved(None)
    window.close()
    assert not monkey.faults, "\n".join([*monkey.last, *monkey.faults])
