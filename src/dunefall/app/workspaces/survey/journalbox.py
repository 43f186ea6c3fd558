"""The journal of the take: its lanes, under a row that tells the chosen entry and what can be done with it."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dunefall.app.controls.theme import Theme, sans
from dunefall.app.workspaces.survey.axis import Axis
from dunefall.app.workspaces.survey.journal import ROW, JournalLanes
from dunefall.base.language import tr, tr_count
from dunefall.patch.take import Take
from dunefall.session.lanes import Lanes, told

__all__ = ["JournalBox"]

MOST_ROWS, HEAD_H, BELOW = 5, 32, 6


class JournalBox(QWidget):
    """What was done by hand; it is not there while nothing was.

    Signals
    -------
    action_asked (str, int)
        See ``JournalLanes``.
    """

    action_asked = Signal(str, int)

    def __init__(self, theme: Theme, axis: Axis) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        row = QWidget()
        row.setFixedHeight(HEAD_H)
        head = QHBoxLayout(row)
        head.setContentsMargins(16, 4, 12, 4)
        head.setSpacing(6)
        title, self.count, self.told = QLabel(tr("By hand")), QLabel(), QLabel()
        title.setFont(sans(12, 600))
        self.count.setProperty("quiet", True)
        for widget in (title, self.count):
            head.addWidget(widget)
        head.addSpacing(12)
        head.addWidget(self.told, 1)
        self.buttons: dict[str, QPushButton] = {}
        self.lanes = JournalLanes(theme, axis)
        for action, text, tip in (
            ("hear", tr("Hear it"), tr("Hear it, from two seconds before")),
            ("change", tr("Change…"), tr("Another value")),
            ("mute", tr("Mute"), tr("Keep it, but let it do nothing (M)")),
            ("copy", tr("Copy to playhead"), tr("The same again, where the playhead is")),
            ("remove", tr("Remove"), tr("Take it out (Delete)")),
        ):
            button = QPushButton(text)
            button.setFont(sans(11, 600))
            button.setStyleSheet("padding: 2px 7px")
            button.setMinimumHeight(24)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, a=action: self.action_asked.emit(a, self.lanes.chosen))
            self.buttons[action] = button
            head.addWidget(button)
        self.lanes.chosen_changed.connect(self._show_chosen)
        self.lanes.action_asked.connect(self.action_asked)
        column.addWidget(row)
        column.addWidget(self.lanes, 1)
        column.addSpacing(BELOW)
        self._take: Take | None = None
        self._sorter = Lanes()
        self.setVisible(False)

    def show_take(self, take: Take) -> None:
        """Show the journal of a take.

        Parameters
        ----------
        take : Take
            What was played, and what is still to come of it.
        """
        if self._take is not None and take.entries == self._take.entries:
            return
        if self._take is None or take.start is not self._take.start:
            self.lanes.choose(-1)
        self._take = take
        lanes = self._sorter.of(take)
        self.setVisible(bool(lanes))
        self.setFixedHeight(HEAD_H + ROW * min(len(lanes), MOST_ROWS) + BELOW)
        number = tr_count("{count} entry", "{count} entries", len(take.entries))
        self.count.setText(
            tr_count("{entries} in {count} lane", "{entries} in {count} lanes", len(lanes), entries=number)
        )
        self.lanes.show_lanes(lanes, take.rate_hz)
        self._show_chosen()

    def _show_chosen(self) -> None:
        chosen, take = self.lanes.chosen, self._take
        there = take is not None and 0 <= chosen < len(take.entries)
        for button in self.buttons.values():
            button.setVisible(there)
        self.told.setText(told(take, chosen) if there and take else "")
        self.told.setToolTip(self.told.text())
        if there and take:
            self.buttons["mute"].setText(tr("Unmute") if take.entries[chosen].muted else tr("Mute"))
