"""What the program tells: short sentences over the foot of the page. They never move the page, and none is lost."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLabel, QListWidget, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from dunefall.app.controls.accessible import announce
from dunefall.app.controls.theme import Theme, sans
from dunefall.base.language import tr

__all__ = ["Notice", "NoticeDialog", "Notices"]

SHOWN_MS, MOST_SHOWN, MOST_KEPT = 12_000, 3, 100
WIDTH, EDGE = 640, 12


class Notice(NamedTuple):
    """A sentence, and the time it was shown (seconds since the epoch)."""

    text: str
    told_at: float


class _Row(QWidget):
    """One sentence, with what can be done about it."""

    def __init__(self, notices: Notices, text: str, action: tuple[str, Callable[[], object]] | None) -> None:
        super().__init__(notices)
        self.text = text
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 6, 6, 6)
        words = QLabel(text)
        words.setWordWrap(True)
        words.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        line.addWidget(words, 1)
        if action is not None:
            button = QPushButton(action[0])
            button.clicked.connect(lambda: self._act(action[1]))
            button.setFixedHeight(26)
            line.addWidget(button)
        close = QPushButton("×")
        close.setProperty("plain", True)
        close.setFixedSize(26, 26)
        close.setAccessibleName(tr("Close the notice"))
        close.clicked.connect(lambda: notices.take_away(self))
        line.addWidget(close)
        self._notices = notices
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName(text)
        self.timer = QTimer(self)
        self.timer.setSingleShot(True)
        self.timer.timeout.connect(lambda: notices.take_away(self))
        self.timer.start(SHOWN_MS)

    def _act(self, action: Callable[[], object]) -> None:
        self._notices.take_away(self)
        action()


class Notices(QWidget):
    """Up to three sentences at the foot of a page; a new one goes below those not yet read.

    Attributes
    ----------
    kept : deque of Notice
        All notices, the newest last; `NoticeDialog` shows them.
    """

    def __init__(self, page: QWidget, theme: Theme) -> None:
        super().__init__(page)
        self._page, self._rows = page, list[_Row]()
        self.kept: deque[Notice] = deque(maxlen=MOST_KEPT)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self.setAccessibleName(tr("Notices"))
        self.setFont(sans(13))
        page.installEventFilter(self)
        self.set_theme(theme)
        self.hide()

    def text(self) -> str:
        """The latest notice."""
        return self.kept[-1].text if self.kept else ""

    def tell(self, text: str, action: tuple[str, Callable[[], object]] | None = None) -> None:
        """Show a sentence for a while, with a button for what can be done about it.

        The same sentence again only stays longer.
        """
        self.kept.append(Notice(text, time.time()))
        announce(self, text)
        for row in self._rows:
            if row.text == text:
                row.timer.start(SHOWN_MS)
                return
        for row in self._rows[: max(0, len(self._rows) + 1 - MOST_SHOWN)]:
            self.take_away(row)
        row = _Row(self, text, action)
        self._rows.append(row)
        self._column.addWidget(row)
        self._stand()

    def clear(self) -> None:
        """Take everything away; it can still be looked back at."""
        for row in list(self._rows):
            self.take_away(row)

    def take_away(self, row: QWidget) -> None:
        """A sentence has been read, or its time is over."""
        if row in self._rows:
            self._rows = [other for other in self._rows if other is not row]
            self._column.removeWidget(row)
            row.hide()
            row.deleteLater()
            self._stand()

    def _stand(self) -> None:
        """Over the middle of the page's foot, as high as the sentences need."""
        self.setVisible(bool(self._rows))
        if self._rows:
            width = min(WIDTH, self._page.width() - 2 * EDGE)
            self.setFixedWidth(width)
            height = sum(
                row.heightForWidth(width) if row.hasHeightForWidth() else row.sizeHint().height() for row in self._rows
            )
            height += 4 * (len(self._rows) - 1)
            self.setGeometry((self._page.width() - width) // 2, self._page.height() - height - EDGE, width, height)
            self.raise_()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The page has another size."""
        if event.type() == QEvent.Type.Resize:
            self._stand()
        return super().eventFilter(watched, event)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self.setStyleSheet(
            f"_Row {{ background: {theme.text}; border-radius: 6px }} _Row QLabel {{ color: {theme.raised} }} "
            f"_Row QPushButton {{ color: {theme.raised}; background: transparent; border: 1px solid {theme.edge}; "
            'padding: 0 10px } _Row QPushButton[plain="true"] { border: 0; padding: 0; margin: 0; text-align: center }'
        )


class NoticeDialog(QDialog):
    """Every notice, the newest first."""

    def __init__(self, notices: Notices, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Earlier notices"))
        self.resize(560, 420)
        column = QVBoxLayout(self)
        self.list = QListWidget()
        self.list.setWordWrap(True)
        self.list.setAccessibleName(tr("Earlier notices"))
        for notice in reversed(notices.kept):
            self.list.addItem(f"{time.strftime('%H:%M:%S', time.localtime(notice.told_at))}  {notice.text}")
        if not notices.kept:
            self.list.addItem(tr("There are no notices yet."))
        column.addWidget(self.list)
        close = QPushButton(tr("Close"))
        close.clicked.connect(self.accept)
        column.addWidget(close)
