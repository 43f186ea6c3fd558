"""The window's side of the engine: starts its process, sends it the patch, reads what it writes, restarts it."""

from __future__ import annotations

import contextlib
import multiprocessing
import time
from multiprocessing.connection import Connection
from multiprocessing.context import SpawnProcess

import numpy as np
from numpy.typing import NDArray

from dunefall.compiler.loop import PROBE_SAMPLES, TRACE_BINS
from dunefall.engine import messages as say
from dunefall.engine.host import EngineOptions, run_engine
from dunefall.engine.shared import SharedState, Status, trace_key
from dunefall.patch.model import Patch, Place

__all__ = ["EngineClient"]

SHORT_LIFE_S = 3.0
MOST_DEATHS = 4
"""An engine that dies this often, each time within ``SHORT_LIFE_S`` of its start, is not started again."""


class EngineClient:
    """Talks to the engine's process; never waits for it.

    Attributes
    ----------
    status : ndarray
        Live numbers by ``Status``.
    slots, inputs : dict
        Trace slot of each output (by ``trace_key``), and place of each (module, port) in ``now``; set by ``poll``.
    """

    def __init__(self, options: EngineOptions) -> None:
        self.slots: dict[str, int] = {}
        self.inputs: dict[tuple[str, str], int] = {}
        self._options = options
        self._shared = SharedState()
        self._patch: Patch | None = None
        self._playing = False
        self._probes: dict[int, Place | None] = {}
        self._started, self._deaths = 0.0, 0
        self._process: SpawnProcess | None = None
        self._pipe: Connection | None = None
        self._start_process()

    @property
    def status(self) -> NDArray[np.float64]:
        """Live numbers by ``Status``."""
        return self._shared.status

    @property
    def process_id(self) -> int | None:
        """Process number of the engine, or None."""
        return self._process.pid if self._process else None

    def set_patch(self, patch: Patch) -> None:
        """Sound this patch from now on."""
        self._patch = patch
        self._send(say.SetPatch(patch))

    def play(self) -> None:
        """Let sound run."""
        self._playing = True
        self._send(say.Play())

    def stop(self) -> None:
        """Fade out and hold the position."""
        self._playing = False
        self._send(say.Stop())

    def rewind(self) -> None:
        """Fade out and go back to the beginning."""
        self._playing = False
        self._send(say.Rewind())

    def set_probe(self, index: int, place: Place | None) -> None:
        """Watch an output sample by sample."""
        self._probes[index] = place
        self._send(say.Probe(index, place))

    def poll(self) -> list[object]:
        """Messages that came in; restarts the process if it died, which is among them as ``Trouble``."""
        received: list[object] = []
        assert self._process is not None
        assert self._pipe is not None
        try:
            while self._pipe.poll():
                message = self._pipe.recv()
                if isinstance(message, say.ProgramRuns):
                    self.slots, self.inputs = message.slots, message.inputs
                received.append(message)
        except (EOFError, OSError):
            pass
        if not self._process.is_alive() and self._deaths < MOST_DEATHS:
            received.append(self._after_death())
        return received

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest values of the last bins of an output (the first one), oldest first; or None."""
        slot = self.slots.get(trace_key(module, port), self.slots.get(module) if port else None)
        if slot is None:
            return None
        at = int(self._shared.counts[0]) % TRACE_BINS
        bins = self._shared.bins[slot]
        return np.concatenate((bins[at:], bins[:at]))

    @property
    def bins_written(self) -> int:
        """How many trace bins the engine has written: tells whether a picture would change."""
        return int(self._shared.counts[0])

    def probe(self, index: int, samples: int) -> NDArray[np.float32]:
        """The last samples of a probe, oldest first."""
        samples = min(samples, PROBE_SAMPLES)
        ring: NDArray[np.float32] = self._shared.probes[index]
        end = int(self._shared.counts[2]) % PROBE_SAMPLES
        if end >= samples:
            return ring[end - samples : end].copy()
        return np.concatenate((ring[PROBE_SAMPLES - samples + end :], ring[:end]))

    def value_now(self, module: str, port: str) -> float | None:
        """Present value of an input or parameter with everything that moves it, or None."""
        index = self.inputs.get((module, port))
        return None if index is None else float(self._shared.now[index])

    def close(self) -> None:
        """End the process and free the shared memory."""
        if self._process is None:
            return
        self._send(say.Quit())
        self._process.join(2.0)
        if self._process.is_alive():
            self._process.kill()
            self._process.join()
        assert self._pipe is not None
        self._pipe.close()
        self._process.close()
        self._process = None
        self._shared.close()

    def _send(self, message: object) -> None:
        if self._pipe is not None:
            # A process that is gone is started again by poll(), with everything it must know.
            with contextlib.suppress(BrokenPipeError, OSError):
                self._pipe.send(message)

    def _start_process(self) -> None:
        context = multiprocessing.get_context("spawn")
        self._pipe, theirs = context.Pipe()
        arguments = (theirs, self._shared.name, self._options)
        self._process = context.Process(target=run_engine, args=arguments, name="dunefall engine", daemon=True)
        self._process.start()
        self._started = time.monotonic()
        theirs.close()

    def _after_death(self) -> say.Trouble:
        """Start the process again, unless it keeps dying as soon as it has started."""
        self._deaths = self._deaths + 1 if time.monotonic() - self._started < SHORT_LIFE_S else 1
        if self._deaths == MOST_DEATHS:
            return say.Trouble("The sound engine ends again and again. Save your patch and start Dunefall anew.")
        self._restart()
        return say.Trouble("The sound engine stopped unexpectedly and was started again; nothing is lost.")

    def _restart(self) -> None:
        assert self._process is not None
        assert self._pipe is not None
        self._pipe.close()
        self._process.close()
        self._shared.status[Status.BLOCKS] = 0
        self._start_process()
        if self._patch is not None:
            self._send(say.SetPatch(self._patch))
        for index, place in self._probes.items():
            self._send(say.Probe(index, place))
        if self._playing:
            self._send(say.Play())

    def wait_for(self, kind: type, seconds: float = 60.0) -> object:
        """Poll until a message of a kind arrives, for programs without a window; raises TimeoutError."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            for message in self.poll():
                if isinstance(message, kind):
                    return message
            time.sleep(0.01)
        raise TimeoutError(f"the engine gave no {kind.__name__} within {seconds:g} s")
