"""The Vary workspace: snapshots and blending left, the board in the middle, what differs and the family right."""

from __future__ import annotations

import random
import sys
import time
from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dunefall.app.controls.theme import Theme, sans
from dunefall.app.listening.hearing import HELD_S
from dunefall.app.model.context import Context
from dunefall.app.workspaces.render.commands import offer_set
from dunefall.app.workspaces.vary.board import Board
from dunefall.app.workspaces.vary.card import Shown
from dunefall.app.workspaces.vary.choosing import ChoiceRow
from dunefall.app.workspaces.vary.differs import DiffersPanel
from dunefall.app.workspaces.vary.hearing import PARENT, Hearing
from dunefall.app.workspaces.vary.kept import BEFORE, KeptPanel, do_edit
from dunefall.app.workspaces.vary.parentcard import ParentCard
from dunefall.app.workspaces.vary.present import Present
from dunefall.app.workspaces.vary.steering import Steering
from dunefall.app.workspaces.vary.tree import FamilyTree, generation
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr, tr_count
from dunefall.deliver.workers import Workers
from dunefall.patch.changes import difference
from dunefall.patch.family import DISCARDED, KEPT, State
from dunefall.session.edits import family as edits
from dunefall.vary.desk import COUNT, Comparison, Desk
from dunefall.vary.differences import Difference

__all__ = ["VaryPage"]

RIGHT_W, NARROW_W = 300, 1180
STEP_MS, SETTLE_MS = 50, 400
WORKERS = 2


class VaryPage(QWidget):
    """All of the Vary workspace."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._context, self._theme = context, context.theme
        self.desk = Desk(Workers(WORKERS))
        self.present = Present(context, self.desk)
        self.hearing = Hearing(context.session, self.desk, self.present)
        self._against, self._shown, self._before_since = "", False, 0.0
        self._build()
        self._connect()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._step)
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.timeout.connect(self._ask)

    # -- making -----------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        self.kept = KeptPanel(self._context, self.desk, self.present)
        self.hearing.matched = lambda: self.kept.compare_box.matched
        row.addWidget(self.kept)
        row.addLayout(self._middle(), 1)
        row.addWidget(self._right())
        self._style()

    def _middle(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(8)
        self.choice = ChoiceRow(self.desk)
        self.steering = Steering(self._context, self.desk, self.choice)
        column.addWidget(self.choice)
        top = QHBoxLayout()
        top.setSpacing(8)
        self.parent_card = ParentCard(self._theme)
        top.addWidget(self.parent_card, 1)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.told.setTextFormat(Qt.TextFormat.RichText)
        beside = QVBoxLayout()
        beside.addWidget(self.told, 1)
        beside.addLayout(self._row_of_buttons())
        top.addLayout(beside, 1)
        column.addLayout(top)
        self.board = Board(self._theme)
        column.addWidget(self.board, 1)
        return column

    def _row_of_buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.in_a_row, self.render_set = QPushButton(tr("Hear all in a row")), QPushButton(tr("Render the set…"))
        self.in_a_row.setCheckable(True)
        self.in_a_row.setToolTip(tr("Play one variation after the other; those that are discarded are left out"))
        self.in_a_row.clicked.connect(self._row_pressed)
        self.render_set.setToolTip(
            tr("Make a job in Render of those that are kept; without any, of all but the discarded")
        )
        self.render_set.clicked.connect(self.ask_render)
        for button in (self.in_a_row, self.render_set):
            button.setStyleSheet("padding: 3px 8px")
            row.addWidget(button)
        row.addStretch(1)
        return row

    def _right(self) -> QWidget:
        self.right = QWidget()
        self.right.setObjectName("right")
        self.right.setFixedWidth(RIGHT_W)
        column = QVBoxLayout(self.right)
        column.setContentsMargins(0, 0, 0, 8)
        column.setSpacing(4)
        self.differs = DiffersPanel(self._theme)
        column.addWidget(self.differs, 1)
        column.addWidget(_line())
        head = QHBoxLayout()
        head.setContentsMargins(16, 4, 16, 0)
        title = QLabel(tr("Family tree"))
        title.setFont(sans(14, 600))
        self.tree_told = QLabel()
        head.addWidget(title, 1)
        head.addWidget(self.tree_told)
        column.addLayout(head)
        self.tree = FamilyTree(self._theme)
        box = QHBoxLayout()
        box.setContentsMargins(16, 0, 16, 0)
        box.addWidget(self.tree)
        column.addLayout(box)
        return self.right

    def _connect(self) -> None:
        self.kept.silence_asked.connect(self.stop)
        self.kept.compare_asked.connect(self._compare_with)
        self.kept.before_asked.connect(self.hear_before)
        self.choice.changed.connect(self._choice_changed)
        self.choice.more_asked.connect(self.more)
        self.choice.steer_asked.connect(self.ask_steer)
        self.steering.filled.connect(self._ask)
        self.differs.only_asked.connect(lambda one: self._take((one,), tr("Take {where}", where=one.where)))
        self.differs.rest_asked.connect(self._take_rest)
        self.tree.asked.connect(self.kept.recall)
        self.parent_card.play_asked.connect(lambda share: self._play(self.hearing.play_parent, share))
        self.board.play_asked.connect(self.play)
        self.board.mark_asked.connect(self.mark)
        self.board.parent_asked.connect(self.make_parent)
        self.board.chosen.connect(self.choose)
        self.board.next_asked.connect(self.play_next)
        self._context.closing.connect(self._end)
        self._context.held_key_up.connect(self._key_up)

    def _end(self) -> None:
        self._timer.stop()
        self._settle.stop()
        self.steering.end()
        self.hearing.audition.stop()
        self.desk.close()

    def _style(self) -> None:
        t = self._theme
        self.setStyleSheet(
            f"QWidget#left, QWidget#right {{ background: {t.raised} }}"
            f'QLabel[quiet="true"] {{ color: {t.text2} }}'
            f"QScrollArea#differs, QScrollArea#differs > QWidget > QWidget {{ background: {t.raised} }}"
            f'QPushButton[strong="true"] {{ background: {t.text}; color: {t.on_accent}; font-weight: 600 }}'
            f'QPushButton[strong="true"]:disabled {{ background: {t.line}; color: {t.text2} }}'
        )

    def _do(self, edit: Callable[..., object], *given: object) -> bool:
        """Do an edit; what cannot be done is told."""
        return do_edit(self._context, edit, *given)

    # -- the board --------------------------------------------------------------------------------------------------

    def _choice_changed(self) -> None:
        self._settle.start(SETTLE_MS)
        self.show_patch()

    def more(self) -> None:
        """Fill the board with new variations."""
        self.stop()
        desk, document = self.desk, self._context.session.document
        chosen, seed = desk.chosen(self.present.patch), random.randrange(1, 10_000)

        def fill() -> None:
            given, count = (desk.strength, desk.kinds), self.choice.count.value()
            edits.fill_board(document, chosen, *given, seed=seed, count=count, know=desk.know)

        if self._do(fill):
            self._ask()
            if self.present.states:
                self.board.focus(self.present.states[0].id)

    def ask_steer(self) -> None:
        """Ask where variations should go, and search for them; or end the search."""
        self.stop()
        self.steering.ask(self.present.sounding)
        self._timer.start(STEP_MS)

    def _ask(self) -> None:
        """Have made what is shown and not there yet."""
        if not self._shown:
            return
        try:
            self.desk.ask(self.present.patch, self.present.parent_patch, self.present.states)
            self.desk.ask_snapshots(self.present.patch, self.present.family.snapshots)
        except DunefallError as error:
            self._context.tell(str(error))
        self._timer.start(STEP_MS)

    def mark(self, state: State, mark: str) -> None:
        """Keep or discard a variation, or no longer."""
        if mark == DISCARDED and self.hearing.playing == state.id:
            self.stop()
        self._do(edits.mark_state, self._context.session.document, state.id, mark)

    def make_parent(self, state: State) -> None:
        """Let the patch be a variation: the next ones come from it."""
        self.kept.recall(state.id)

    # -- listening --------------------------------------------------------------------------------------------------

    def _play(self, play: Callable[..., object], *given: object) -> None:
        """Play something that was listened to ahead."""
        self.kept.blend.pause()
        self._do(play, *given)
        self._timer.start(STEP_MS)
        self._show_cards()
        self._show_differs()

    def play(self, state: State, share: float = 0.0) -> None:
        """Play a variation, as loud as its parent; or stop it."""
        self._against = ""
        self._play(self.hearing.play_state, state, share)

    def play_next(self) -> None:
        """Play the next variation that was not heard."""
        state = self.hearing.next_new()
        if state is not None:
            self.play(state)
            self.board.focus(state.id)
        else:
            busy = self.desk.looks.busy
            self._context.tell(
                tr("The others are being rendered.") if busy else tr("All variations on the board were heard.")
            )

    def _row_pressed(self, on: bool) -> None:
        self.stop()
        self.hearing.in_a_row = on
        if on:
            self._play(self.hearing.play_on, "")

    def stop(self) -> None:
        """End what plays; the patch sounds again if it did before."""
        if self.hearing.stop():
            self._show_cards()

    def hear_before(self, on: bool) -> None:
        """While a variation plays: its parent at the same place, or the variation again. Else the patch as it was
        kept last, or as it is."""
        self._before_since = time.monotonic() if on else 0.0
        self.kept.compare_box.show_before(on)
        state = self.present.family.state(self.hearing.chosen)
        if self.hearing.playing and state is not None:
            self._play(self.hearing.turn, state, on)
        else:
            self.kept.hear_before(on, self.present.sounding)

    @property
    def before(self) -> bool:
        """Whether it is before that is heard; an edit ends it."""
        return self._context.session.trial.part == BEFORE or (bool(self._before_since) and bool(self.hearing.playing))

    def _key_up(self) -> None:
        """A key that was held ends what it began; one that was pressed shortly does not."""
        if self.before and time.monotonic() - self._before_since > HELD_S:
            self.hear_before(False)

    def ask_render(self) -> None:
        """Offer the variations in Render as one job."""
        recipe, states = self.present.family.recipe, self.present.states
        kept = [state.number for state in states if state.mark == KEPT]
        numbers = kept or [state.number for state in states if state.mark != DISCARDED]
        parent = self.present.parent
        if not recipe or not numbers or parent is None:
            self._context.tell(tr("There is no set to render: fill the board first, and keep some of it."))
        elif difference(self.present.parent_patch, self.present.patch):
            self._context.tell(tr("The patch is no longer {title}: recall it first, the set is made from it.",
                                  title=parent.title))  # fmt: skip
        else:
            offer_set(self._context, recipe, numbers)

    # -- what differs -----------------------------------------------------------------------------------------------

    def choose(self, state: State) -> None:
        """Compare a variation with its parent."""
        self._against = ""
        if state.id != self.hearing.chosen:
            self.hearing.chosen = state.id
            self._timer.start(STEP_MS)
        self._show_differs()

    def _compare_with(self, state_id: str) -> None:
        self._against = state_id
        self._timer.start(STEP_MS)
        self._show_differs()

    def comparison(self) -> tuple[Comparison, tuple[str, str]] | None:
        """What is compared now, and the names of both."""
        family = self.present.family
        against, chosen = family.state(self._against), family.state(self.hearing.chosen)
        try:
            if against is not None:
                return self.desk.compare(self.present.sounding, self.present.patch_of(against)), (
                    tr("the patch"),
                    against.title,
                )
            parent = family.state(chosen.parent) if chosen is not None else None
            if chosen is not None and parent is not None:
                found = self.desk.compare(self.present.patch_of(parent), self.present.patch_of(chosen))
                return found, (parent.title, chosen.title)
        except DunefallError as error:
            self._context.tell(str(error))
        return None

    def _show_differs(self) -> None:
        found = self.comparison()
        if found is None:
            self.differs.show_nothing(
                tr("Go to a variation, or play it, to see what it changes and how much is heard of it.")
            )
            return
        comparison, names = found
        patch = self.present.patch
        taken = [edits.are_made(patch, one.changes) for one in comparison.found]
        self.differs.show_comparison(comparison, names, taken)

    def _take(self, found: tuple[Difference, ...], label: str) -> None:
        changes = [change for one in found for change in one.changes]
        self._do(edits.take_over, self._context.session.document, changes, label)

    def _take_rest(self, one: Difference) -> None:
        found = self.comparison()
        if found is not None:
            rest = tuple(other for other in found[0].found if other is not one)
            self._take(rest, tr("Take all but {where}", where=one.where))

    # -- showing ----------------------------------------------------------------------------------------------------

    def _step(self) -> None:
        """Let the work go on, and show what is new."""
        self.steering.step()
        new = self.desk.step()
        for error in self.desk.looks.unexpected:
            sys.excepthook(type(error), error, error.__traceback__)
        self.desk.looks.unexpected.clear()
        new = self.hearing.step() or new
        self.in_a_row.setChecked(self.hearing.in_a_row)
        if self.hearing.playing:
            self._show_place()
        if new:
            self._show_cards()
            self._show_differs()
            self.kept.snapshots.viewport().update()
        if not self.desk.busy and not self.hearing.playing and not self.steering.runs:
            self._timer.stop()

    def _show_place(self) -> None:
        card = self.board.cards.get(self.hearing.playing)
        if card is not None:
            card.show_state(self._card_of(card.shown.state))
        self.parent_card.show_place(self.hearing.place_of(PARENT))

    def _card_of(self, state: State) -> Shown:
        parent = self.present.parent_patch
        try:
            told = self.desk.told(parent, self.present.patch_of(state))
        except DunefallError as error:
            self._context.tell(str(error))
            return Shown(state)
        return Shown(state, told.look, self.desk.look(parent), told.words, told.change, told.kinds,
                     self.hearing.heard(state), self.hearing.place_of(state.id))  # fmt: skip

    def _show_cards(self) -> None:
        """Every card as it is known now."""
        states, parent = self.present.states, self.present.parent
        self.board.show_states(states, self._card_of)
        name = parent.title if parent else tr("the patch")
        self.parent_card.show_parent(name, self._origin(parent), self.desk.look(self.present.parent_patch))
        self.parent_card.show_place(self.hearing.place_of(PARENT))
        self._show_told(states)

    def _origin(self, parent: State | None) -> str:
        family = self.present.family
        above = family.state(parent.parent) if parent else None
        if parent is None or above is None:
            return tr("the patch as it is now") if parent is None else tr("the first of its family")
        return tr(
            "child of {title}\ngeneration {generation}", title=above.title, generation=generation(family, parent.id) + 1
        )

    def _show_told(self, board: list[State]) -> None:
        if not board:
            self.told.setText(tr("<b>No variations yet.</b><br>Choose what may change, how far, and press "
                                 "<b>{COUNT} more</b>. Each is rendered ahead, with its picture and how it differs.",
                                 COUNT=COUNT))  # fmt: skip
            return
        kept, gone = (sum(state.mark == mark for state in board) for mark in (KEPT, DISCARDED))
        heard = sum(self.hearing.heard(state) for state in board)
        left = sum(self.desk.look(self.present.patch_of(state)) is None for state in board)
        counts = tr("{heard} heard, {kept} kept, {gone} discarded", heard=heard, kept=kept, gone=gone)
        counts = tr("{counts}, {left} rendering", counts=counts, left=left) if left else counts
        parent = self.present.parent
        origin = parent.title if parent else tr("the patch")
        told = tr_count("<b>{count} variation of {origin}</b>", "<b>{count} variations of {origin}</b>", len(board),
                        origin=origin)  # fmt: skip
        keys = tr("P plays, N the next, K keeps, X discards, Enter: parent")
        self.told.setText(f"{told} &nbsp; {counts}<br>{keys}")

    def show_patch(self) -> None:
        """The patch or what is kept of it has changed."""
        if not self._shown:
            return
        family = self.present.family
        self.kept.show_patch()
        self.kept.compare_box.show_before(self.before)
        self.choice.show_patch(self.present.patch, self._context.selection.inside)
        self.tree.show_family(family)
        generations = max((generation(family, state.id) for state in family.states), default=-1) + 1
        deep = tr_count("{count} generation", "{count} generations", generations)
        held = tr_count("{count} sound", "{count} sounds", len(family.states))
        self.tree_told.setText(f"{deep}, {held}" if family.states else "")
        self._show_cards()
        self._show_differs()
        self._settle.start(SETTLE_MS)

    def show_selection(self) -> None:
        """What is selected in Build may be varied alone."""
        if self._shown:
            self.choice.show_patch(self.present.patch, self._context.selection.inside)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.kept.set_theme(theme)
        self.board.set_theme(theme)
        self.differs.set_theme(theme)
        self.tree.set_theme(theme)
        self.parent_card.set_theme(theme)
        self._style()
        self.show_patch()

    def listen(self, on: bool) -> None:
        """What plays stops when another workspace is shown; nothing on the board is lost."""
        self._shown = on
        if on:
            self.show_patch()
            self._ask()
        else:
            self.kept.blend.pause()
            self.stop()
            self._timer.stop()

    def animate(self) -> None:
        """Nothing here follows the sound."""

    def follow(self) -> None:
        """Nothing is kept."""

    def hear(self, message: object) -> None:
        """The engine has nothing to say to it."""

    def take_focus(self) -> None:
        """The first variation; without any, what makes some."""
        first = next(iter(self.board.cards.values()), None)
        (first or self.choice.more).setFocus()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow window what differs makes way."""
        self.right.setVisible(self.width() >= NARROW_W)
        super().resizeEvent(event)


def _line() -> QFrame:
    line = QFrame()
    line.setFrameShape(QFrame.Shape.HLine)
    return line
