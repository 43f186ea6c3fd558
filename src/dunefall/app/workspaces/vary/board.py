"""The board: cards in a grid, as many beside each other as there is room for."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QScrollArea, QWidget

from dunefall.app.controls.theme import Theme
from dunefall.app.workspaces.vary.card import CARD_W, Card, Shown
from dunefall.patch.family import State

__all__ = ["Board"]

GAP, NARROWER = 8, 12
AT_ONCE = 4
MOST_COLUMNS, LAST_ROW = 6, 400


class Board(QScrollArea):
    """Cards of the variations.

    Attributes
    ----------
    cards : dict of str to Card
        By the id of the state.

    Signals
    -------
    play_asked (object, float), mark_asked (object, str), parent_asked (object), chosen (object), next_asked ()
        See ``Card``.
    """

    play_asked = Signal(object, float)
    mark_asked = Signal(object, str)
    parent_asked = Signal(object)
    chosen = Signal(object)
    next_asked = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.cards: dict[str, Card] = {}
        self._more: Callable[[], None] = lambda: None
        self._waiting = QTimer(self)
        self._waiting.setSingleShot(True)
        self._waiting.timeout.connect(lambda: self._more())
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        page = QWidget()
        self._grid = QGridLayout(page)
        self._grid.setContentsMargins(0, 0, GAP, 0)
        self._grid.setSpacing(GAP)
        self.setWidget(page)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        for card in self.cards.values():
            card.set_theme(theme)

    def show_states(self, states: Sequence[State], shown_of: Callable[[State], Shown]) -> None:
        """Show these, one card each; of many new cards the last ones a moment later, so that nothing waits for them."""
        self._waiting.stop()
        if [state.id for state in states] != list(self.cards):
            now = states[: len(self.cards) + AT_ONCE]
            self._make(now)
            if len(now) < len(states):
                self._more = partial(self.show_states, list(states), shown_of)
                self._waiting.start(0)
        for state in states[: len(self.cards)]:
            self.cards[state.id].show_state(shown_of(state))

    def _make(self, states: Sequence[State]) -> None:
        """A card for each; those that there are already are used again."""
        free = list(self.cards.values())
        self.cards = {state.id: free.pop(0) if free else self._card(state) for state in states}
        for card in free:
            self._grid.removeWidget(card)
            card.hide()
            card.deleteLater()
        self._lay_out()

    def _card(self, state: State) -> Card:
        card = Card(Shown(state), self._theme)
        card.play_asked.connect(self.play_asked)
        card.mark_asked.connect(self.mark_asked)
        card.parent_asked.connect(self.parent_asked)
        card.chosen.connect(self.chosen)
        card.next_asked.connect(self.next_asked)
        card.step_asked.connect(self._step_to)
        return card

    @property
    def _columns(self) -> int:
        return max(1, min(MOST_COLUMNS, (self.viewport().width()) // (CARD_W + GAP - NARROWER)))

    def _lay_out(self) -> None:
        columns = self._columns
        for k, card in enumerate(self.cards.values()):
            self._grid.addWidget(card, k // columns, k % columns)
        for column in range(MOST_COLUMNS):
            self._grid.setColumnStretch(column, int(column < columns))
        self._grid.setRowStretch(LAST_ROW, 1)

    def _step_to(self, state: State, right: int, down: int) -> None:
        at = list(self.cards).index(state.id) + right + down * self._columns
        if 0 <= at < len(self.cards):
            self.focus(list(self.cards)[at])

    def focus(self, state_id: str) -> None:
        """Put the keys on a card, in sight."""
        self.cards[state_id].setFocus()
        self.ensureWidgetVisible(self.cards[state_id])

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Another width has another number of columns."""
        super().resizeEvent(event)
        self._lay_out()
