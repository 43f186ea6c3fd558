"""Open Sound Control from other programs: messages such as ``/dunefall/fog-depth 0.4`` move Named controls.

Method: the Open Sound Control 1.0 specification, by the package python-osc. Only this machine is listened to.
"""

from __future__ import annotations

import math
import re
import threading
from collections import deque
from typing import Any

from pythonosc.dispatcher import Dispatcher
from pythonosc.osc_server import BlockingOSCUDPServer

from dunefall.base.errors import DeviceError

__all__ = ["HOST", "ROOT", "OscInput", "osc_name"]

HOST = "127.0.0.1"
ROOT = "/dunefall/"
MOST_WAITING = 1000
MOST_SHOWN = 60


def osc_name(name: str) -> str:
    """A control's name as written in an address.

    Examples
    --------
    >>> osc_name("Fog depth, low")
    'fog-depth-low'
    """
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")


class _Server(BlockingOSCUDPServer):
    """One packet after the other; what is none is passed over."""

    broken = 0

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A packet that could not be read."""
        self.broken += 1


class OscInput:
    """Receives messages in its own thread until it is closed.

    Attributes
    ----------
    refused : deque of str
        What is wrong with messages that cannot be used.
    port : int
        Where it listens.

    Raises
    ------
    DeviceError
        If the port is taken.
    """

    def __init__(self, port: int) -> None:
        self._heard: dict[str, float] = {}
        self._dropped = 0
        self._lock = threading.Lock()
        self.refused: deque[str] = deque(maxlen=8)
        dispatcher = Dispatcher()
        dispatcher.set_default_handler(self._take)
        try:
            self._server = _Server((HOST, port), dispatcher)
        except (OSError, OverflowError) as error:
            raise DeviceError(f"port {port} cannot be listened to for Open Sound Control: {error}") from error
        self.port = int(self._server.server_address[1])
        self._thread = threading.Thread(target=self._server.serve_forever, name="open sound control", daemon=True)
        self._thread.start()

    def _take(self, address: str, *values: object) -> None:
        if not address.startswith(ROOT):
            self.refused.append(f"{address[:MOST_SHOWN]} does not begin with {ROOT}")
        elif len(values) != 1 or isinstance(values[0], bool) or not isinstance(values[0], int | float):
            self.refused.append(f"{address[:MOST_SHOWN]} needs one number from 0 to 1")
        elif not math.isfinite(values[0]) or not 0.0 <= values[0] <= 1.0:
            self.refused.append(f"{address[:MOST_SHOWN]} needs a number from 0 to 1; got {values[0]:g}")
        else:
            self._keep(address.removeprefix(ROOT), float(values[0]))

    def _keep(self, name: str, value: float) -> None:
        with self._lock:
            if name in self._heard or len(self._heard) < MOST_WAITING:
                self._heard[name] = value
            else:
                self._dropped += 1

    def taken(self) -> dict[str, float]:
        """The last value that came for each name since the last call."""
        with self._lock:
            heard, self._heard = self._heard, {}
            dropped, self._dropped = self._dropped, 0
        if dropped:
            self.refused.append(f"{dropped} messages to more than {MOST_WAITING} controls at once were dropped")
        if self._server.broken:
            count, self._server.broken = self._server.broken, 0
            self.refused.append(f"{count} packets were no Open Sound Control")
        return heard

    def close(self) -> None:
        """Stop listening."""
        self._server.shutdown()
        self._server.server_close()
        self._thread.join()
