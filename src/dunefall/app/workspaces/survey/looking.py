"""Looks ahead at what the engine plays: watches its take, asks the worker, has another thread judge what is known."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

from dunefall.app.model.context import Context
from dunefall.deliver.workers import Workers
from dunefall.patch.model import Patch
from dunefall.patch.take import Take
from dunefall.render.known import Ahead
from dunefall.survey.findings import Limits, View
from dunefall.survey.outlook import Outlook
from dunefall.survey.report import Report, report_of

__all__ = ["Looking"]

STEP_MS, WATCH_MS, SETTLE_MS = 50, 250, 1000
JUDGE_S = 0.7
REST = 4.0
"""So many times as long as it took, nothing is drawn or judged anew: with hours in view both take long."""
USUAL_S = 1200.0


class Looking:
    """The outlook of the window's take.

    Attributes
    ----------
    outlook : Outlook
    limits : Limits
    view : View
        What is known, as it is shown.
    report : Report or None
        What was found in it; None: nothing yet.
    seconds : float
        How far one looks.
    changed : function
        Called when something new is known.
    drawing_s : function
        How long it took to draw what was known.
    """

    def __init__(self, context: Context, parent: QWidget) -> None:
        self._context = context
        self.outlook, self.limits, self.seconds = Outlook(Workers(1)), Limits(), USUAL_S
        self.view = View(self.outlook, context.session.patch)
        self.report: Report | None = None
        self.changed: Callable[[], object] = lambda: None
        self._seen: tuple[Take | None, Patch | None] = (None, None)
        self._judge = ThreadPoolExecutor(1, "dunefall-judge")
        self._judging: Future[Report] | None = None
        self._judged, self._judged_at, self._judge_next = -1, 0.0, 0.0
        self.drawing_s: Callable[[], float] = lambda: 0.0
        self._news, self._drawn_at = False, 0.0
        self._steps, self._watch, self._settle = QTimer(parent), QTimer(parent), QTimer(parent)
        self._settle.setSingleShot(True)
        self._steps.timeout.connect(self._step)
        self._watch.timeout.connect(self._look_for_changes)
        self._settle.timeout.connect(self.look)

    def run(self, on: bool) -> None:
        """Begin, or rest: the worker ends what it has in hand."""
        if on:
            self.look()
            self._steps.start(STEP_MS)
            self._watch.start(WATCH_MS)
        else:
            for timer in (self._steps, self._watch, self._settle):
                timer.stop()

    def end(self) -> None:
        """The window closes."""
        self.run(False)
        self._judge.shutdown(wait=True, cancel_futures=True)
        self.outlook.close()

    def look(self) -> None:
        """Look at the take as it is now; what an edit cannot have changed stays."""
        engine = self._context.session.engine
        self._seen = self._signs()
        before = self.outlook.changes
        self.outlook.look(engine.take, self.seconds)
        if self.outlook.changes != before:
            self._renew()

    def ahead(self, take: Take, position: int) -> Ahead:
        """What is known of a take near a sample. This take is looked at now."""
        if self._steps.isActive():
            before = self.outlook.changes
            self.outlook.look(take, self.seconds)
            if self.outlook.changes != before:
                self._renew()
        return self.outlook.ahead(position) if self.outlook.shows(take) else Ahead()

    def set_seconds(self, seconds: float) -> None:
        """Look so far."""
        self.seconds = seconds
        self.look()

    def set_limits(self, limits: Limits) -> None:
        """Call other things faults."""
        self.limits, self._judged, self._judge_next = limits, -1, 0.0
        self._renew()

    def _signs(self) -> tuple[Take | None, Patch | None]:
        session = self._context.session
        return session.engine.take, session.patch

    def _look_for_changes(self) -> None:
        if self._context.session.trial.part:  # heard for a moment only
            return
        now = self._signs()
        if now[0] is not self._seen[0] or now[1] is not self._seen[1]:
            self._seen = now
            self._settle.start(SETTLE_MS)

    def _renew(self) -> None:
        self.view = View(self.outlook, self._context.session.patch, self.limits)
        self._news, self._drawn_at = False, time.monotonic()
        self.changed()

    def _step(self) -> None:
        session = self._context.session
        self.outlook.playhead = session.engine.position
        self._news = self.outlook.step() or self._news
        now = time.monotonic()
        if self._judging is not None and self._judging.done():
            judging, self._judging = self._judging, None
            self._judge_next = now + max(JUDGE_S, REST * (now - self._judged_at))
            error = judging.exception()
            if error is not None:
                sys.excepthook(type(error), error, error.__traceback__)
            else:
                self.report = judging.result()
            self.changed()
        if self._news and now - self._drawn_at >= REST * self.drawing_s():
            self._renew()
        due = self.outlook.changes != self._judged and now > self._judge_next
        if due and self._judging is None and self.view.bins:
            self._judged, self._judged_at = self.outlook.changes, now
            self._judging = self._judge.submit(report_of, self.view)
