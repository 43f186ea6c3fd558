"""`python -m bench.steady [SECONDS]`: the demo at 128 frames while the window is used without pause; counts underruns.

Beside it a process that only sleeps, with the same priority as the sound, notes how late it wakes: what the machine
itself takes away (other guests of the host) is told apart from what the program does.
"""

from __future__ import annotations

import json
import multiprocessing
import os
import subprocess
import sys
import time
from multiprocessing.connection import Connection

from PySide6.QtTest import QTest

from dunefall.app.start import make_app
from dunefall.app.theme import DUSK, NOON
from dunefall.app.window import MainWindow
from dunefall.engine.devices.output import HELD_S, ask_for_real_time
from dunefall.engine.host import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.library import DEMO
from dunefall.session import Session, open_patch

__all__ = ["measure", "use"]

FRAMES = 128


def _sleeper(pipe: Connection) -> None:
    ask_for_real_time()
    stalls, worst = 0, 0.0
    while not pipe.poll(0):
        due = time.monotonic() + 0.0027
        time.sleep(0.0027)
        late = time.monotonic() - due
        worst = max(worst, late)
        stalls += late > HELD_S - 0.01
    pipe.send((stalls, worst))


def use(seconds: float) -> None:
    """Print, as JSON, underruns, the engine's load, and how often the bare machine stalled as long."""
    make_app("noon")
    window = MainWindow(Session(*open_patch(DEMO), EngineOptions(audio="simulated", frames=FRAMES)), NOON)
    window.show()
    status = window.session.engine.status
    while status[Status.BLOCKS] < 10:
        QTest.qWait(20)
    QTest.qWait(1000)
    mine, theirs = multiprocessing.get_context("spawn").Pipe()
    sleeper = multiprocessing.get_context("spawn").Process(target=_sleeper, args=(theirs,), daemon=True)
    sleeper.start()
    QTest.qWait(1500)
    before, begun, load, step = status[Status.UNDERRUNS], time.monotonic(), 0.0, 0
    modules = [module.id for module in window.session.patch.modules()]
    while time.monotonic() - begun < seconds:
        step += 1
        window.canvas.select(modules[step // 5 % len(modules)])
        for k, rail in enumerate(window.inspector.rails.values()):
            if k == step % 3:
                window.session.set_param(window.canvas.selection, rail.param.id, rail.param.from_rail(step % 50 / 50))
        if step % 10 == 0:
            window.resize(1100 + step % 180, 700 + step % 100)
        if step % 200 == 0:
            window.set_theme(DUSK if step % 400 else NOON)
        if step % 50 == 0:
            window.undo()
        load = max(load, float(status[Status.LOAD]))
        QTest.qWait(30)
    underruns = float(status[Status.UNDERRUNS] - before)
    mine.send("end")
    stalls, worst = mine.recv()
    sleeper.join()
    window.session.close()
    found = {"seconds": seconds, "underruns": underruns, "highest_load": load, "machine_stalls": float(stalls),
            "machine_latest_ms": worst * 1000}  # fmt: skip
    print(json.dumps(found), flush=True)
    os._exit(0)  # without taking the window apart, which nobody waits for


def measure(seconds: float = 600.0) -> dict[str, float]:
    """As ``use``, in a process of its own."""
    command = [sys.executable, "-m", "bench.steady", str(seconds)]
    done = subprocess.run(command, check=True, capture_output=True, text=True)
    found: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return found


if __name__ == "__main__":
    use(float(sys.argv[1]) if len(sys.argv) > 1 else 600.0)
