"""What is done with takes and their entries: heard, kept, compared, put right; each correction is one undo step."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QListWidget, QVBoxLayout

from dunefall.app.controls.theme import sans
from dunefall.app.model.context import Context
from dunefall.app.workspaces.survey.journalbox import JournalBox
from dunefall.app.workspaces.survey.takesbox import PLAYED, Row, TakesBox
from dunefall.base.errors import DunefallError, ParameterError
from dunefall.base.language import tr, tr_count
from dunefall.base.units import parse_value
from dunefall.base.words import time_told
from dunefall.catalogue.compounds import spec_for
from dunefall.patch.changes import ParamSet
from dunefall.patch.take import END, Edit, Entry, Note, Take
from dunefall.patch.takefiles import TAKE_SUFFIX, save_take
from dunefall.session.edits.moments import mark_moment
from dunefall.session.edits.takes import correct_take, free_take_name, keep_take, kept_take, remove_take, rename_take
from dunefall.session.lanes import compared
from dunefall.session.opening import open_take
from dunefall.session.session import RUN_UP_S

__all__ = ["TakesDesk"]

MOST_LINES = 200


class TakesDesk:
    """Joins the journal, the list of takes and the session.

    Parameters
    ----------
    context : Context
    journal : JournalBox
    takes : TakesBox
    hear : function
        Hears from a time in seconds on.
    """

    def __init__(self, context: Context, journal: JournalBox, takes: TakesBox, hear: Callable[[float], object]) -> None:
        self._context, self._journal, self._takes, self._hear = context, journal, takes, hear
        journal.action_asked.connect(self.do)
        journal.lanes.hear_asked.connect(hear)
        journal.lanes.move_asked.connect(self.move)
        journal.lanes.copy_asked.connect(self.copy)
        takes.keep_asked.connect(self.keep)
        takes.file_asked.connect(self.open_file)
        takes.list.action_asked.connect(self.do_with_take)

    def show(self) -> None:
        """Show the takes, and the journal of the one that is played."""
        session = self._context.session
        take, kept = session.engine.take, session.patch.takes
        heard = session.heard if not session.engine.own else ""
        rows = [] if kept_take(session.patch, heard) else [Row(PLAYED, take, kept=False, heard=True)]
        rows += [Row(one.name, one.take, kept=True, heard=one.name == heard) for one in kept]
        left = session.engine.left
        rows += [Row(tr("Left {k}", k=k + 1), one, kept=False, heard=False) for k, one in enumerate(left)]
        self._takes.show_rows(rows)
        self._journal.show_take(take)

    # -- entries ----------------------------------------------------------------------------------------------------

    def do(self, action: str, index: int) -> None:
        """Do something with an entry of the take that is played."""
        take = self._context.session.engine.take
        if not 0 <= index < len(take.entries):
            return
        entry = take.entries[index]
        if action == "hear":
            self._hear(max(entry.at / take.rate_hz - RUN_UP_S, 0.0))
        elif action == "mute":
            label = tr("Unmute an entry") if entry.muted else tr("Mute an entry")
            self._correct(label, take.with_entry_replaced(index, replace(entry, muted=not entry.muted)), entry)
        elif action == "remove":
            self._correct(tr("Remove an entry"), take.without_entry(index), entry)
        elif action == "copy":
            self.copy(index, round(self._context.session.seconds * take.rate_hz))
        elif action == "change":
            self._change(take, index)
        else:
            self._show_module(index)

    def move(self, index: int, at: int) -> None:
        """Let an entry happen at another sample."""
        take = self._context.session.engine.take
        moved = take.with_entry_moved(index, at)
        if self._correct(tr("Move an entry"), moved, take.entries[index]):
            self._journal.lanes.choose(_index_of(moved, replace(take.entries[index], at=at)))

    def copy(self, index: int, at: int) -> None:
        """Let the same happen at another sample as well."""
        take = self._context.session.engine.take
        added = replace(take.entries[index], at=at, muted=False)
        copied = take.with_entry(added)
        if self._correct(tr("Copy an entry"), copied, added):
            self._journal.lanes.choose(_index_of(copied, added))

    def _correct(self, label: str, take: Take, entry: Entry) -> bool:
        """Put the take right, as one step; one that is not kept yet is kept from now on."""
        session = self._context.session
        known = kept_take(session.patch, session.heard) is not None and not session.engine.own
        name = session.heard if known else free_take_name(session.patch)
        before, session.heard = session.heard, name
        try:
            correct_take(session.document, label, take, entry, name)
        except DunefallError as error:
            session.heard = before
            self._context.tell(f"{error}.")
            return False
        if not known:
            self._context.tell(tr("What was played is kept as {name}, corrected.", name=name))
        self.show()
        return True

    def _change(self, take: Take, index: int) -> None:
        """Ask for another value of an entry that has one."""
        entry = take.entries[index]
        values = [change for change in entry.what.changes if isinstance(change, ParamSet)] if isinstance(
            entry.what, Edit) else []  # fmt: skip
        patch = take.patch_at(entry.at + 1)
        if isinstance(entry.what, Note) and entry.what.velocity:
            self._change_note(take, index, entry.what)
            return
        if len(values) != 1 or not patch.has(values[0].module):
            self._context.tell(tr("Only one value or one note at a time can be changed; this entry is something else."))
            return
        module = patch.module(values[0].module)
        spec = spec_for(module)
        if spec is None:
            return
        param = spec.param(values[0].param)
        text = self._context.talk.ask_text(tr("Change"), f"{module.name} · {param.name}", param.format(values[0].value))
        if text is None:
            return
        try:
            value = param.check(
                parse_value(text, param.unit, choices=param.choices, tempo_bpm=patch.tempo_bpm), f'"{module.name}"'
            )
        except ParameterError as error:
            self._context.tell(f"{error}.")
            return
        assert isinstance(entry.what, Edit)
        changes = tuple(
            replace(change, value=value) if change is values[0] and isinstance(change, ParamSet) else change
            for change in entry.what.changes
        )
        changed = replace(entry, what=Edit(changes))
        self._correct(tr("Change an entry"), take.with_entry_replaced(index, changed), changed)

    def _change_note(self, take: Take, index: int, note: Note) -> None:
        text = self._context.talk.ask_text(tr("Change"), tr("Note"), f"{note.note:g}")
        if text is None:
            return
        try:
            pitch = parse_value(text, "note")
        except ParameterError as error:
            self._context.tell(f"{error}.")
            return
        entry = replace(take.entries[index], what=replace(note, note=pitch))
        self._correct(tr("Change a note"), take.with_entry_replaced(index, entry), entry)

    def _show_module(self, index: int) -> None:
        lane = next(
            (lane for lane in self._journal.lanes.lanes if any(mark.number == index for mark in lane.marks)), None
        )
        if lane is None or not self._context.session.patch.has(lane.module):
            self._context.tell(tr("It belongs to no module that is there now."))
            return
        self._context.shell.show_workspace("build")
        self._context.selection.select(lane.module)

    # -- takes ------------------------------------------------------------------------------------------------------

    def keep(self) -> None:
        """Keep what is played."""
        session = self._context.session
        self._keep(session.engine.take)

    def keep_range(self, first_s: float, last_s: float) -> None:
        """Keep what is played up to the end of a range, and mark the range under the same name."""
        session = self._context.session
        take = session.engine.take
        name = self._keep(
            take.until(round(last_s * take.rate_hz)),
            tr("{time_told} to {time_told_2}", time_told=time_told(first_s), time_told_2=time_told(last_s)),
        )
        if name:
            try:
                mark_moment(session.document, first_s, name, last_s)
            except ParameterError as error:
                self._context.tell(f"{error}.")

    def _keep(self, take: Take, name: str = "") -> str:
        try:
            kept = keep_take(self._context.session.document, take, name)
        except ParameterError as error:
            self._context.tell(f"{error}.")
            return ""
        self._context.tell(tr("{name} is kept with the patch.", name=kept.name))
        self.show()
        return kept.name

    def open_file(self) -> None:
        """Add a take from a file, and hear it."""
        path = self._context.talk.open_file(tr("Add a take"), tr("Takes (*{TAKE_SUFFIX})", TAKE_SUFFIX=TAKE_SUFFIX))
        if path is None:
            return
        try:
            name = self._keep(open_take(path), path.stem)
        except DunefallError as error:
            self._context.talk.warn(tr("The take was not added"), str(error))
            return
        found = kept_take(self._context.session.patch, name)
        if found is not None:
            self._context.session.hear_take(found)

    def do_with_take(self, action: str, row: Row) -> None:
        """Do something with a take of the list."""
        session = self._context.session
        if action == "hear":
            self._hear_take(row)
        elif action == "keep":
            self._keep(row.take, "" if row.heard else row.name)
        elif action == "compare":
            self._context.talk.show(_CompareDialog(row, session.engine.take, self._context.talk.parent))
        elif action == "save":
            self._save(row)
        elif action == "rename":
            name = self._context.talk.ask_text(tr("Rename the take"), tr("Name"), row.name)
            if name:
                named = rename_take(session.document, row.name, name)
                session.heard = named if session.heard == row.name else session.heard
        else:
            remove_take(session.document, row.name)
        self.show()

    def _hear_take(self, row: Row) -> None:
        session = self._context.session
        kept = kept_take(session.patch, row.name) if row.kept else None
        if row.heard:
            self._hear(0.0)
            return
        if kept is None:
            kept = kept_take(session.patch, self._keep(row.take))
            if kept is None:
                return
        session.hear_take(kept)
        if not session.playing:
            session.play()

    def _save(self, row: Row) -> None:
        path = self._context.talk.save_file(
            tr("Save the take"), tr("Takes (*{TAKE_SUFFIX})", TAKE_SUFFIX=TAKE_SUFFIX), f"{row.name}{TAKE_SUFFIX}"
        )
        if path is not None:
            try:
                save_take(row.take, path.with_suffix(TAKE_SUFFIX))
            except DunefallError as error:
                self._context.talk.warn(tr("The take was not saved"), str(error))


def _index_of(take: Take, entry: Entry) -> int:
    """The place of an entry that has just been put in: the last one that is equal to it."""
    return max((k for k, one in enumerate(take.entries) if one == entry), default=-1)


class _CompareDialog(QDialog):
    """What differs between a take and the one that is played."""

    def __init__(self, row: Row, played: Take, parent: object) -> None:
        super().__init__(parent)  # type: ignore[arg-type]
        self.setWindowTitle(tr("{name} beside what is played", name=row.name))
        self.resize(620, 420)
        other = row.take.at_rate(played.rate_hz)
        first, only_row, only_played = compared(other, played)
        column = QVBoxLayout(self)
        said = (
            tr("They sound the same.")
            if first == END
            else tr(
                "They sound the same up to {time_told}, and may differ from there on.",
                time_told=time_told(first / played.rate_hz),
            )
        )
        summary = QLabel(said)
        summary.setFont(sans(13, 600))
        column.addWidget(summary)
        for title, lines in (
            (tr("Only in {name}", name=row.name), only_row),
            (tr("Only in what is played"), only_played),
        ):
            column.addWidget(QLabel(f"{title}: {tr_count('{count} entry', '{count} entries', len(lines))}"))
            listed = QListWidget()
            listed.setAccessibleName(title)
            listed.addItems(lines[:MOST_LINES])
            column.addWidget(listed, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
