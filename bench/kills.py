"""The whole program killed amid edits, again and again: what it had at most five seconds before is offered at the next
start.

`python -m bench.kills [--count 1000] [--seed 1]`. Each start is a process of its own with the window, the engine and
the usual timers. It takes up what the one before left, edits and saves at random, writes down when it made which edit,
and is killed with all its processes after a random time. Every edit has a number, which is the tempo of its patch.
"""

from __future__ import annotations

import argparse
import mmap
import os
import random
import shutil
import signal
import struct
import time
import traceback
from pathlib import Path

from PySide6.QtCore import QTimer

from bench.folders import own_folders
from dunefall.app.controls.theme import NOON
from dunefall.app.shell.files import save_path
from dunefall.app.shell.start import make_app
from dunefall.app.shell.talk import WindowTalk
from dunefall.app.shell.window import MainWindow
from dunefall.base.preferences import Preferences
from dunefall.engine.messages import EngineOptions
from dunefall.patch.files import load_patch
from dunefall.session import Session, open_patch
from dunefall.session.edits.layers import set_tempo

__all__ = ["main"]

MOST_LOST_S = 5.0
STEP = 1.0 / 64.0
"""Between the tempos of two edits: numbers that a file holds exactly."""
NOTES = 1 << 16
ENTRY = struct.Struct("<dd")


class _Notes:
    """What the killed process had done: number and time of each edit, in memory that outlives it."""

    def __init__(self) -> None:
        self._memory = mmap.mmap(-1, 8 + NOTES * ENTRY.size)

    def clear(self) -> None:
        self._memory[:8] = bytes(8)

    def add(self, number: float) -> None:
        (count,) = struct.unpack_from("<q", self._memory)
        ENTRY.pack_into(self._memory, 8 + count * ENTRY.size, number, time.monotonic())
        struct.pack_into("<q", self._memory, 0, count + 1)

    def all(self) -> list[tuple[float, float]]:
        (count,) = struct.unpack_from("<q", self._memory)
        return [ENTRY.unpack_from(self._memory, 8 + k * ENTRY.size) for k in range(count)]


def _edit_for_ever(folder: Path, notes: _Notes, found: _Notes, seed: int) -> None:
    """In the process that will be killed: window, engine, edits twenty times a second."""
    os.setsid()
    parent = os.getppid()
    dice, file = random.Random(seed), folder / "shore.dunefall"
    app = make_app("noon")
    WindowTalk.choose = lambda *_: "open"  # type: ignore[method-assign]
    patch, path = (load_patch(file), file) if file.exists() else open_patch("demo:")
    window = MainWindow(Session(patch, path, EngineOptions(audio="simulated")), NOON, Preferences(hints_seen=True))
    window.show()
    window.copies.offer()
    found.add(window.session.patch.tempo_bpm)
    if dice.random() < 0.3:
        window.session.play()

    def edit() -> None:
        if os.getppid() != parent:  # who was to kill it is gone
            os._exit(1)
        document = window.session.document
        what = dice.random()
        tempo = 40.0 + (document.patch.tempo_bpm - 40.0 + STEP) % 200.0
        if what < 0.02:
            save_path(window.context, file)
        elif what < 0.1 and document.undo_label:
            document.undo()
            notes.add(document.patch.tempo_bpm)
        else:
            set_tempo(document, tempo)
            document.end_merge()
            notes.add(tempo)

    timer = QTimer(window)
    timer.timeout.connect(edit)
    timer.start(50)
    app.exec()


def _lost_s(notes: list[tuple[float, float]], found: float, killed: float) -> float:
    """How old the oldest edit was that is not in what was found; infinite if nothing of it was found.

    Parameters
    ----------
    notes : list of (number, time)
        The edits.
    found : float
        The number of the patch that was offered.
    killed : float
        When the process was killed.

    Returns
    -------
    float
    """
    last = max((k for k, (number, _) in enumerate(notes) if number == found), default=None)
    if last is None:
        return float("inf")
    return killed - notes[last + 1][1] if last + 1 < len(notes) else 0.0


def _one(folder: Path, notes: _Notes, found: _Notes, seed: int, alive_s: float) -> float:
    """Start, let it edit, kill; when it was killed."""
    process = os.fork()
    if process == 0:
        try:
            _edit_for_ever(folder, notes, found, seed)
        except BaseException:
            traceback.print_exc()
        os._exit(9)
    begun = time.monotonic()
    while not notes.all() and time.monotonic() - begun < 60.0:
        time.sleep(0.01)
    time.sleep(alive_s)
    os.killpg(process, signal.SIGKILL)
    killed = time.monotonic()
    os.waitpid(process, 0)
    return killed


def main() -> int:
    """Kill it so many times; 1 if anything was lost."""
    parser = argparse.ArgumentParser(prog="python -m bench.kills", description=__doc__)
    parser.add_argument("--count", type=int, default=1000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    folder = own_folders("kills")
    notes, found, dice = _Notes(), _Notes(), random.Random(options.seed)
    before, killed, worst, wrong, edits = list[tuple[float, float]](), 0.0, 0.0, 0, 0
    for k in range(options.count + 1):  # the last one only looks
        notes.clear()
        found.clear()
        now = _one(folder, notes, found, options.seed + k, dice.uniform(0.0, 5.0) if k < options.count else 0.0)
        seen = found.all()
        lost = _lost_s(before, seen[0][0], killed) if before and seen else 0.0 if not before else float("inf")
        worst, edits = max(worst, lost), edits + len(before)
        if lost > MOST_LOST_S or not notes.all():
            wrong += 1
            print(f"start {k}: {lost:.1f} s lost, {len(notes.all())} edits, found {seen[:1]}", flush=True)
        before, killed = [(seen[0][0], 0.0), *notes.all()] if seen else [], now
        if k % 50 == 0:
            left = len(list(Path("/dev/shm").iterdir()))
            print(f"{k} kills, {edits} edits, {worst:.2f} s lost at most, {left} pieces of shared memory", flush=True)
    shutil.rmtree(folder, ignore_errors=True)
    return min(wrong, 1)


if __name__ == "__main__":
    raise SystemExit(main())
