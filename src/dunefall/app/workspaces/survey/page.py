"""The Survey workspace: what is to come on one axis, findings, events and moments beside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from dunefall.app.controls.theme import Theme
from dunefall.app.model.context import Context
from dunefall.app.workspaces.render.commands import offer_range
from dunefall.app.workspaces.survey.commands import mark_now
from dunefall.app.workspaces.survey.eventsbox import EventsBox
from dunefall.app.workspaces.survey.findingsbox import FindingsBox
from dunefall.app.workspaces.survey.journalbox import JournalBox
from dunefall.app.workspaces.survey.looking import Looking
from dunefall.app.workspaces.survey.momentsbox import MomentsBox
from dunefall.app.workspaces.survey.plot import Shown, TimePlot
from dunefall.app.workspaces.survey.rangebar import RangeBar
from dunefall.app.workspaces.survey.statusrow import StatusRow
from dunefall.app.workspaces.survey.takesbox import TakesBox
from dunefall.app.workspaces.survey.takesdesk import TakesDesk
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.units import range_told
from dunefall.base.words import time_told
from dunefall.patch.model import Moment
from dunefall.session.edits.cures import apply_cure, cured
from dunefall.session.edits.modules import set_param
from dunefall.session.edits.moments import mark_moment, remove_moment, rename_moment
from dunefall.session.session import RUN_UP_S
from dunefall.survey.findings import Finding, outcome_db
from dunefall.survey.likeness import WINDOW_S, Period
from dunefall.survey.outlook import Outlook
from dunefall.survey.places import Step

__all__ = ["SurveyPage"]

RIGHT_W, NARROW_W, HIGH = 300, 1180, 640


class SurveyPage(QWidget):
    """All of the Survey workspace."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._context, self._theme = context, context.theme
        self.looking = Looking(context, self)
        self._ignored: set[tuple[str, tuple[str, ...]]] = set()
        self._at_finding, self._shown = -1, False
        self._until = QTimer(self)
        self._until.setSingleShot(True)
        self._then: Callable[[], object] = lambda: None
        self._until.timeout.connect(lambda: self._then())
        self._build()
        self._connect()
        self._style()

    # -- making -----------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        left = QVBoxLayout()
        left.setSpacing(0)
        self.status, self.plot, self.range_bar = StatusRow(self._theme), TimePlot(self._theme), RangeBar()
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.plot)
        left.addWidget(self.status)
        left.addWidget(area, 1)
        self.journal = JournalBox(self._theme, self.plot.axis)
        left.addWidget(self.journal)
        left.addWidget(self.range_bar)
        row.addLayout(left, 1)
        self.right = QWidget()
        self.right.setObjectName("right")
        self.right.setFixedWidth(RIGHT_W)
        column = QVBoxLayout(self.right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.findings, self.events = FindingsBox(), EventsBox(self._theme)
        self.takes, self.moments = TakesBox(), MomentsBox()
        column.addWidget(self.findings, 4)
        column.addWidget(_line())
        column.addWidget(self.events)
        self.below_events = _line()
        column.addWidget(self.below_events)
        column.addWidget(self.takes, 2)
        column.addWidget(_line())
        column.addWidget(self.moments, 2)
        row.addWidget(self.right)

    def _connect(self) -> None:
        self.looking.changed, self.looking.drawing_s = self._show, lambda: self.plot.took_s
        self.desk = TakesDesk(self._context, self.journal, self.takes, self.hear_from)
        self._context.session.ahead = self.looking.ahead
        self.plot.redrawn.connect(self.journal.lanes.update)
        self.plot.hear_asked.connect(self.hear_from)
        self.plot.range_changed.connect(self._show_range)
        self.plot.solo_asked.connect(self.toggle_solo)
        self.plot.pair_asked.connect(self.hear_pair)
        self.status.far_chosen.connect(self.looking.set_seconds)
        self.status.paused.connect(self._pause)
        self.status.target_chosen.connect(self.choose_target)
        self.findings.time_asked.connect(self._hear_finding)
        self.findings.module_asked.connect(self._show_module)
        self.findings.step_asked.connect(self._show_step)
        self.findings.cure_asked.connect(self.cure)
        self.findings.ignore_asked.connect(self.ignore)
        self.findings.cure_looked_at.connect(self._show_outcome)
        self.findings.cure_heard.connect(self._hear_cured)
        self.findings.never_asked.connect(self.never_show)
        self.findings.all_asked.connect(self.show_all_findings)
        self.moments.mark_asked.connect(self.mark)
        self.moments.list.action_asked.connect(self._do_with_moment)
        self.range_bar.range_typed.connect(self.plot.set_range)
        self.range_bar.hear_asked.connect(self.hear_range)
        self.range_bar.mark_asked.connect(self.mark)
        self.range_bar.keep_asked.connect(self._keep_range)
        self.range_bar.loop_asked.connect(lambda: self._offer(loop=True))
        self.range_bar.render_asked.connect(lambda: self._offer(loop=False))
        self.range_bar.refused.connect(self._context.tell)
        self._context.closing.connect(self._end)

    def _end(self) -> None:
        self._until.stop()
        self.looking.end()

    def _style(self) -> None:
        t = self._theme
        self.setStyleSheet(
            f"QWidget#right {{ background: {t.raised} }}"
            f'QLabel[quiet="true"] {{ color: {t.text2} }}'
            f"QScrollArea#findings, QScrollArea#findings > QWidget > QWidget {{ background: {t.raised} }}"
            f"QFrame#finding {{ border: none; border-top: 1px solid {t.line} }}"
            f"QFrame#chosen {{ border: none; border-top: 1px solid {t.line}; border-left: 3px solid {t.text} }}"
            f"RangeBar {{ border-top: 1px solid {t.line} }}"
            f"JournalBox {{ background: {t.ground} }}"
        )

    # -- hearing ----------------------------------------------------------------------------------------------------

    def hear_from(self, seconds: float) -> None:
        """Hear what was looked at, from a time on."""
        session = self._context.session
        self._until.stop()
        session.seek(seconds)
        if not session.playing:
            session.play()

    def hear_range(self) -> None:
        """Hear the range, then pause."""
        if self.plot.range is None:
            return
        first, last = self.plot.range
        self.hear_from(first)
        self._after(last - first, self._context.session.pause)

    def hear_pair(self, pair: int) -> None:
        """Hear both stretches of a pair, one after the other."""
        report = self.looking.report
        if report is None or pair >= len(report.alike):
            return
        alike = report.alike[pair]
        self.hear_from(alike.first_s)
        self._after(WINDOW_S, lambda: self.hear_from(alike.second_s))

    def _after(self, seconds: float, then: Callable[[], object]) -> None:
        self._then = then
        self._until.start(round(1000 * seconds))

    def _hear_finding(self, finding: Finding, at: int) -> None:
        found = self.shown_findings
        self._at_finding = found.index(finding) if finding in found else -1
        self._show()
        seconds = at / self.looking.view.rate_hz
        self.plot.axis.reveal(seconds)
        self.hear_from(max(seconds - RUN_UP_S, 0.0))

    def _do_with_moment(self, action: str, moment: Moment) -> None:
        if action == "hear":
            self._hear_moment(moment)
        elif action == "rename":
            self._rename(moment)
        else:
            remove_moment(self._context.session.document, moment)

    def _hear_moment(self, moment: Moment) -> None:
        if moment.until_s:
            self.plot.set_range(moment.at_s, moment.until_s)
        self.plot.axis.reveal(moment.at_s)
        self.plot.redraw()
        self.hear_from(moment.at_s)

    def _pause(self, on: bool) -> None:
        self.looking.outlook.paused = on
        self._show()

    def toggle_solo(self, layer: str) -> None:
        """Hear a layer alone, or all again."""
        document = self._context.session.document
        end = document.patch.module(document.patch.layer(layer).output_id)
        set_param(document, end.id, "solo", 0.0 if end.params.get("solo", 0.0) else 1.0)
        document.end_merge()

    # -- findings ---------------------------------------------------------------------------------------------------

    @property
    def shown_findings(self) -> list[Finding]:
        """What was found and is not ignored."""
        report = self.looking.report
        unwanted = self._context.settings.values.unwanted
        wanted = [f for f in report.findings if f.kind not in unwanted] if report else []
        return [f for f in wanted if f.key not in self._ignored]

    def go_to_finding(self, by: int) -> None:
        """Hear the next finding that has a time, or the one before."""
        found = self.shown_findings
        for _ in found:
            self._at_finding = (self._at_finding + by) % len(found)
            finding = found[self._at_finding]
            if finding.has_time:
                self._hear_finding(finding, finding.times[0])
                return
        self._context.tell(tr("Nothing was found so far.") if not found else tr("No finding has a time of its own."))

    def cure(self, finding: Finding) -> None:
        """Do what is proposed about a finding."""
        if finding.cure is None:
            return
        self._show_outcome(None)
        changed = apply_cure(self._context.session.document, finding.cure)
        if changed:
            self._context.selection.select(changed)
            self._context.tell_undoable(tr("{text}: done.", text=finding.cure.text))
        else:
            self._context.tell(tr("{text}: that is not possible any more.", text=finding.cure.text))

    def _hear_cured(self, finding: Finding | None) -> None:
        """Hear a finding's place with its cure, from a little before; with None, without it again."""
        session = self._context.session
        if finding is None or finding.cure is None:
            session.trial.end()
            return
        if finding.has_time:
            self._hear_finding(finding, finding.times[0])
        elif not session.playing:
            session.play()
        made = cured(session.patch, finding.cure)
        if made is not None:
            session.trial.hear(*made)

    def ignore(self, finding: Finding) -> None:
        """Show a finding no more."""
        self._ignored.add(finding.key)
        self._show()

    def _show_outcome(self, finding: Finding | None) -> None:
        self.plot.show_outcome(outcome_db(self._context.session.patch, finding.cure if finding else None))

    def never_show(self, finding: Finding) -> None:
        """Show findings of this kind no more, in any patch."""
        settings = self._context.settings
        settings.change(unwanted=(*settings.values.unwanted, finding.kind))
        self._show()

    def show_all_findings(self) -> None:
        """Show again what is ignored."""
        self._ignored.clear()
        self._context.settings.change(unwanted=())
        self._show()

    def _show_module(self, module: str) -> None:
        if self._context.session.patch.has(module):
            self._context.shell.show_workspace("build")
            self._context.selection.select(module)

    def _show_step(self, step: Step) -> None:
        self._context.shell.show_workspace("build")
        self._context.selection.select(step.module)
        self._context.selection.step_asked.emit(step.series, step.number)

    def choose_target(self, lufs: float | None) -> None:
        """Want another loudness, or any."""
        self.status.target.setCurrentIndex(self.status.target.findData(lufs))
        self.looking.set_limits(replace(self.looking.limits, target_lufs=lufs))

    # -- moments and ranges -----------------------------------------------------------------------------------------

    def mark(self) -> None:
        """Mark the range, or what is heard now."""
        if self.plot.range is None:
            mark_now(self._context)
            return
        try:
            mark_moment(self._context.session.document, self.plot.range[0], until_s=self.plot.range[1])
        except ParameterError as error:
            self._context.tell(f"{error}.")

    def _keep_range(self) -> None:
        if self.plot.range is not None:
            self.desk.keep_range(*self.plot.range)

    def _rename(self, moment: Moment) -> None:
        asked = tr("Name of the moment at {time_told}", time_told=time_told(moment.at_s))
        name = self._context.talk.ask_text(tr("Rename the moment"), asked, moment.name)
        if name:
            rename_moment(self._context.session.document, moment, name)

    def _offer(self, *, loop: bool) -> None:
        if self.plot.range is not None:
            offer_range(self._context, *self.plot.range, loop=loop)

    # -- showing ----------------------------------------------------------------------------------------------------

    def _show(self) -> None:
        if not self._shown:
            return
        looking, patch = self.looking, self._context.session.patch
        outlook, view, report = looking.outlook, looking.view, looking.report
        known = tr("all of it") if outlook.done else _known(outlook)
        target, off = looking.limits.target_lufs, looking.limits.off_lu
        aim = None if target is None else (target - off, target + off)
        found, statement, sound = self.shown_findings, "", ""
        if report is not None:
            statement, sound = report.exact[""], _by_sound(report.period, *outlook.known_s)
            self.events.show_numbers(report.numbers)
        ignored = len(report.findings) - len(found) if report is not None else 0
        self.findings.show_findings(found, view, self._at_finding, known, ignored)
        alike = report.alike if report else ()
        numbers = report.numbers if report else None
        self.plot.show_all(Shown(view, numbers, aim, statement, sound, alike, found, patch.moments))
        self.desk.show()
        self.status.show_outlook(outlook, looking.seconds, self._context.session.seconds)
        self._show_range()

    def _show_range(self) -> None:
        self.range_bar.show_range(self.plot.range, self.looking.view)

    def show_patch(self) -> None:
        """The patch, or what is marked in it, has changed."""
        if self._shown:
            self.moments.show_moments(self._context.session.patch.moments)
            self._show()

    def show_selection(self) -> None:
        """What is selected does not matter here."""

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        for part in (self.status, self.plot, self.events, self.journal.lanes):
            part.set_theme(theme)
        self._style()
        self._show()

    def listen(self, on: bool) -> None:
        """Look ahead while the page is shown; what is known stays."""
        self._shown = on
        if on:
            self.moments.mark.setToolTip(
                tr("Mark what is heard now ({key_of}), or the range", key_of=self._context.key_of("mark_moment"))
            )
            self.looking.run(True)
            self.show_patch()
        else:
            self._until.stop()
            self.looking.run(False)

    def animate(self) -> None:
        """The playhead moves."""
        seconds = self._context.session.seconds
        self.plot.show_playhead(seconds)
        self.journal.lanes.show_playhead(seconds)

    def follow(self) -> None:
        """Nothing is kept."""

    def hear(self, message: object) -> None:
        """What the engine says of what is looked ahead at."""
        self.looking.hear(message)

    def take_focus(self) -> None:
        """The plots."""
        self.plot.setFocus()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow window events make way."""
        for part in (self.events, self.below_events):
            part.setVisible(self.height() >= HIGH)
        self.right.setFixedWidth(RIGHT_W if self.width() >= NARROW_W else RIGHT_W - 40)
        super().resizeEvent(event)


def _known(outlook: Outlook) -> str:
    """The part that is known."""
    first_s, last_s = outlook.known_s
    if first_s:
        return range_told(time_told(first_s), time_told(last_s))
    return tr("up to {time_told}", time_told=time_told(last_s))


def _by_sound(period: Period | None, first_s: float, last_s: float) -> str:
    if period is not None:
        return tr("by sound: every {seconds:.1f} s", seconds=period.seconds)
    if first_s:
        return tr("by sound: no repeat from {first} to {last}", first=time_told(first_s), last=time_told(last_s))
    return tr("by sound: no repeat up to {time_told}", time_told=time_told(last_s))


def _line() -> QFrame:
    line = QFrame()
    line.setFrameShape(QFrame.Shape.HLine)
    return line
