"""Open Sound Control from other programs: messages such as ``/dunefall/fog-depth 0.4`` move Named controls.

Method: the Open Sound Control 1.0 specification, by the package python-osc. Only this machine is listened to.
"""

from __future__ import annotations

import math
import re
import threading
from collections import deque

from pythonosc.dispatcher import Dispatcher
from pythonosc.osc_server import ThreadingOSCUDPServer

from dunefall.base.errors import DeviceError

__all__ = ["HOST", "ROOT", "OscInput", "osc_name"]

HOST = "127.0.0.1"
ROOT = "/dunefall/"
MOST_WAITING = 1000


def osc_name(name: str) -> str:
    """A control's name as written in an address.

    Examples
    --------
    >>> osc_name("Fog depth, low")
    'fog-depth-low'
    """
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")


class OscInput:
    """Receives messages in its own thread until it is closed.

    Attributes
    ----------
    heard : deque of (str, float)
        Names and values received but not yet read; the oldest are dropped when there are too many.
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
        self.heard: deque[tuple[str, float]] = deque(maxlen=MOST_WAITING)
        self.refused: deque[str] = deque(maxlen=8)
        dispatcher = Dispatcher()
        dispatcher.set_default_handler(self._take)
        try:
            self._server = ThreadingOSCUDPServer((HOST, port), dispatcher)
        except (OSError, OverflowError) as error:
            raise DeviceError(f"port {port} cannot be listened to for Open Sound Control: {error}") from error
        self.port = int(self._server.server_address[1])
        self._thread = threading.Thread(target=self._server.serve_forever, name="open sound control", daemon=True)
        self._thread.start()

    def _take(self, address: str, *values: object) -> None:
        if not address.startswith(ROOT):
            self.refused.append(f"{address} does not begin with {ROOT}")
        elif len(values) != 1 or isinstance(values[0], bool) or not isinstance(values[0], int | float):
            self.refused.append(f"{address} needs one number from 0 to 1")
        elif not math.isfinite(values[0]) or not 0.0 <= values[0] <= 1.0:
            self.refused.append(f"{address} needs a number from 0 to 1; got {values[0]:g}")
        else:
            self.heard.append((address.removeprefix(ROOT), float(values[0])))

    def close(self) -> None:
        """Stop listening."""
        self._server.shutdown()
        self._server.server_close()
        self._thread.join()
