"""The window with the demo that tests of the application share, module by module."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtCore import QCoreApplication, QEvent
from PySide6.QtWidgets import QApplication

from dunefall.app.controls.theme import NOON
from dunefall.app.shell.window import MainWindow
from dunefall.engine.messages import EngineOptions
from dunefall.session import Session, open_patch


@pytest.fixture(autouse=True)
def _closed_windows_are_gone() -> Iterator[None]:
    """A closed window would still be restyled and counted in every later test."""
    yield
    if QApplication.instance() is None:
        return
    for window in QApplication.topLevelWidgets():
        if isinstance(window, MainWindow) and not window.isVisible():
            window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture(scope="module")
def demo_window(qapp: object) -> Iterator[MainWindow]:
    """It is shown; what a test changes stays for the next one of its file, unless that is taken back."""
    window = MainWindow(Session(*open_patch("demo:"), EngineOptions(audio="simulated")), NOON)
    window.show()
    yield window
    window.session.document.mark_saved(None)
    window.close()
