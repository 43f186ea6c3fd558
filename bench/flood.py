"""A flood of Open Sound Control: 20,000 packets a second, whole and broken, while the demo plays in the window.

`python -m bench.flood [--seconds 10]` prints the longest pause of the window's thread and the sound's underruns without
and with it, and what the user is told of it.
"""

from __future__ import annotations

import argparse
import os
import random
import socket
import subprocess
import sys
import time

from PySide6.QtCore import QTimer
from PySide6.QtTest import QTest

from bench.fuzz import packets
from bench.monkey import monkey_window
from bench.mutate import broken_bytes
from dunefall.app.shell.start import make_app
from dunefall.app.shell.window import MainWindow
from dunefall.engine.devices.osc import HOST, OscInput
from dunefall.engine.shared import Status

__all__ = ["main"]

PER_SECOND, AT_ONCE = 20_000, 200


def _send(port: int, seconds: float) -> None:
    """In a process of its own: so many packets a second, one in ten broken."""
    dice = random.Random(1)
    whole = packets()
    ready = [dice.choice(whole) if k % 10 else broken_bytes(dice.choice(whole), dice)[:60_000] for k in range(2000)]
    sent, begun = 0, time.monotonic()
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sender:
        while (now := time.monotonic() - begun) < seconds:
            while sent < now * PER_SECOND:
                for _ in range(AT_ONCE):
                    sender.sendto(ready[sent % len(ready)], (HOST, port))
                    sent += 1
            time.sleep(0.001)
    print(f"{sent / seconds:.0f} packets a second were sent", flush=True)


def _watched(window: MainWindow, seconds: float) -> tuple[float, int]:
    """The longest pause of the window's thread in ms, and the underruns."""
    pauses, last = [0.0], [time.perf_counter()]
    timer = QTimer(window)

    def tick() -> None:
        now = time.perf_counter()
        pauses.append(now - last[0])
        last[0] = now

    timer.timeout.connect(tick)
    before = window.session.engine.status[Status.UNDERRUNS]
    timer.start(1)
    QTest.qWait(round(1000 * seconds))
    timer.stop()
    return 1000.0 * max(pauses), int(window.session.engine.status[Status.UNDERRUNS] - before)


def main() -> int:
    """Print the figures."""
    parser = argparse.ArgumentParser(prog="python -m bench.flood", description=__doc__)
    parser.add_argument("--seconds", type=float, default=10.0)
    parser.add_argument("--to", type=int, help="this is the process that sends, to this port")
    options = parser.parse_args()
    if options.to:
        _send(options.to, options.seconds)
        return 0
    make_app("noon")
    window = monkey_window()
    osc = window.session.control.osc = OscInput(0)
    QTest.qWait(8000)
    window.session.play()
    QTest.qWait(4000)
    without = _watched(window, options.seconds)
    told = len(window.notice.kept)
    command = [sys.executable, "-m", "bench.flood", "--to", str(osc.port), "--seconds", str(options.seconds)]
    sender = subprocess.Popen(command)
    flooded = _watched(window, options.seconds)
    sender.wait()
    print(f"longest pause {without[0]:.0f} ms, {flooded[0]:.0f} ms flooded; underruns {without[1]}, {flooded[1]}")
    for notice in list(window.notice.kept)[told:]:
        print(notice.text)
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    raise SystemExit(main())
