"""What should not have happened: an error that nobody expected, in whatever slot, event or thread, ends up here. It is
written down with its cause and told in a sentence; the patch and the sound are what they were.
"""

from __future__ import annotations

import contextlib
import sys
import threading
import time
import traceback
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QObject, Signal

from dunefall import __version__
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr

__all__ = ["Mishaps"]

MOST_BYTES = 200_000
AGAIN_S = 10.0
"""The same is told again after so long."""


class Mishaps(QObject):
    """Takes the errors that nobody caught.

    Parameters
    ----------
    log : Path
        Where they are written down; the older half goes when there is too much.

    Signals
    -------
    happened (str)
        A sentence for the user; from whatever thread, it arrives in that of the window.
    """

    happened = Signal(str)
    _noticed = Signal(str)

    def __init__(self, log: Path) -> None:
        super().__init__()
        self._log = log
        self._told: dict[str, float] = {}
        self.count = 0
        self._noticed.connect(self._pass_on)  # a method of an object of the window's thread: it is called there

    def _pass_on(self, text: str) -> None:
        self.happened.emit(text)

    def install(self) -> None:
        """Take all that is not caught from now on, in every thread."""
        sys.excepthook = self.take
        threading.excepthook = lambda args: self.take(args.exc_type, args.exc_value, args.exc_traceback)

    def take(self, kind: type[BaseException], error: BaseException | None, trace: TracebackType | None) -> None:
        """Write an error down and tell it.

        Parameters
        ----------
        kind, error, trace : type, exception, traceback
            As ``sys.excepthook`` gets them.
        """
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error or kind(), trace)
            return
        self.count += 1
        text = "".join(traceback.format_exception(kind, error, trace))
        with contextlib.suppress(OSError, ValueError):
            print(text, file=sys.stderr, end="")
        self._write_down(text)
        where = traceback.extract_tb(trace)[-1:] if trace else []
        place = (tr("{name} in {name_2}, line {lineno}", name=kind.__name__, name_2=Path(where[0].filename).name,
                    lineno=where[0].lineno) if where else kind.__name__)  # fmt: skip
        now = time.monotonic()
        if now - self._told.get(place, -AGAIN_S) >= AGAIN_S:
            self._told[place] = now
            self._noticed.emit(self._sentence(error, place))

    def _sentence(self, error: BaseException | None, place: str) -> str:
        if isinstance(error, DunefallError):  # it says itself what is wrong
            return f"{error}."
        return tr(
            "Something went wrong inside Dunefall ({place}). Your patch is as it was and the sound goes on; to be "
            "safe, save a copy. The details are in {log}.",
            place=place,
            log=self._log,
        )

    def _write_down(self, text: str) -> None:
        entry = tr("{strftime} Dunefall {version}\n{text}\n", strftime=time.strftime("%Y-%m-%d %H:%M:%S"),
                   version=__version__, text=text)  # fmt: skip
        with contextlib.suppress(OSError):
            self._log.parent.mkdir(parents=True, exist_ok=True)
            before = self._log.read_bytes() if self._log.exists() else b""
            if len(before) > MOST_BYTES:
                before = before[-MOST_BYTES // 2 :]
            self._log.write_bytes(before + entry.encode("utf-8", errors="replace"))
