"""The findings: what, where from, chips that go there, and a cure."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

from PySide6.QtCore import QEvent, Qt, QTimer, Signal
from PySide6.QtGui import QContextMenuEvent, QEnterEvent, QFocusEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from dunefall.app.controls.replacing import replace_content
from dunefall.app.controls.theme import mono, sans
from dunefall.base.language import tr
from dunefall.base.words import time_told
from dunefall.survey.findings import Finding, View

__all__ = ["FindingsBox"]

MOST_CHIPS = 2
HOLD_MS = 350
"""A cure that is held down for so long is heard, and not made."""
B = TypeVar("B", bound=QPushButton)


class _Card(QFrame):
    """One finding; its context menu ignores it."""

    ignore_asked = Signal(object)
    never_asked = Signal(object)

    def __init__(self, finding: Finding, chosen: bool) -> None:
        super().__init__()
        self.finding = finding
        self.setObjectName("chosen" if chosen else "finding")
        self.setAccessibleName(finding.text)
        self.setAccessibleDescription(finding.why)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Offer to ignore it."""
        menu = QMenu(self)
        menu.addAction(tr("Ignore this"), lambda: self.ignore_asked.emit(self.finding))
        menu.addAction(tr("Never show findings of this kind"), lambda: self.never_asked.emit(self.finding))
        menu.popup(event.globalPos())


class _CureButton(QPushButton):
    """A cure; tells when the pointer or the keys come to it, and when they leave. Held down, it is heard first."""

    looked_at = Signal(bool)
    heard = Signal(bool)
    asked = Signal()

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self._held = False
        self._hold = QTimer(self)
        self._hold.setSingleShot(True)
        self._hold.setInterval(HOLD_MS)
        self._hold.timeout.connect(self._begin)
        self.pressed.connect(self._press)
        self.released.connect(self._release)
        self.clicked.connect(self._click)

    def _press(self) -> None:
        self._held = False
        self._hold.start()

    def _begin(self) -> None:
        self._held = True
        self.heard.emit(True)

    def _release(self) -> None:
        self._hold.stop()
        if self._held:
            self.heard.emit(False)

    def _click(self) -> None:
        if not self._held:
            self.asked.emit()

    def enterEvent(self, event: QEnterEvent) -> None:
        """The pointer is over it."""
        self.looked_at.emit(True)
        super().enterEvent(event)

    def leaveEvent(self, event: QEvent) -> None:
        """The pointer has left."""
        self.looked_at.emit(False)
        super().leaveEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """The keys are here."""
        self.looked_at.emit(True)
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """The keys have left."""
        self.looked_at.emit(False)
        super().focusOutEvent(event)


class FindingsBox(QWidget):
    """All findings.

    Signals
    -------
    time_asked (object, int)
        A Finding, and a sample to hear it from.
    module_asked (str)
        Show a module in Build.
    step_asked (object)
        Show a Step in Build.
    cure_asked (object), ignore_asked (object), never_asked (object)
        A Finding.
    all_asked ()
        Show those again that are ignored.
    cure_looked_at (object), cure_heard (object)
        A Finding whose cure is under the pointer or the keys, or is to be heard; or None.
    """

    time_asked = Signal(object, int)
    module_asked = Signal(str)
    step_asked = Signal(object)
    cure_asked = Signal(object)
    ignore_asked = Signal(object)
    never_asked = Signal(object)
    all_asked = Signal()
    cure_looked_at = Signal(object)
    cure_heard = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 10, 4, 4)
        column.setSpacing(4)
        head = QHBoxLayout()
        title = QLabel(tr("Findings"))
        title.setFont(sans(14, 600))
        self.count = QLabel()
        self.count.setProperty("quiet", True)
        head.addWidget(title, 1)
        head.addWidget(self.count)
        self.ignored = QPushButton()
        self.ignored.setStyleSheet("padding: 1px 6px")
        self.ignored.setFont(sans(11, 600))
        self.ignored.setToolTip(tr("Show all of them again"))
        self.ignored.clicked.connect(self.all_asked)
        head.addWidget(self.ignored)
        head.addSpacing(12)
        column.addLayout(head)
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._area.setObjectName("findings")
        column.addWidget(self._area, 1)
        self._shown: object = None
        self.buttons: dict[str, QPushButton] = {}

    def show_findings(self, found: Sequence[Finding], view: View, chosen: int, known: str, ignored: int = 0) -> None:
        """Show findings; ``known`` tells how far they go.

        Parameters
        ----------
        found : sequence of Finding
            The gravest first.
        view : View
            Names and rate.
        chosen : int
            Place of the one that was gone to last, or -1.
        known : str
            As ``up to 14:30``.
        ignored : int
            So many are not shown.
        """
        self.ignored.setText(tr("{ignored} ignored", ignored=ignored))
        self.ignored.setVisible(ignored > 0)
        now = (tuple(found), chosen, id(view.patch))
        self.count.setText(f"{len(found)}, {known}" if found else known)
        if now == self._shown or any(button.isDown() for button in self.buttons.values()):
            return  # what is pressed would be gone before it is let go
        self._shown = now
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(0)
        self.buttons = {}
        for k, finding in enumerate(found):
            column.addWidget(self._card(finding, view, k == chosen))
        if not found:
            column.addWidget(
                _said(tr("No clicks, no clipping, no long silence.") if view.bins else tr("Looking ahead…"))
            )
        column.addStretch(1)
        replace_content(self._area, page)

    def _card(self, finding: Finding, view: View, chosen: bool) -> QWidget:
        card = _Card(finding, chosen)
        card.ignore_asked.connect(self.ignore_asked)
        card.never_asked.connect(self.never_asked)
        column = QVBoxLayout(card)
        column.setContentsMargins(6, 6, 2, 7)
        column.setSpacing(2)
        text = QLabel(("! " if finding.error else "") + finding.text)
        text.setFont(sans(12, 600))
        text.setWordWrap(True)
        column.addWidget(text)
        if finding.why:
            column.addWidget(_said(finding.why))
        column.addLayout(self._row(finding, view))
        return card

    def _row(self, finding: Finding, view: View) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        rate = view.outlook.take.rate_hz
        most = MOST_CHIPS - (finding.step is not None)
        times = finding.times[:most] if finding.has_time else ()
        for at in times:
            told = time_told(at / rate)
            chip = self._button(f"\u2192 {told}", tr("Hear “{text}” at {told}", text=finding.text, told=told))
            chip.setFont(mono(11, 600))
            chip.clicked.connect(lambda _=False, f=finding, a=at: self.time_asked.emit(f, a))
            row.addWidget(chip)
        if finding.step is not None and view.patch.has(finding.step.module):
            name = tr("step {number}", number=finding.step.number + 1)
            chip = self._button(
                f"\u2192 {name}",
                tr("Show {name} of {name_2} in Build", name=name, name_2=view.name(finding.step.module)),
            )
            chip.clicked.connect(lambda _=False, s=finding.step: self.step_asked.emit(s))
            row.addWidget(chip)
        elif not times and finding.modules and view.patch.has(finding.modules[0]):
            name = view.name(finding.modules[0])
            chip = self._button(f"\u2192 {name}"[:18], tr("Show {name} in Build", name=name))
            chip.clicked.connect(lambda _=False, m=finding.modules[0]: self.module_asked.emit(m))
            row.addWidget(chip)
        row.addStretch(1)
        if finding.cure is not None:
            tip = tr("{text}: one step, Undo takes it back. Hold it down to hear it first", text=finding.cure.text)
            cure = self._made(_CureButton(finding.cure.text), tip)
            cure.asked.connect(lambda f=finding: self.cure_asked.emit(f))
            cure.heard.connect(lambda on, f=finding: self.cure_heard.emit(f if on else None))
            cure.looked_at.connect(lambda on, f=finding: self.cure_looked_at.emit(f if on else None))
            row.addWidget(cure)
        return row

    def _button(self, text: str, tip: str) -> QPushButton:
        return self._made(QPushButton(text), tip)

    def _made(self, button: B, tip: str) -> B:
        button.setFont(sans(11, 600))
        button.setStyleSheet("padding: 2px 7px")
        button.setMinimumHeight(24)
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        self.buttons[tip] = button
        return button


def _said(text: str) -> QLabel:
    label = QLabel(text)
    label.setFont(sans(11))
    label.setWordWrap(True)
    label.setProperty("quiet", True)
    return label
