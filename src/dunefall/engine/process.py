"""An engine's process as the window holds it: what it is told, and how it ends."""

from __future__ import annotations

import contextlib
import queue
import threading
import time
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess

from dunefall.engine import messages as say

__all__ = ["EngineProcess"]


class EngineProcess:
    """One engine process and the pipe to it. A separate thread writes to the pipe: where the engine is busy and the
    pipe full, nobody else waits."""

    def __init__(self, process: BaseProcess, pipe: Connection) -> None:
        self.process, self.pipe, self.started = process, pipe, time.monotonic()
        self._waiting: queue.SimpleQueue[object] = queue.SimpleQueue()
        self._writer = threading.Thread(target=self._write, name="to the engine", daemon=True)
        self._writer.start()

    def _write(self) -> None:
        """Write until there is nothing more to say, then close the pipe: nobody closes it under a message."""
        while (message := self._waiting.get()) is not None:
            with contextlib.suppress(OSError):  # a process that is gone hears nothing
                self.pipe.send(message)
        self.pipe.close()

    def send(self, message: object) -> None:
        """Send a message after all earlier ones."""
        self._waiting.put(message)

    def end(self, seconds: float) -> None:
        """Let it end, or end it after a while."""
        self.send(say.Quit())
        self.process.join(seconds)
        if self.process.is_alive():
            self.process.kill()
            self.process.join()
        self.let_go()

    def let_go(self) -> None:
        """Say nothing any more."""
        self.send(None)
        self._writer.join(1.0)
