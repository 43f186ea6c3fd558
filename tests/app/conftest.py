"""The window with the demo that tests of the application share, module by module."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from dunefall.app.controls.theme import NOON
from dunefall.app.shell.window import MainWindow
from dunefall.engine.messages import EngineOptions
from dunefall.session import Session, open_patch


@pytest.fixture(scope="module")
def demo_window(qapp: object) -> Iterator[MainWindow]:
    """It is shown; what a test changes stays for the next one of its file, unless that is taken back."""
    window = MainWindow(Session(*open_patch("demo:"), EngineOptions(audio="simulated")), NOON)
    window.show()
    yield window
    window.session.document.mark_saved(None)
    window.close()
