"""The inspector's place: beside the lanes, or over their right edge where the window is narrow."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Signal
from PySide6.QtWidgets import QBoxLayout, QWidget

__all__ = ["NARROW", "Drawer"]

NARROW = 1180
"""Px below which the panel lies over the lanes, and only while something is selected."""


class Drawer(QObject):
    """Keeps a panel at the right of a page.

    Parameters
    ----------
    page : QWidget
        The widget that holds the panel; ``row`` is its layout.
    over : QWidget
        The part of the page whose right edge the panel covers where the window is narrow.

    Signals
    -------
    covered (int)
        How many px of the page the panel now covers.
    """

    covered = Signal(int)

    def __init__(self, page: QWidget, row: QBoxLayout, panel: QWidget, over: QWidget) -> None:
        super().__init__(page)
        self._page, self._row, self._panel, self._over = page, row, panel, over
        self._needed, self._shown = False, True
        row.addWidget(panel)
        for part in (page, over):
            part.installEventFilter(self)

    @property
    def narrow(self) -> bool:
        """Whether the panel covers the page."""
        return self._page.window().width() < NARROW

    def need(self, needed: bool) -> None:
        """Whether there is something to show."""
        self._needed = needed
        self.fit()

    def toggle(self) -> None:
        """Show the panel, or put it away, until the same is asked again."""
        self._shown = not self._shown
        self.fit()

    def fit(self) -> None:
        """Put the panel where it belongs."""
        if self.narrow:
            self._row.removeWidget(self._panel)
            self._lay_over()
        elif self._row.indexOf(self._panel) < 0:
            self._row.addWidget(self._panel)
        if self._panel.property("drawer") != self.narrow:
            self._panel.setProperty("drawer", self.narrow)
            self._panel.style().polish(self._panel)
        self._panel.setVisible(self._shown and (self._needed or not self.narrow))
        self.covered.emit(self._panel.width() if self.narrow and self._panel.isVisible() else 0)

    def _lay_over(self) -> None:
        """Place the panel over the right edge of what it covers."""
        width, under = self._panel.maximumWidth(), self._over.geometry()
        self._panel.setGeometry(under.right() + 1 - width, under.top(), width, under.height())
        self._panel.raise_()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The page, or what the panel covers, has been resized by the layout."""
        if event.type() == QEvent.Type.Resize and watched is self._page:
            self.fit()
        elif event.type() == QEvent.Type.Resize and self.narrow:
            self._lay_over()
        return False
