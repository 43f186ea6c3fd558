"""Starting the window from the command line's options."""

from __future__ import annotations

import argparse
import os
import signal
import sys
import time
from functools import partial

from PySide6.QtCore import QLibraryInfo, QLocale, QTimer, QTranslator
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from dunefall import APP_ID
from dunefall.app.controls.accessible import install_accessibility
from dunefall.app.controls.theme import apply_theme, load_fonts, wanted_theme
from dunefall.app.listening.keeping import offer_left
from dunefall.app.shell.files import save_copy
from dunefall.app.shell.mishaps import Mishaps
from dunefall.app.shell.reports import Report, offer_reports, reports_folder
from dunefall.app.shell.window import MainWindow
from dunefall.app.workspaces import WORKSPACES
from dunefall.base.collector import freeze_loaded_objects
from dunefall.base.errors import DunefallError
from dunefall.base.folders import errors_file
from dunefall.base.language import LANGUAGES, language, tr
from dunefall.base.preferences import Preferences, preferences_file
from dunefall.compiler.sounds import import_sounds
from dunefall.engine.devices.osc import OscInput
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.library import DATA, DEMO
from dunefall.patch.model import Patch
from dunefall.session import Session, open_patch

__all__ = ["make_app", "open_window"]

SETTLE_S = 6.0
FIRST_FADE_S = 4.0


def make_app(theme: str | None, scale: float = 1.0) -> QApplication:
    """The application with the shipped fonts and a theme (None: what the desktop asks for), everything drawn so many
    times as large."""
    if scale != 1.0:
        os.environ.setdefault("QT_SCALE_FACTOR", f"{scale:g}")
    app = QApplication.instance() or QApplication(["dunefall"])
    assert isinstance(app, QApplication)
    app.setApplicationName("Dunefall")
    app.setDesktopFileName(APP_ID)
    app.setWindowIcon(QIcon(str(DATA / "desktop" / f"{APP_ID}.svg")))
    app.setStyle("Fusion")
    _speak(app)
    install_accessibility()
    load_fonts()
    apply_theme(app, wanted_theme(theme))
    freeze_loaded_objects()
    return app


def _speak(app: QApplication) -> None:
    """Qt's own texts (Cancel, what its file dialog says) and numbers in the language of the window."""
    code = language()
    QLocale.setDefault(QLocale(code if code in LANGUAGES else "en"))
    texts = QTranslator(app)
    if texts.load(f"qtbase_{code}", QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)):
        app.installTranslator(texts)


def open_window(options: argparse.Namespace) -> int:
    """Open the window and run until it is closed; returns the exit status.

    Raises
    ------
    DunefallError
        If the patch cannot be opened: no window appears then.
    """
    if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")):
        raise DunefallError(
            tr("there is no display; start with `xvfb-run dunefall`, `make demo`, or use `dunefall render`")
        )
    names = [workspace.id for workspace in WORKSPACES]
    if options.workspace not in (None, *names):
        raise DunefallError(tr("there is no workspace “{workspace}”; there are {listed}", workspace=options.workspace,
                               listed=", ".join(names)))  # fmt: skip
    preferences = Preferences.load(preferences_file())
    os.environ["DUNEFALL_LANGUAGE"] = language()  # that of the processes that this one begins
    first = not preferences.hints_seen and options.patch is None
    name = DEMO if options.demo or first else options.patch
    patch, path = open_patch(name) if name else (Patch(), None)
    troubles = import_sounds(patch)
    theme = options.theme or preferences.theme or None
    app = make_app(theme, preferences.scale)
    session = Session(patch, path, _engine_options(options, preferences))
    session.clock.on = preferences.follows_clock
    session.follow_transport(preferences.follows_transport)
    if options.osc is not None:
        session.control.osc = OscInput(options.osc)
    alone = options.screenshot is None and options.quit_after is None
    window = MainWindow(session, wanted_theme(theme), preferences if alone else None)
    mishaps = Mishaps(errors_file())
    mishaps.happened.connect(
        lambda text: window.context.talk.tell(text, (tr("Save a copy…"), partial(save_copy, window.context)))
    )
    mishaps.install()
    window.show_workspace(options.workspace or next(iter(window.workspaces)))
    window.show()
    report = _report(window) if alone else None
    if alone:
        window.note_recent(path)
        QTimer.singleShot(0, lambda: _greet(window, first))
    signal.signal(signal.SIGINT, lambda *_: QTimer.singleShot(0, window.close))  # not amid a painting
    if troubles:
        window.context.talk.warn(tr("Some sounds are missing"), "\n".join(troubles))
    errands = _Errands(window, options)
    status = app.exec()
    session.close()
    if report is not None:
        report.close()
    return 2 if errands.failed else status


def _engine_options(options: argparse.Namespace, preferences: Preferences) -> EngineOptions:
    """Devices as the command line says, else as they were chosen last."""
    return EngineOptions(
        options.audio or preferences.audio, preferences.rate, preferences.frames, options.live or preferences.live,
        options.keys or preferences.keys, preferences.clock_out, options.midi_out or preferences.midi_out,
        preferences.osc_out if options.osc_out is None else options.osc_out,
    )  # fmt: skip


def _report(window: MainWindow) -> Report:
    """Write down what is done, for a fault that ends the program."""
    options = window.session.engine.options
    report = Report(reports_folder(), tr("sound {audio}, {rate:.0f} Hz, {frames} frames", audio=options.audio,
                                         rate=options.rate, frames=options.frames))  # fmt: skip
    for name, action in window.actions_by_id.items():
        action.triggered.connect(lambda _=False, name=name: report.note(name))
    return report


def _greet(window: MainWindow, first: bool) -> None:
    """Offer what a crash left behind; at the very first start, play softly and give five hints."""
    if not window.copies.offer() and first:
        window.first_fade_s = FIRST_FADE_S
        window.show_hints()
    offer_left(window.context)
    offer_reports(window.context, reports_folder())


class _Errands:
    """What the options ask of the running window: a picture when it has settled, and to end by itself."""

    def __init__(self, window: MainWindow, options: argparse.Namespace) -> None:
        self.failed = False
        self._window, self._shot, self._end = window, options.screenshot, options.quit_after
        self._wait_s = SETTLE_S if self._end is None else min(SETTLE_S, self._end * 0.8)
        self._begun = 0.0
        self._timer = QTimer(window)
        self._timer.timeout.connect(self._look)
        if self._shot is not None or self._end is not None:
            self._timer.start(20)

    def _look(self) -> None:
        if self._window.session.engine.status[Status.BLOCKS] == 0:
            return
        self._begun = self._begun or time.monotonic()
        passed = time.monotonic() - self._begun
        if self._shot is not None and passed >= self._wait_s:
            self.failed = not self._window.grab().save(str(self._shot))
            if self.failed:
                print(f"dunefall: cannot write the picture {self._shot}", file=sys.stderr)
            self._shot = None
        if self._shot is None and self._end is not None and passed >= self._end:
            self._timer.stop()
            self._window.session.document.mark_saved(self._window.session.document.path)
            self._window.close()
