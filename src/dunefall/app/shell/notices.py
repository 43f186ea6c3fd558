"""Sentences that are shown below the header for a while."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QLabel

from dunefall.app.controls.theme import Theme

__all__ = ["Notices"]

SHOWN_MS = 12_000


class Notices(QLabel):
    """What was told last."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setWordWrap(True)
        self.setAccessibleName("Notice")
        self.hide()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self.set_theme(theme)

    def tell(self, text: str) -> None:
        """Show a sentence."""
        self.setText(text)
        self.show()
        self._timer.start(SHOWN_MS)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self.setStyleSheet(
            f"background: {theme.card}; color: {theme.text}; border-bottom: 2px solid {theme.edge}; padding: 6px 16px"
        )
