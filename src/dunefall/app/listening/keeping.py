"""Keeping the last minutes: asks for a name, writes beside the window's work, says where it is."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from PySide6.QtCore import QTimer, QUrl
from PySide6.QtGui import QDesktopServices

from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.base.errors import DunefallError, ParameterError
from dunefall.base.language import tr
from dunefall.base.words import time_told
from dunefall.engine.lastminutes import MOST_S, forget_last_minutes, kept_s, last_minutes_left
from dunefall.session.edits.moments import mark_moment
from dunefall.session.keeping import KeptMoment, keep_left, keep_moment

__all__ = ["COMMANDS", "keep_last", "offer_left"]

LOOK_MS, MOST_LEFT = 60, 3
_writer = ThreadPoolExecutor(1, "dunefall-moments")


def keep_last(context: Context) -> None:
    """Keep what was heard last, as a sound and as the take that makes it."""
    session = context.session
    length = min(kept_s(), MOST_S)
    if length < 1.0:
        context.tell(tr("Nothing was heard yet that could be kept."))
        return
    end = session.seconds
    name = context.talk.ask_text(
        tr("Keep the last minutes"),
        tr("Name for the last {time_told}", time_told=time_told(length)),
        tr("Moment at {time_told}", time_told=time_told(end)).replace(":", "-"),
    )
    if not name:
        return
    asked = _writer.submit(keep_moment, name, MOST_S, session.engine.played)

    def kept(moment: KeptMoment) -> None:
        first = max(end - moment.seconds, 0.0)
        with contextlib.suppress(ParameterError):  # there are a thousand already; the files are there
            mark_moment(session.document, first, moment.sound.stem, end)
        _tell(context, tr("{time_told} are kept as “{stem}”: sound and take.", time_told=time_told(moment.seconds),
                          stem=moment.sound.stem), moment)  # fmt: skip

    _when_done(context, asked, kept)


def offer_left(context: Context) -> None:
    """Offer the last minutes of a program that did not end as it should."""
    left = last_minutes_left()
    for old in left[:-MOST_LEFT]:
        forget_last_minutes(old)
    if not left or kept_s(left[-1]) < 1.0:
        return
    told = time_told(kept_s(left[-1]))

    def keep() -> None:
        _when_done(
            context, _writer.submit(keep_left, left[-1]), lambda moment: _tell(context, tr("They are kept."), moment)
        )

    context.talk.tell(
        tr("Of what was heard before Dunefall ended unexpectedly, the last {told} are there.", told=told),
        (tr("Keep"), keep),
    )


def _tell(context: Context, text: str, moment: KeptMoment) -> None:
    folder: Path = moment.sound.parent
    context.talk.tell(text, (tr("Show the folder"), lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))))


def _when_done(context: Context, asked: Future[KeptMoment], then: Callable[[KeptMoment], None]) -> None:
    """Go on in the window's thread when it is written; what went wrong is told."""
    timer = QTimer()

    def end() -> None:
        timer.stop()

    def look() -> None:
        if not asked.done():
            return
        end()
        context.closing.disconnect(end)
        try:
            moment = asked.result()
        except DunefallError as error:
            context.talk.warn(tr("The last minutes were not kept"), f"{error}.")
            return
        then(moment)

    timer.timeout.connect(look)
    context.closing.connect(end)
    timer.start(LOOK_MS)


COMMANDS = (Command("keep_last", tr("Keep the last minutes…"), "Ctrl+Shift+K", "Listen", keep_last),)
