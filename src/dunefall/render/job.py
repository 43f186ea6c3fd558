"""A render in a separate process, so that neither the window nor the sound has to wait for it."""

from __future__ import annotations

import multiprocessing
from multiprocessing.connection import Connection
from pathlib import Path

from dunefall.base.errors import DunefallError
from dunefall.patch.model import Patch
from dunefall.patch.take import Take
from dunefall.render.player import Checkpoint

__all__ = ["RenderJob"]


def _work(
    pipe: Connection, take: Patch | Take, path: Path, seconds: float, rate: float, checkpoint: Checkpoint | None
) -> None:
    from dunefall.catalogue import catalogue
    from dunefall.compiler.warmup import prepare
    from dunefall.render.offline import render_to_file

    def progress(share: float) -> bool:
        pipe.send(share)
        return not pipe.poll()

    try:
        prepare(catalogue())
        finished = render_to_file(
            take, path, seconds=seconds, rate=rate, block=16384, checkpoint=checkpoint, progress=progress
        )
        pipe.send("done" if finished else "cancelled")
    except DunefallError as error:
        pipe.send(f"failed: {error}")
    except (BrokenPipeError, OSError):
        return  # the window is gone; the half-written file was removed


class RenderJob:
    """One render of a patch or a take, from the start or from a checkpoint on; ask ``poll`` now and then.

    Attributes
    ----------
    share : float [0, 1]
        How much is done.
    state : str
        ``running``, ``done``, ``cancelled`` or ``failed``.
    error : str
        What went wrong, if it failed.
    """

    def __init__(
        self,
        take: Patch | Take,
        path: Path,
        *,
        seconds: float,
        rate: float = 48000.0,
        checkpoint: Checkpoint | None = None,
    ) -> None:
        self.path, self.share, self.state, self.error = path, 0.0, "running", ""
        context = multiprocessing.get_context("spawn")
        self._pipe, theirs = context.Pipe()
        self._process = context.Process(target=_work, args=(theirs, take, path, seconds, rate, checkpoint), daemon=True)
        self._process.start()
        theirs.close()

    def poll(self) -> str:
        """Take in what the process said; returns the state."""
        try:
            while self.state == "running" and self._pipe.poll():
                message = self._pipe.recv()
                if isinstance(message, float):
                    self.share = message
                elif str(message).startswith("failed: "):
                    self.state, self.error = "failed", str(message).removeprefix("failed: ")
                else:
                    self.state = str(message)
        except (EOFError, OSError):
            self.state, self.error = "failed", "the render process ended unexpectedly"
        if self.state != "running":
            self._process.join()
        return self.state

    def cancel(self) -> None:
        """Ask it to stop; it removes what it has written and then is ``cancelled``."""
        try:
            self._pipe.send("cancel")
        except (BrokenPipeError, OSError):
            self.poll()
