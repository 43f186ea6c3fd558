"""The transport of a JACK server: all its clients roll, rest and are at a time together, and each may move it.

Source: the documentation of JACK's transport (``jack/transport.h``, from memory), through the package JACK-Client.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

__all__ = ["JackTransport", "Moment", "SimulatedTransport", "Transport", "TransportWatch", "open_transport"]

NAME = "Dunefall transport"
LOOK_S, AGAIN_S, JUMP_S, CLOSING_S = 0.005, 2.0, 0.1, 0.5
"""So often it is looked at; so often a server is looked for; it was moved where it is off by this; to close it may take
so long."""
TEMPO_STEP = 1e-4


class Moment(NamedTuple):
    """Where a transport is: whether it rolls, its time in seconds, and its tempo in BPM; 0: it tells none."""

    rolls: bool = False
    seconds: float = 0.0
    bpm: float = 0.0


class Transport(Protocol):
    """What is needed of one."""

    def look(self) -> Moment | None:
        """Where it is; None: it is no longer there."""

    def move(self, rolls: bool | None, seconds: float | None) -> None:
        """Let it roll or rest, and go to a time; None: as it is."""

    def close(self) -> None:
        """Have no more to do with it."""


class JackTransport:
    """The real one; raises OSError, or an error of the package, where there is no library or no server."""

    def __init__(self) -> None:
        import jack

        jack.set_error_function(lambda text: None)  # it would write to the terminal that there is no server
        jack.set_info_function(lambda text: None)
        self._client = jack.Client(NAME, no_start_server=True)
        self._rolling, self._lost = jack.ROLLING, False
        self._client.set_shutdown_callback(self._end)
        self._client.activate()

    def look(self) -> Moment | None:
        """Where it is; None: the server has died."""
        if self._lost:
            return None
        state, place = self._client.transport_query()
        seconds = self._client.transport_frame / self._client.samplerate
        return Moment(state == self._rolling, seconds, float(place.get("beats_per_minute", 0.0)))

    def move(self, rolls: bool | None, seconds: float | None) -> None:
        """Let it roll or rest, and go to a time."""
        if self._lost:
            return
        if seconds is not None:
            self._client.transport_frame = round(seconds * self._client.samplerate)
        if rolls is not None:
            (self._client.transport_start if rolls else self._client.transport_stop)()

    def close(self) -> None:
        """Let go of the server, if it still lives: the library does not survive closing what died."""
        if not self._lost:
            self._client.close()

    def _end(self, *_: Any) -> None:
        self._lost = True


class SimulatedTransport:
    """Rolls by the clock of this machine, at a tempo of its own."""

    def __init__(self, bpm: float = 90.0) -> None:
        self.bpm, self.there = bpm, True
        self._since_s, self._seconds, self._rolls = time.monotonic(), 0.0, False

    def look(self) -> Moment | None:
        """Where it is."""
        return Moment(self._rolls, self._now(), self.bpm) if self.there else None

    def move(self, rolls: bool | None, seconds: float | None) -> None:
        """Let it roll or rest, and go to a time."""
        self._seconds = self._now() if seconds is None else seconds
        self._since_s = time.monotonic()
        self._rolls = self._rolls if rolls is None else rolls

    def close(self) -> None:
        """Be no more."""
        self.there = False

    def _now(self) -> float:
        return self._seconds + (time.monotonic() - self._since_s) * self._rolls


def open_transport(choice: str) -> Transport | None:
    """The transport beside a sound device: a simulated one beside the simulated output, else that of a JACK server;
    None where there is none."""
    if choice == "simulated":
        return SimulatedTransport()
    try:
        return JackTransport()
    except Exception:  # the package is missing, or its library, or the server: it is looked for again
        return None


class TransportWatch:
    """Follows a transport in a thread of its own, and looks for it where there is none yet.

    Parameters
    ----------
    opened : function
        Gives the transport, or None.
    rolls : function
        Is told at once when it begins to roll, and when it stops.
    moved : function
        Is told where it is when it was moved: rolls or rests, jumps, has another tempo; and None when it is gone.
    """

    def __init__(
        self,
        opened: Callable[[], Transport | None],
        rolls: Callable[[bool], None],
        moved: Callable[[Moment | None], None],
    ) -> None:
        self._opened, self._rolls, self._moved = opened, rolls, moved
        self._transport: Transport | None = None
        self._last, self._at_s = Moment(), 0.0
        self._wishes: list[tuple[bool | None, float | None]] = []
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name="transport", daemon=True)
        self._thread.start()

    def move(self, rolls: bool | None, seconds: float | None) -> None:
        """Let it roll or rest, and go to a time."""
        self._wishes.append((rolls, seconds))

    def close(self) -> None:
        """Follow it no longer; a server that answers nothing is not waited for."""
        self._ended.set()
        self._thread.join(CLOSING_S)

    def _run(self) -> None:
        while not self._ended.is_set():
            if self._transport is None and not self._begin():
                self._ended.wait(AGAIN_S)
                continue
            assert self._transport is not None
            while self._wishes:
                self._transport.move(*self._wishes.pop(0))
            now = self._transport.look()
            if now is None:
                self._moved(None)
                return
            self._tell(now)
            self._ended.wait(LOOK_S)
        if self._transport is not None:
            self._transport.close()

    def _begin(self) -> bool:
        self._transport = self._opened()
        now = self._transport.look() if self._transport is not None else None
        if now is None:
            return False
        self._last, self._at_s = now, time.monotonic()
        if now.rolls:
            self._rolls(True)
        self._moved(now)
        return True

    def _tell(self, now: Moment) -> None:
        at_s = time.monotonic()
        due_s = self._last.seconds + (at_s - self._at_s) * self._last.rolls
        turned = now.rolls != self._last.rolls
        if turned:
            self._rolls(now.rolls)
        retimed = abs(now.bpm - self._last.bpm) > TEMPO_STEP * max(self._last.bpm, 1.0)
        if turned or retimed or abs(now.seconds - due_s) > JUMP_S:
            self._moved(now)
        self._last, self._at_s = now, at_s
