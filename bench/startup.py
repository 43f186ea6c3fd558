"""How long the window takes to open, against a bare window with the same libraries imported."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time

__all__ = ["first_start_s", "measure"]

BARE = """
import sys, time
import numpy, scipy, numba
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow()
window.resize(1280, 800)
window.show()
QTimer.singleShot(0, app.quit)
app.exec()
"""
OURS = """
import sys, os, signal, time
from dunefall.app.shell import start, window
shown = window.MainWindow.showEvent
def first_picture(self, event):
    shown(self, event)
    from PySide6.QtCore import QTimer
    QTimer.singleShot(0, lambda: leave(self.session.engine))
def leave(engine):  # the engine is still loading: what counts is the picture
    os.kill(engine.process_id, signal.SIGKILL)
    engine._shared.close()
    os._exit(0)
window.MainWindow.showEvent = first_picture
from dunefall.cli import main
main(["--demo", "--audio", "simulated", "--theme", "noon"])
"""


def _time(code: str) -> float:
    begun = time.perf_counter()
    subprocess.run([sys.executable, "-c", code], check=True, timeout=180)
    return time.perf_counter() - begun


def measure(rounds: int = 5) -> dict[str, float]:
    """Median seconds of both, taken in turn, and their ratio; each is started once before."""
    _time(BARE), _time(OURS)
    bare, ours = [], []
    for _ in range(rounds):
        bare.append(_time(BARE))
        ours.append(_time(OURS))
    return {
        "bare_s": statistics.median(bare),
        "window_s": statistics.median(ours),
        "ratio": statistics.median(ours) / statistics.median(bare),
    }


def first_start_s() -> float:
    """Seconds that everything the demo needs takes to compile when nothing has been compiled before."""
    code = (
        "from dunefall.compiler.warmup import prepare; from dunefall.session import open_patch; "
        "prepare(module.type for module in open_patch('demo:')[0].modules())"
    )
    with tempfile.TemporaryDirectory() as folder:
        begun = time.perf_counter()
        subprocess.run([sys.executable, "-c", code], check=True, env={**os.environ, "DUNEFALL_CACHE": folder})
        return time.perf_counter() - begun


if __name__ == "__main__":
    print(measure())
