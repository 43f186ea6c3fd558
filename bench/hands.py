"""Hands that build patches in the real window: they send input events, and count gestures.

A gesture is a click, a drag, a turn of the wheel, a key chord, or something typed, with the Enter that takes it. Hands
see what a user sees (where cards, rails and buttons are); they change nothing but by their events.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QFileDialog, QLineEdit, QPushButton, QWidget

from dunefall.app.shell.window import MainWindow

__all__ = ["Hands"]

LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
PAUSE_MS, DIALOG_MS, FOCUS_S, MOST_TABS = 30, 250, 3.0, 200


class Hands:
    """Gestures in one window.

    Parameters
    ----------
    window : MainWindow
        The window that they work in.
    folder : Path
        Where they save.
    keys : bool
        They touch no mouse: what they would click they reach by keys.

    Attributes
    ----------
    count : int
        How many there were.
    done : list of str
        What they were.
    """

    def __init__(self, window: MainWindow, folder: Path, *, keys: bool = False) -> None:
        self.window, self.folder, self.count, self.done = window, folder, 0, list[str]()
        self.keys = keys

    def _gesture(self, what: str) -> None:
        """Count it; it begins when what has opened last has the keys, which a desktop's window manager sees to."""
        end = time.monotonic() + FOCUS_S
        while not self._ready() and time.monotonic() < end:
            (QApplication.activeModalWidget() or self.window).activateWindow()
            QTest.qWait(10)
        self.count += 1
        self.done.append(what)

    def _ready(self) -> bool:
        has_keys, modal = QApplication.focusWidget(), QApplication.activeModalWidget()
        return has_keys is not None and (modal is None or has_keys.window() is modal)

    @property
    def _focus(self) -> QWidget:
        widget = QApplication.activeModalWidget() or QApplication.activePopupWidget() or self.window
        return QApplication.focusWidget() or widget

    # -- gestures -------------------------------------------------------------------------------------------------

    def key(self, chord: str, then: Callable[[], None] | None = None) -> None:
        """Press a chord; ``then`` goes on in the dialog that it opens and that waits for an answer."""
        self._gesture(f"press {chord}")
        if then is not None:
            QTimer.singleShot(DIALOG_MS, then)
        combination = QKeySequence(chord)[0]
        QTest.keyClick(self._focus, combination.key(), combination.keyboardModifiers())
        QTest.qWait(PAUSE_MS)

    def typed(self, text: str, *, enter: bool = True) -> None:
        """Type a text, and Enter."""
        self._gesture(f"type “{text}”")
        for letter in text:
            QTest.keyClick(self._focus, letter)
        if enter:
            QTest.keyClick(self._focus, Qt.Key.Key_Return)
        QTest.qWait(PAUSE_MS)

    def add(self, text: str, *, way: int = 0) -> None:
        """The palette's key, a name, and Enter; ``way``: so many presses of the right arrow before it."""
        self.key("A")
        if not way:
            self.typed(text)
            return
        self.typed(text, enter=False)
        for _ in range(way):
            self.key("Right")
        QTest.keyClick(self._focus, Qt.Key.Key_Return)  # it takes what was typed
        QTest.qWait(PAUSE_MS)

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        """Click a widget, or a place of it."""
        if self.keys:
            self._reach(widget)
            if isinstance(widget, QAbstractButton):
                self.key("Return")
            return
        self._gesture(f"click {widget.accessibleName() or type(widget).__name__}")
        QTest.mouseClick(widget, LEFT, PLAIN, at if at is not None else widget.rect().center())
        QTest.qWait(PAUSE_MS)

    def _reach(self, widget: QWidget) -> None:
        """Tab from widget to widget until one has the keys."""
        for _ in range(MOST_TABS):
            has_keys = QApplication.focusWidget()
            if has_keys is not None and has_keys in (widget, widget.focusProxy()):
                return
            self.key("Tab")
        raise TimeoutError(f"{widget.accessibleName() or type(widget).__name__} cannot be reached by Tab")

    def drag(self, widget: QWidget, way: Sequence[QPoint]) -> None:
        """Press at the first place, go along the others, release at the last."""
        self._gesture(f"drag on {widget.accessibleName() or type(widget).__name__}")
        QTest.mousePress(widget, LEFT, PLAIN, way[0])
        for place in way[1:]:
            QTest.mouseMove(widget, place)
            QTest.qWait(8)
        QTest.mouseRelease(widget, LEFT, PLAIN, way[-1])
        QTest.qWait(PAUSE_MS)

    # -- places ---------------------------------------------------------------------------------------------------

    def _found(self, name: str) -> None:
        self.key("Ctrl+F")
        self.typed(name)

    def card(self, name: str) -> None:
        """Click the card that bears a name."""
        if self.keys:
            self._found(name)
            return
        page = self.window.page("build")
        shown = page.canvas.still.layout.cards
        module = next(m for m in page.canvas.still.patch.modules() if m.name == name and m.id in shown)
        box = page.canvas.card_rect(module.id)
        view = page.canvas.viewport()
        if not view.rect().contains(box):
            page.canvas._scroll_to(module.id)  # a user would turn the wheel
            self._gesture("scroll")
            box = page.canvas.card_rect(module.id)
        self.click(view, box.center())

    def head(self, layer: str) -> None:
        """Click a lane's head."""
        if self.keys:
            self._found(f"{layer} output")
            return
        page = self.window.page("build")
        found = next(x for x in page.canvas.still.patch.layers if x.name == layer)
        self.click(page.canvas.viewport(), page.canvas.head_rect(found.id).center())

    def row(self, layer: str) -> None:
        """Click a row of the mix, on its name."""
        rows = self.window.page("mix").rows
        if self.keys:
            self._reach(rows)
            names = [row.layer.name for row in rows.rows]
            here = self.window.session.patch.layer_of(self.window.selection.module).name
            by = names.index(layer) - names.index(here)
            for _ in range(abs(by)):
                self.key("Down" if by > 0 else "Up")
            return
        found = next(row for row in rows.rows if row.layer.name == layer)
        self.click(rows, QPoint(40, round(found.y + found.height / 2)))

    def loop(self) -> None:
        """Draw a way round the listener in the field."""
        field = self.window.page("mix").field
        if self.keys:
            for _ in range(24):
                self.key("Right")
            self.key("Return")
            return
        middle, away = field.rect().center() + QPoint(0, field.height() // 6), field.width() // 4
        turns = [2 * math.pi * k / 24 for k in range(25)]
        way = [middle + QPoint(round(away * math.sin(a)), round(-away * math.cos(a))) for a in turns]
        self.drag(field, way)

    def heard_repeat(self) -> None:
        """Read in the header when the patch repeats."""
        self.wait(lambda: self.window.header.repeats.text() not in ("", "never"))

    def button(self, text: str, within: QWidget | None = None) -> None:
        """Click the button that reads so."""
        whole = within or QApplication.activeWindow() or self.window
        self.click(next(b for b in whole.findChildren(QPushButton) if b.isVisible() and b.text() == text))

    def file(self, path: Path) -> Callable[[], None]:
        """For ``then``: type a path into the file dialog that has opened."""

        def choose() -> None:
            dialog = QApplication.activeModalWidget()
            assert isinstance(dialog, QFileDialog)
            dialog.activateWindow()
            self._gesture(f"type “{path}”")
            field = next(x for x in dialog.findChildren(QLineEdit) if x.isVisible())
            field.selectAll()  # as it is when a dialog opens; a busy machine is late with it
            QTest.keyClicks(field, str(path))  # to the field: what it proposes in a popup is passed over
            self.done[-1] += f", read as “{field.text()}”" if field.text() != str(path) else ""
            QTest.keyClick(field, Qt.Key.Key_Return)
            if dialog.isVisible():
                self.done[-1] += ", not taken"
                dialog.reject()  # so that nothing waits for ever: the file will be missed

        return choose

    # -- waiting --------------------------------------------------------------------------------------------------

    def wait(self, until: Callable[[], bool], seconds: float = 30.0) -> None:
        """Watch and listen; raises TimeoutError."""
        end = time.monotonic() + seconds
        while not until():
            if time.monotonic() > end:
                raise TimeoutError(f"after {self.done[-3:]}: it did not happen in {seconds:.0f} s")
            QTest.qWait(50)

    def heard(self, text: str, seconds: float = 60.0) -> None:
        """Wait for a notice that says something."""
        self.wait(lambda: any(text in notice.text for notice in self.window.notice.kept), seconds)
