"""Open Sound Control from and to other programs: messages such as ``/dunefall/fog-depth 0.4`` move Named controls, and
tell where the OSC out modules stand.

Method: the Open Sound Control 1.0 specification, by the package python-osc. Only this machine is listened to. Of a
flood of packets only the last one to each address is taken apart, so that neither window nor sound notice it.
"""

from __future__ import annotations

import contextlib
import logging
import math
import re
import select
import socket
import threading
import time
from collections.abc import Callable
from typing import Any

from pythonosc.osc_message_builder import build_msg
from pythonosc.osc_packet import OscPacket

from dunefall.base.errors import DeviceError
from dunefall.base.language import tr

__all__ = ["HOST", "ROOT", "OscInput", "OscOutput", "destination", "osc_name"]

HOST = "127.0.0.1"
ROOT = "/dunefall/"
MOST_AT_ONCE = 64
"""Packets that are taken apart before others have their turn."""
MOST_WAITING = 1000
"""Controls, and packets with several messages, that wait for the window."""
MOST_BYTES = 65_536
PAUSE_S, LOOKS_S = 0.005, 0.1
AGAIN_S = 10.0
"""What cannot be used is told once in so many seconds, each kind for itself."""
ROOM_BYTES = 1 << 22
"""What the system is asked to hold while nobody listens."""
COUNT_LOST = 40
"""Linux's ``SO_RXQ_OVFL``: with each packet comes how many had no room so far."""
MOST_SHOWN = 60


def osc_name(name: str) -> str:
    """A control's name as written in an address.

    Examples
    --------
    >>> osc_name("Fog depth, low")
    'fog-depth-low'
    """
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")


def _no_words(record: logging.LogRecord) -> bool:
    """python-osc writes a line for each packet that is none; they are counted here."""
    return "pythonosc" not in record.pathname


class OscInput:
    """Receives messages in its own thread until it is closed.

    Attributes
    ----------
    port : int
        Where it listens.

    Raises
    ------
    DeviceError
        If the port is taken.
    """

    def __init__(self, port: int) -> None:
        self._heard: dict[str, float] = {}
        self._lock = threading.Lock()
        self._unused: dict[str, tuple[str, int]] = {}
        self._told_at: dict[str, float] = {}
        self._lost = 0
        self._waiting: dict[bytes, bytes] = {}
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        try:
            self._socket.bind((HOST, port))
        except (OSError, OverflowError) as error:
            self._socket.close()
            raise DeviceError(
                tr("port {port} cannot be listened to for Open Sound Control: {error}", port=port, error=error)
            ) from error
        with contextlib.suppress(OSError):
            self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, ROOM_BYTES)
            self._socket.setsockopt(socket.SOL_SOCKET, COUNT_LOST, 1)
        self._socket.setblocking(False)
        logging.getLogger().addFilter(_no_words)
        self.port = int(self._socket.getsockname()[1])
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._listen, name="open sound control", daemon=True)
        self._thread.start()

    def _listen(self) -> None:
        while not self._ended.is_set():
            select.select([self._socket], [], [], LOOKS_S if not self._waiting else 0.0)
            with contextlib.suppress(BlockingIOError):
                while len(self._waiting) < MOST_WAITING:
                    self._note(self._socket.recvmsg(MOST_BYTES, 64))
            for key in list(self._waiting)[:MOST_AT_ONCE]:
                self._take_apart(self._waiting.pop(key))
            self._ended.wait(PAUSE_S)

    def _note(self, received: tuple[bytes, list[tuple[int, int, bytes]], int, object]) -> None:
        """Keep a packet until its turn: the last one to its address; of those with several messages each."""
        data, extra, _, _ = received
        for level, kind, number in extra:
            if (level, kind) == (socket.SOL_SOCKET, COUNT_LOST):
                lost = int.from_bytes(number[:4], "little")
                if lost != self._lost:
                    self.refuse("lost", tr("too many packets at once"), lost - self._lost)
                self._lost = lost
        address, comma, _ = data.partition(b",")
        self._waiting[address if comma and data.startswith(b"/") else data] = data

    def _take_apart(self, data: bytes) -> None:
        try:
            messages = [timed.message for timed in OscPacket(data).messages]
        except Exception:  # whatever was sent: python-osc does not expect all of it
            messages = []
        if not messages:
            self.refuse("packet", tr("a packet that is no Open Sound Control"))
        for message in messages:
            self._take(message.address, message.params)

    def _take(self, address: str, values: list[object]) -> None:
        shown = "".join(letter for letter in address[:MOST_SHOWN] if letter.isprintable())
        if not address.startswith(ROOT):
            self.refuse("address", tr("{shown} does not begin with {ROOT}", shown=shown, ROOT=ROOT))
        elif len(values) != 1 or isinstance(values[0], bool) or not isinstance(values[0], int | float):
            self.refuse("values", tr("{shown} needs one number from 0 to 1", shown=shown))
        elif not math.isfinite(values[0]) or not 0.0 <= values[0] <= 1.0:
            self.refuse(
                "range", tr("{shown} needs a number from 0 to 1; got {values:g}", shown=shown, values=values[0])
            )
        else:
            with self._lock:
                name = address.removeprefix(ROOT)
                full = len(self._heard) >= MOST_WAITING and name not in self._heard
                if not full:
                    self._heard[name] = float(values[0])
            if full:
                self.refuse("full", tr("more than {MOST_WAITING} controls at once", MOST_WAITING=MOST_WAITING))

    def refuse(self, kind: str, why: str, count: int = 1) -> None:
        """Count messages that cannot be used.

        Parameters
        ----------
        kind : str
            What is wrong with them: each is told for itself.
        why : str
            What is wrong with the last one.
        count : int
            How many.
        """
        with self._lock:
            self._unused[kind] = why, self._unused.get(kind, ("", 0))[1] + count

    def taken(self) -> dict[str, float]:
        """The last value that came for each name since the last call."""
        with self._lock:
            heard, self._heard = self._heard, {}
        return heard

    def told(self) -> str:
        """What could not be used, in a sentence, for each kind at most every ten seconds; empty if there is nothing to
        tell."""
        now = time.monotonic()
        with self._lock:
            due = (kind for kind in self._unused if now - self._told_at.get(kind, -AGAIN_S) >= AGAIN_S)
            kind = next(due, "")
            if not kind:
                return ""
            why, count = self._unused.pop(kind)
        self._told_at[kind] = now
        return (
            tr("Open Sound Control: {why}.", why=why)
            if count == 1
            else tr("Open Sound Control: {why} (the last of {count:,}).", why=why, count=count)
        )

    def close(self) -> None:
        """Stop listening."""
        self._ended.set()
        self._thread.join()
        self._socket.close()


def destination(text: str) -> tuple[str, int]:
    """Where messages go, as a user writes it: a host and a port, or a port of this machine.

    Parameters
    ----------
    text : str
        Such as ``lights.local:9000`` or ``9000``.

    Returns
    -------
    tuple of str, int

    Raises
    ------
    DeviceError
        If it is something else.

    Examples
    --------
    >>> destination("9000")
    ('127.0.0.1', 9000)
    """
    host, _, port = text.strip().rpartition(":")
    host = host.strip("[]") or HOST
    if not re.fullmatch(r"[0-9A-Za-z.:_-]{1,253}", host) or not re.fullmatch(r"[0-9]{1,5}", port):
        shown = text[:MOST_SHOWN]
        raise DeviceError(tr("Open Sound Control goes to a host and a port, such as {HOST}:9000; got “{shown}”",
                             HOST=HOST, shown=shown))  # fmt: skip
    if not 1 <= int(port) <= 65_535:
        raise DeviceError(tr("a port is a number from 1 to 65535; got {port}", port=int(port)))
    return host, int(port)


class OscOutput:
    """Sends numbers to another program; what nobody takes is lost, as always with such packets.

    Parameters
    ----------
    to : (str, int)
        Host and port; the host is looked up when the first number is sent, as that can take a while.
    failed : function
        Is told, in a sentence, that there is no such host; then nothing is sent.
    """

    def __init__(self, to: tuple[str, int], failed: Callable[[str], None]) -> None:
        self._to, self._failed = to, failed
        self._address: Any = None
        self._socket: socket.socket | None = None
        self._looked = False

    def send(self, name: str, value: float) -> None:
        """Send a number to the address of a name (see ``osc_name``)."""
        if not self._looked:
            self._look_up()
        if self._socket is not None:
            with contextlib.suppress(OSError):  # nobody listens there yet, or the network is away
                self._socket.sendto(build_msg(ROOT + name, [float(value)]).dgram, self._address)

    def close(self) -> None:
        """Send no more."""
        if self._socket is not None:
            self._socket.close()
            self._socket = None

    def _look_up(self) -> None:
        self._looked = True
        try:
            family, kind, _, _, self._address = socket.getaddrinfo(*self._to, type=socket.SOCK_DGRAM)[0]
            self._socket = socket.socket(family, kind)
            self._socket.setblocking(False)
        except OSError as error:
            self._failed(tr("Open Sound Control cannot be sent to {to}:{to_2}: {error}.", to=self._to[0],
                            to_2=self._to[1], error=error))  # fmt: skip
