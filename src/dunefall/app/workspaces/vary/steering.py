"""Steering in the window: asks for words, lets the search go on, and puts on the board what it finds."""

from __future__ import annotations

import random

from PySide6.QtCore import QObject, Signal

from dunefall.app.model.context import Context
from dunefall.app.workspaces.vary.choosing import ChoiceRow
from dunefall.app.workspaces.vary.kept import do_edit
from dunefall.app.workspaces.vary.steerdialog import SteerDialog
from dunefall.base.language import capital, tr
from dunefall.base.words import listed
from dunefall.patch.model import Patch
from dunefall.session.edits import family as edits
from dunefall.vary.desk import Desk
from dunefall.vary.quest import Quest
from dunefall.vary.steer import MOST_RENDERS

__all__ = ["Steering"]

SOUGHT = 4
"""So many variations are searched for."""


class Steering(QObject):
    """One search at a time.

    Attributes
    ----------
    renders : int
        So many sounds are listened to at most, for each variation that is searched for.

    Signals
    -------
    filled ()
        The board shows what was found.
    """

    filled = Signal()

    def __init__(self, context: Context, desk: Desk, choice: ChoiceRow) -> None:
        super().__init__()
        self._context, self._desk, self._choice = context, desk, choice
        self._quest: Quest | None = None
        self.renders = MOST_RENDERS

    @property
    def runs(self) -> bool:
        """Whether something is searched for."""
        return self._quest is not None

    def ask(self, patch: Patch) -> None:
        """Ask where variations of a patch should go, and search for them; or end the search."""
        if self.runs:
            self.end()
            return
        dialog = SteerDialog(self._choice.told, self._context.talk.parent)
        self._context.talk.show(dialog, lambda: self.begin(patch, dialog.words))

    def begin(self, patch: Patch, words: dict[str, float]) -> None:
        """Search for variations of a patch that go where these words say."""
        seeds = random.sample(range(1, 10_000), SOUGHT)
        desk = self._desk
        desk.looks.forget_waiting()
        self._quest = Quest(desk.workers, patch, desk.chosen(patch), desk.kinds, words, seeds, self.renders)

    def end(self) -> None:
        """End the search; nothing comes of it."""
        quest, self._quest = self._quest, None
        if quest is not None:
            quest.stop()
        self._choice.show_search("")

    def step(self) -> None:
        """Let the search go on."""
        quest = self._quest
        if quest is None:
            return
        if quest.step():
            self._choice.show_search(tr("Searching, {share:.0f} %", share=100 * quest.share))
            return
        self.end()
        if not quest.found:
            self._context.tell(tr("Nothing was found: {listed}.", listed="; ".join(dict.fromkeys(quest.troubles))))
            return
        best = sorted(quest.found.items(), key=lambda one: not one[1].reached)
        words, reached = listed(list(map(tr, quest.words))), sum(found.reached for _, found in best)
        told = tr("{reached} of {count} got there", reached=reached, count=len(best)) if reached else best[0][1].told
        told = f"{capital(words)}: {told}."
        if not any(found.possible for _, found in best):
            self._context.tell(told)
            return
        made, document = [(seed, found.patch) for seed, found in best], self._context.session.document
        if do_edit(self._context, edits.put_on_board, document, made, tr("Steer {words}", words=words)):
            self._context.tell(told)
            self.filled.emit()
