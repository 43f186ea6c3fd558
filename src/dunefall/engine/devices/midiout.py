"""MIDI outputs: those of the machine, one that notes what it is sent, and the thread in which things go out."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable
from typing import Any, Protocol

from dunefall.base.language import tr
from dunefall.engine.devices.sequencer import SequencerPort

__all__ = ["Door", "GoingOut", "MidiPort", "SimulatedPort", "open_midi_out"]


class Door(Protocol):
    """What something goes out by."""

    def close(self) -> None:
        """Send no more."""


class MidiPort(Door, Protocol):
    """What is needed of a MIDI output."""

    def send(self, message: Any) -> None:
        """Send a message now."""


class SimulatedPort:
    """Notes what is sent.

    Attributes
    ----------
    sent : deque of (float, message)
        When, as ``time.monotonic()`` counts, and what; the last thousands.
    """

    def __init__(self) -> None:
        self.sent = deque[tuple[float, Any]](maxlen=10_000)
        self.closed = False

    def send(self, message: Any) -> None:
        """Note a message."""
        self.sent.append((time.monotonic(), message))

    def close(self) -> None:
        """Note that it is closed."""
        self.closed = True


def open_midi_out(choice: str, name: str, tell: Callable[[str], None]) -> MidiPort | None:
    """The output for a choice: ``none``, ``simulated`` or part of a port's name.

    Parameters
    ----------
    choice : str
        What the user chose.
    name : str
        What others see.
    tell : function
        Is told, in a sentence, that the port is not there yet.

    Returns
    -------
    MidiPort or None

    Raises
    ------
    DeviceError
        If there is no MIDI, and a port was named.
    """
    if choice == "none":
        return None
    if choice == "simulated":
        return SimulatedPort()
    port = SequencerPort(name, choice, plays=False)
    if port.told:
        tell(port.told)
    return port


class GoingOut:
    """Sends what is due, step by step, in a thread of its own.

    Parameters
    ----------
    step : function of float
        Sends what is due at a time of ``time.monotonic()``; gives the time until the next step, in seconds.
    end : function
        Sends what is due at the end.
    doors : tuple of Door
        Closed with it.
    lost : str
        What it means that a port refuses: how the sentence begins that tells it.
    failed : function
        Is told that sentence; then nothing is sent any more.
    """

    def __init__(
        self,
        step: Callable[[float], float],
        end: Callable[[], None],
        doors: tuple[Door, ...],
        lost: str,
        failed: Callable[[str], None],
    ) -> None:
        self._step, self._end, self._doors, self._lost, self._failed = step, end, doors, lost, failed
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name="going out", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Send what is due at the end, and close the doors."""
        self._ended.set()
        self._thread.join()
        for door in self._doors:
            door.close()

    def _run(self) -> None:
        wait_s = 0.0
        try:
            while not self._ended.wait(max(wait_s, 0.0)):
                wait_s = self._step(time.monotonic())
            self._end()
        except Exception as error:  # each backend has errors of its own
            self._failed(tr("{lost}: the port refuses ({error}).", lost=self._lost, error=error))
