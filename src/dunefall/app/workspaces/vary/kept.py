"""The left of Vary: snapshots, before and after, and going from one snapshot to another."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QVBoxLayout, QWidget

from dunefall.app.controls.theme import Theme
from dunefall.app.model.context import Context
from dunefall.app.workspaces.vary.blendbox import BlendBox
from dunefall.app.workspaces.vary.comparebox import CompareBox
from dunefall.app.workspaces.vary.present import Present
from dunefall.app.workspaces.vary.snapshots import SnapshotList
from dunefall.app.workspaces.vary.squaredialog import SquareDialog
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr
from dunefall.base.words import listed
from dunefall.catalogue.compounds import spec_for
from dunefall.patch.changes import ParamSet, difference
from dunefall.patch.family import State
from dunefall.patch.model import Patch
from dunefall.patch.states import recalled
from dunefall.session.edits import family as edits
from dunefall.session.edits.controls import blend_control
from dunefall.vary.blend import blended, on_square
from dunefall.vary.desk import Desk
from dunefall.vary.looks import Look

__all__ = ["BEFORE", "KeptPanel", "do_edit", "keep_snapshot"]

WIDTH = 220
BEFORE = "before"
MOVES = {"up": -1, "down": 1}


def do_edit(context: Context, edit: Callable[..., object], *given: object) -> bool:
    """Do an edit; what cannot be done is told."""
    try:
        edit(*given)
    except DunefallError as error:
        context.tell(f"{str(error)[:1].upper()}{str(error)[1:]}.")
        return False
    return True


def keep_snapshot(context: Context, name: str = "", part: str = "") -> None:
    """Keep the patch, or a part of it, as it is now.

    Parameters
    ----------
    context : Context
        The window's.
    name : str
        Of the snapshot; "": one that is free.
    part : str
        Layer, module or compound; "": the whole patch.
    """
    document = context.session.document
    if do_edit(context, edits.keep_snapshot, document, name, part):
        kept = document.patch.family.snapshots[-1]
        context.tell(tr("{title} is kept: it is in Vary. F2 in its list gives it another name.", title=kept.title))


class KeptPanel(QWidget):
    """What is kept, and what can be done with it.

    Signals
    -------
    silence_asked ()
        The patch is to be heard: what else plays should stop.
    compare_asked (str)
        What differs between the patch and the snapshot of this id.
    before_asked (bool)
        Before is to be heard, or no longer.
    """

    silence_asked = Signal()
    compare_asked = Signal(str)
    before_asked = Signal(bool)

    def __init__(self, context: Context, desk: Desk, present: Present) -> None:
        super().__init__()
        self._context, self._desk, self._present = context, desk, present
        self._summed: tuple[State, State, str] | None = None
        self.setObjectName("left")
        self.setFixedWidth(WIDTH)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 10, 16, 8)
        column.setSpacing(6)
        self.snapshots = SnapshotList(context.theme)
        self.compare_box, self.blend = CompareBox(), BlendBox()
        self.keep = self.compare_box.keep
        column.addLayout(self.compare_box.head)
        column.addWidget(self.snapshots, 1)
        self.nothing = QLabel(tr("None yet. A snapshot holds the patch as it is, to come back to or to blend with."))
        self.nothing.setWordWrap(True)
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.nothing, 1)
        for part in (self.compare_box, self.blend):
            line = QFrame()
            line.setFrameShape(QFrame.Shape.HLine)
            column.addWidget(line)
            column.addWidget(part)
        self._connect()

    def _connect(self) -> None:
        rows = self.snapshots
        self.keep.clicked.connect(lambda: keep_snapshot(self._context))
        rows.action_asked.connect(self._do_with_snapshot)
        rows.about = self._about
        rows.look_of = self._look_of_state
        self.blend.moved.connect(self._blend_moved)
        self.blend.started.connect(self.silence_asked)
        self.blend.control_asked.connect(self._make_control)
        self.blend.square_asked.connect(self.ask_square)
        self.blend.summary = self._blend_summary
        self.compare_box.pressed.connect(lambda: self.before_asked.emit(True))
        self.compare_box.released.connect(lambda: self.before_asked.emit(False))

    def _whole(self, state: State) -> Patch:
        """The patch as it is now, with what a state holds."""
        return recalled(self._present.patch, self._present.patch_of(state), state.part)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self.snapshots.theme = theme
        self.snapshots.viewport().update()

    def show_patch(self) -> None:
        """What is kept of the patch has changed."""
        family = self._present.family
        self.snapshots.show_states(family.snapshots, family.now)
        self.snapshots.setVisible(bool(family.snapshots))
        self.nothing.setVisible(not family.snapshots)
        self.blend.show_states(family.snapshots)
        now = family.state(family.now)
        self.compare_box.show_ends(now.title if now else "")

    # -- snapshots --------------------------------------------------------------------------------------------------

    def _do_with_snapshot(self, action: str, state: State) -> None:
        document = self._context.session.document
        if action == "renew":
            do_edit(self._context, edits.renew_snapshot, document, state.id)
        elif action in MOVES:
            do_edit(self._context, edits.move_snapshot, document, state.id, MOVES[action])
        else:
            asked = {
                "recall": self.recall,
                "compare": self.compare_asked.emit,
                "rename": self.rename,
                "remove": self.remove,
            }
            asked[action](state.id)

    def recall(self, state_id: str) -> None:
        """Bring a state back; undo takes that back."""
        self.blend.pause()
        self.silence_asked.emit()
        state = self._present.family.state(state_id)
        if state is not None and do_edit(self._context, edits.recall, self._context.session.document, state_id):
            self._context.tell_undoable(tr("{title} is back.", title=state.title))

    def rename(self, state_id: str) -> None:
        """Ask for another name of a snapshot."""
        state = self._present.family.state(state_id)
        name = self._context.talk.ask_text(tr("Rename the snapshot"), tr("Name"), state.name if state else "")
        if name:
            do_edit(self._context, edits.name_state, self._context.session.document, state_id, name)

    def remove(self, state_id: str) -> None:
        """Keep a snapshot no longer."""
        state = self._present.family.state(state_id)
        if state is not None and do_edit(self._context, edits.remove_state, self._context.session.document, state_id):
            self._context.tell_undoable(tr("{name} was removed.", name=state.title))

    def _about(self, state: State) -> str:
        when = state.made[11:] if state.made.startswith(datetime.now().strftime("%Y-%m-%d")) else state.made[:10]
        if state.part:
            return tr("part, {when}", when=when)
        try:
            return tr("seed {seed:04d}, {when}", seed=self._present.patch_of(state).seed, when=when)
        except DunefallError:
            return tr("cannot be read, {when}", when=when)

    def _look_of_state(self, state: State) -> Look | None:
        try:
            return self._desk.look(self._present.patch_of(state))
        except DunefallError:
            return None

    # -- blending ---------------------------------------------------------------------------------------------------

    def _ends(self, first: str, last: str) -> tuple[Patch, Patch] | None:
        family = self._present.family
        states = family.state(first), family.state(last)
        if states[0] is None or states[1] is None:
            return None
        try:
            return self._whole(states[0]), self._whole(states[1])
        except DunefallError as error:
            self._context.tell(str(error))
            return None

    def _blend_moved(self, first: str, last: str, share: float, ended: bool) -> None:
        ends = self._ends(first, last)
        if ends is None:
            return
        self.silence_asked.emit()
        family, document = self._present.family, self._context.session.document
        names = [state.title for state in (family.state(first), family.state(last)) if state is not None]
        document.edit(
            tr("Blend {names}", names=listed(names)),
            recalled(self._present.patch, blended(*ends, share)),
            merge="blend",
        )
        if ended:
            document.end_merge()

    def ask_square(self) -> None:
        """Show the square with a snapshot in each corner."""
        dialog = SquareDialog(self._present.family.snapshots, self._context.theme, self._context.talk.parent)
        dialog.moved.connect(self._square_moved)
        self._context.talk.show(dialog)

    def _square_moved(self, corners: tuple[str, str, str, str], x: float, y: float, ended: bool) -> None:
        family, now = self._present.family, self._present.patch
        found = [state for state in map(family.state, corners) if state is not None]
        document = self._context.session.document
        self.silence_asked.emit()
        if len(found) < len(corners):
            return

        def blend() -> None:
            ends = [self._whole(state) for state in found]
            made = on_square((ends[0], ends[1], ends[2], ends[3]), x, y)
            document.edit(tr("Blend four snapshots"), recalled(now, made), merge="square")

        do_edit(self._context, blend)
        if ended:
            document.end_merge()

    def _blend_summary(self, first: str, last: str) -> str:
        """What a blend does, worked out once for two states: it is asked for at every step."""
        states = self._present.family.state(first), self._present.family.state(last)
        if states[0] is None or states[1] is None:
            return ""
        known = self._summed
        if known is None or known[0] is not states[0] or known[1] is not states[1]:
            ends = self._ends(first, last)
            known = self._summed = (states[0], states[1], _summary(*ends) if ends is not None else "")
        return known[2]

    def hear_before(self, on: bool, now: Patch) -> None:
        """While a button or key is held: the patch as it was kept last, as loud as now."""
        trial = self._context.session.trial
        before = self._present.family.state(self._present.family.now)
        if not on:
            trial.end()
        elif before is None:
            self._context.tell(tr("Nothing was kept before: keep a snapshot, and compare with it later."))
        else:
            then = self._whole(before)
            trial.hear(self._desk.as_loud(then, now) if self.compare_box.matched else then, BEFORE)

    def _make_control(self, first: str, last: str) -> None:
        ends, family = self._ends(first, last), self._present.family
        states = family.state(first), family.state(last)
        if ends is None or states[0] is None or states[1] is None:
            return
        name = tr("{title} to {title_2}", title=states[0].title, title_2=states[1].title)
        count = 0

        def make() -> None:
            nonlocal count
            count = blend_control(self._context.session.document, *ends, name)

        if do_edit(self._context, make):
            self._context.tell(
                tr(
                    "{name} moves {count} values now: turn it in Build, or link, MIDI or OSC can move it.",
                    name=name,
                    count=count,
                )
            )


def _summary(first: Patch, last: Patch) -> str:
    """How many values glide, and how many changes switch or fade."""
    changes, glide = difference(first, last), 0
    for change in changes:
        spec = spec_for(first.module(change.module)) if isinstance(change, ParamSet) else None
        glide += isinstance(change, ParamSet) and spec is not None and not spec.param(change.param).choices
    return (
        tr("{glide} glide, {glide_2} switch or fade", glide=glide, glide_2=len(changes) - glide)
        if changes
        else tr("both are the same")
    )
