"""`python -m bench.steady [SECONDS [PATCH [queue]]]`: the demo at 128 frames while the window is used: underruns.
With ``queue`` at 256 frames, while the render queue works on all cores.

Beside it a process that only sleeps, with the same priority as the sound, notes when it wakes late, and the kernel
counts the time that the host took from this machine (steal): underruns at such moments are told apart from the
program's own.
"""

from __future__ import annotations

import json
import multiprocessing
import os
import statistics
import subprocess
import sys
import tempfile
import time
from multiprocessing.connection import Connection

from PySide6.QtTest import QTest

from bench.machine import stolen_s
from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.shell.start import make_app
from dunefall.app.shell.window import MainWindow
from dunefall.engine.devices.output import ask_for_real_time
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.library import DEMO
from dunefall.session import Session, open_patch
from dunefall.session.edits.modules import set_param

__all__ = ["measure", "own_underruns", "use"]

FRAMES, QUEUE_FRAMES = 128, 256
LATE_S = 0.01
"""A thread that only sleeps and wakes later than this was kept from it by the machine."""
STOLEN_S = 0.03
REACH_S = 0.3
"""An underrun is noticed at most this long after what caused it."""


def _sleeper(pipe: Connection) -> None:
    ask_for_real_time()
    stalls: list[tuple[float, float]] = []
    while not pipe.poll(0):
        due = time.monotonic() + 0.0027
        time.sleep(0.0027)
        late = time.monotonic() - due
        if late > LATE_S:
            stalls.append((due, due + late))
    pipe.send(stalls)


def own_underruns(looks: list[tuple[float, float, float]], stalls: list[tuple[float, float]]) -> float:
    """Underruns at moments at which the machine did not stall; ``looks`` are (time, underruns, stolen seconds)."""
    own = 0.0
    for k in range(1, len(looks)):
        (begun, before, _), (ended, after, stolen) = looks[k - 1], looks[k]
        earlier = next((look[2] for look in looks if look[0] >= begun - REACH_S), stolen)
        stalled = any(first < ended and last > begun - REACH_S for first, last in stalls)
        if after > before and not stalled and stolen - earlier < STOLEN_S:
            own += after - before
    return own


def use(seconds: float, patch: str = DEMO, queue: bool = False) -> None:
    """Print, as JSON, underruns, those that no stall of the machine explains, the engine's load, and the stalls."""
    make_app("noon")
    options = EngineOptions(audio="simulated", frames=QUEUE_FRAMES if queue else FRAMES)
    window = MainWindow(Session(*open_patch(patch), options), NOON)
    window.show()
    page = window.page("render")
    status = window.session.engine.status
    while status[Status.BLOCKS] < 10:
        QTest.qWait(20)
    QTest.qWait(1000)
    mine, theirs = multiprocessing.get_context("spawn").Pipe()
    sleeper = multiprocessing.get_context("spawn").Process(target=_sleeper, args=(theirs,), daemon=True)
    sleeper.start()
    QTest.qWait(1500)
    if queue:
        page.settings.set(folder=tempfile.mkdtemp(), name="v_{n:05}", variations=10_000, seconds=2.0, ends="cut")
        page.add()
        while len(page.queue.entries[0].files) < 2:
            QTest.qWait(20)
    begun, loads, step = time.monotonic(), [], 0
    looks = [(begun, float(status[Status.UNDERRUNS]), stolen_s())]
    modules = [module.id for module in window.session.patch.modules()]
    while time.monotonic() - begun < seconds:
        step += 1
        window.selection.select(modules[step // 5 % len(modules)])
        for k, rail in enumerate(window.page("build").inspector.rails.values()):
            if k == step % 3:
                set_param(
                    window.session.document,
                    window.selection.module,
                    rail.param.id,
                    rail.param.from_rail(step % 50 / 50),
                )
        if step % 10 == 0:
            window.resize(1100 + step % 180, 700 + step % 100)
        if step % 200 == 0:
            window.set_theme(DUSK if step % 400 else NOON)
        if step % 50 == 0:
            window.session.document.undo()
        QTest.qWait(30)
        loads.append(float(status[Status.LOAD]))
        looks.append((time.monotonic(), float(status[Status.UNDERRUNS]), stolen_s()))
    mine.send("end")
    stalls = mine.recv()
    sleeper.join()
    files = sum(len(entry.files) for entry in page.queue.entries)
    page.queue.close()
    window.session.close()
    found = {
        "files_rendered": float(files),
        "seconds": seconds,
        "underruns": looks[-1][1] - looks[0][1],
        "own_underruns": own_underruns(looks, stalls),
        "median_load": statistics.median(loads),
        "machine_stalls": float(len(stalls)),
        "machine_latest_ms": 1000 * max((last - first for first, last in stalls), default=0.0),
        "stolen_s": looks[-1][2] - looks[0][2],
    }
    print(json.dumps(found), flush=True)
    os._exit(0)  # without taking the window apart, which nobody waits for


def measure(seconds: float = 600.0, patch: str = DEMO) -> dict[str, float]:
    """As ``use``, in a process of its own."""
    command = [sys.executable, "-m", "bench.steady", str(seconds), patch]
    done = subprocess.run(command, check=True, capture_output=True, text=True)
    found: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return found


if __name__ == "__main__":
    given = dict(enumerate(sys.argv))
    use(float(given.get(1, 600.0)), given.get(2, DEMO), given.get(3) == "queue")
