"""Starting the window from the command line's options."""

from __future__ import annotations

import argparse
import os
import sys
import time

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from dunefall.app.theme import apply_theme, load_fonts, wanted_theme
from dunefall.app.window import MainWindow
from dunefall.base.errors import DunefallError
from dunefall.engine.host import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.library import DEMO
from dunefall.patch.model import Patch
from dunefall.session import Session, open_patch

__all__ = ["make_app", "open_window"]

SETTLE_S = 6.0


def make_app(theme: str | None) -> QApplication:
    """The application with the shipped fonts and a theme (None: what the desktop asks for)."""
    app = QApplication.instance() or QApplication(["dunefall"])
    assert isinstance(app, QApplication)
    app.setApplicationName("Dunefall")
    app.setStyle("Fusion")
    load_fonts()
    apply_theme(app, wanted_theme(theme))
    return app


def open_window(options: argparse.Namespace) -> int:
    """Open the window and run until it is closed; returns the exit status.

    Raises
    ------
    DunefallError
        If the patch cannot be opened: no window appears then.
    """
    if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")):
        raise DunefallError(
            "there is no display; start with `xvfb-run dunefall`, `make demo`, or use `dunefall render`"
        )
    name = DEMO if options.demo else options.patch
    patch, path = open_patch(name) if name else (Patch(), None)
    app = make_app(options.theme)
    session = Session(patch, path, EngineOptions(audio=options.audio))
    window = MainWindow(session, wanted_theme(options.theme))
    window.show()
    shots: list[bool] = []
    if options.screenshot is not None:
        _later_screenshot(window, options, shots)
    if options.quit_after is not None:
        _later_quit(window, options.quit_after)
    status = app.exec()
    session.close()
    return 2 if False in shots else status


def _later_screenshot(window: MainWindow, options: argparse.Namespace, shots: list[bool]) -> None:
    """Save the picture when traces have filled, or after half of the time until the end."""
    wait = SETTLE_S if not options.quit_after else min(SETTLE_S, options.quit_after * 0.8)
    ready: list[float] = []

    def look() -> None:
        if not ready and window.session.engine.status[Status.BLOCKS] > 0:
            ready.append(time.monotonic())
        if ready and time.monotonic() - ready[0] >= wait:
            timer.stop()
            good = window.grab().save(str(options.screenshot))
            shots.append(good)
            if not good:
                print(f"dunefall: cannot write the picture {options.screenshot}", file=sys.stderr)
            if options.quit_after is None:
                return

    timer = QTimer(window)
    timer.timeout.connect(look)
    timer.start(50)


def _later_quit(window: MainWindow, seconds: float) -> None:
    """End after some seconds of sound; 0: as soon as the first block has sounded."""
    begun: list[float] = []

    def look() -> None:
        if not begun and window.session.engine.status[Status.BLOCKS] > 0:
            begun.append(time.monotonic())
        if begun and time.monotonic() - begun[0] >= seconds:
            timer.stop()
            window.session.document.mark_saved(window.session.document.path)
            window.close()

    timer = QTimer(window)
    timer.timeout.connect(look)
    timer.start(20)
