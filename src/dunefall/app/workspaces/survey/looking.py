"""Looks ahead at what the engine plays: watches its take, asks the worker, has another thread judge what is known."""

from __future__ import annotations

import math
import sys
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

from dunefall.app.model.context import Context
from dunefall.deliver.workers import Workers
from dunefall.engine.messages import CheckpointKept
from dunefall.patch.model import Patch
from dunefall.patch.take import Take
from dunefall.render.known import Ahead
from dunefall.survey.findings import Limits, View
from dunefall.survey.outlook import LATEST_S, Outlook
from dunefall.survey.report import Report, report_of

__all__ = ["Looking"]

STEP_MS, WATCH_MS, SETTLE_MS = 50, 250, 1000
ASK_S = 3.0
"""So often the engine is asked for its state, at most."""
BEGINS_S = 3.0
"""So long after another patch was opened, the sound may still be where it was in the one before."""
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
        How far one looks: from the start, and further as the sound comes near to that.
    changed : function
        Called when something new is known.
    drawing_s : function
        How long it took to draw what was known.
    """

    def __init__(self, context: Context, parent: QWidget) -> None:
        self._context = context
        self.outlook, self.limits, self.seconds = Outlook(Workers(1)), Limits(), USUAL_S
        self._until_s, self._start, self._begun_at = 0.0, Patch(), 0.0
        self.view = View(self.outlook, context.session.patch)
        self.report: Report | None = None
        self.changed: Callable[[], object] = lambda: None
        self._seen: tuple[Take | None, Patch | None] = (None, None)
        self._judge = ThreadPoolExecutor(1, "dunefall-judge")
        self._judging: Future[Report] | None = None
        self._judged, self._judged_at, self._judge_next = -1, 0.0, 0.0
        self.drawing_s: Callable[[], float] = lambda: 0.0
        self._news, self._drawn_at = False, 0.0
        self._asked, self._asked_at = dict[Path, Take](), 0.0
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
        self._seen = self._signs()
        self._look_at(self._context.session.engine.take)

    def _look_at(self, take: Take) -> None:
        if take.start is not self._start:
            self._start, self._until_s, self._begun_at = take.start, self.seconds, time.monotonic()
        if self._comes_near:
            self._until_s = 60.0 * math.ceil((self._context.session.seconds + self.seconds) / 60.0)
        before = self.outlook.changes
        self.outlook.look(take, self._until_s)
        if self.outlook.changes != before:
            self._renew()

    @property
    def _comes_near(self) -> bool:
        """Whether less than a quarter of what one wants to see lies ahead of the sound."""
        if time.monotonic() - self._begun_at < BEGINS_S:
            return False
        left_s = self._until_s - self._context.session.seconds
        return left_s < self.seconds / 4 and self._until_s < LATEST_S

    def ahead(self, take: Take, position: int) -> Ahead:
        """What is known of a take near a sample. This take is looked at now."""
        if self._steps.isActive():
            self._look_at(take)
        return self.outlook.ahead(position) if self.outlook.shows(take) else Ahead()

    def hear(self, message: object) -> None:
        """The engine has written its state, or cannot."""
        if isinstance(message, CheckpointKept) and message.path in self._asked:
            self.outlook.take_state(message.path, message.position, self._asked.pop(message.path))

    def _ask_for_state(self, now: float) -> None:
        """Where one looks from is far from all that is known: look from what the sound has come to."""
        engine = self._context.session.engine
        settled = engine.take is self._seen[0] and not self._settle.isActive()
        if settled and now - self._asked_at >= ASK_S and self.outlook.wants_state:
            path, self._asked_at = self.outlook.place_of_state(), now
            self._asked = {path: engine.take}
            engine.keep_checkpoint(path)

    def set_seconds(self, seconds: float) -> None:
        """Look so far."""
        self.seconds = self._until_s = seconds
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
        if self._comes_near:
            self.look()
        now = time.monotonic()
        self._ask_for_state(now)
        self._news = self.outlook.step() or self._news
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
