"""A patch that is edited twenty times a second for hours: nothing grows, nothing is left behind.

`python -m bench.edited --simulated 24` runs the engine's programs for so many hours as fast as it goes, with the steps
and programs that the engine makes of edits. `--real 60` runs the window with the demo for so many minutes. Both end
with an error where memory grows by more than two in a hundred in an hour, or where a thread, a handle, a file or a
process is left over.
"""

from __future__ import annotations

import argparse
import gc
import os
import random
import resource
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.folders import own_folders
from bench.monkey import monkey_window
from dunefall.app.shell.start import make_app
from dunefall.base.collector import give_back_large_arrays
from dunefall.base.errors import DunefallError
from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.joining import joined
from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import same_structure
from dunefall.compiler.takeover import Takeover
from dunefall.compiler.traces import no_traces
from dunefall.compiler.warmup import prepare
from dunefall.engine.shared import FOLDER, PREFIX
from dunefall.patch.document import Document
from dunefall.patch.library import load_patch, starters
from dunefall.patch.model import Patch
from dunefall.render.player import NOW, Player, Step, glide
from dunefall.session.edits.links import change_link
from dunefall.session.edits.modules import remove_modules, set_param, toggle_bypass

__all__ = ["Hand", "main"]

RATE, EDIT_S = 48000, 0.05
MOST_GROWTH = 0.02
"""In an hour."""
LIGHT = "pump-engine"
"""The starter that runs for a day: it is worked out 250 times as fast as it sounds."""
FULL_S = 660.0
"""The ring of the last ten minutes is full when so much was heard: it grows no more."""
MOST_AT_ONCE = 4
"""Edits that a late tick makes up for; whoever edits cannot do more."""
ADDED = ("lfo", "noise", "filter", "delay", "sample-hold", "scatter", "reverb", "sequencer", "envelope")
MOST_ADDED, MOST_BYPASSED = 2, 2
"""At a time: a delay or a reverb has megabytes of lines, in every program and checkpoint, none while it is bypassed;
more of them would be taken for growth."""


class Hand:
    """Edits a document at random: mostly values, and now and then the structure; what it adds, it removes again.

    Parameters
    ----------
    document : Document
        What is edited.
    seed : int
        Where chance begins.
    """

    def __init__(self, document: Document, seed: int) -> None:
        self._document, self._dice = document, random.Random(seed)
        self._own = {module.id for module in document.patch.modules()}
        self._usual = dict[str, float]()
        self.made = 0

    def edit(self) -> None:
        """One edit: what the patch refuses, or leaves as it is, is none."""
        before = self._document.patch
        while self._document.patch is before:
            self._try()
        self.made += 1

    def _try(self) -> None:
        dice, document = self._dice, self._document
        what, patch = dice.random(), document.patch
        added = [module.id for module in patch.modules() if module.id not in self._own]  # undo may bring one back
        try:
            if what < 0.004 and len(added) < MOST_ADDED:
                self._add(patch)
            elif what < 0.01 and added:
                remove_modules(document, (added[0],))
            elif what < 0.05 and document.undo_label:
                document.undo()
            elif what < 0.15:
                link = dice.choice(patch.links)
                usual = self._usual.setdefault(link.id, link.amount)
                change_link(document, replace(link, amount=usual * dice.uniform(0.5, 1.5)))
            elif what < 0.17:
                self._bypass(patch)
            else:
                self._turn(patch)
        except DunefallError:
            pass

    def _bypass(self, patch: Patch) -> None:
        """One more, or one of those that are."""
        bypassed = [module.id for module in patch.modules() if module.bypassed]
        offered = [module.id for module in patch.modules() if module.type != "master"]
        toggle_bypass(self._document, (self._dice.choice(bypassed if len(bypassed) >= MOST_BYPASSED else offered),))

    def _add(self, patch: Patch) -> None:
        layer = self._dice.choice([layer.id for layer in patch.layers if layer.id not in ("shared", "master")])
        made = joined(patch, layer, self._dice.choice([name for name in ADDED if spec_of(name)]))
        self._document.edit("Add", made.patch)

    def _turn(self, patch: Patch) -> None:
        turned = [
            (module, params) for module in patch.modules() if (spec := spec_of(module.type))
            and (params := [param for param in spec.params if not param.choices and param.id != "level_db"])
        ]  # fmt: skip
        module, params = self._dice.choice(turned)
        param = self._dice.choice(params)
        now = module.params.get(param.id, param.default) + self._dice.gauss(0.0, 0.05) * (param.high - param.low)
        set_param(self._document, module.id, param.id, min(param.high, max(param.low, now)))
        self._document.end_merge()


def _memory_mb(process: int | str = "self") -> float:
    pages = int(Path(f"/proc/{process}/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 1e6


class _Growth:
    """Memory in the course of time: the slope of the straight line that fits what was there since it had settled."""

    def __init__(self, settled_s: float) -> None:
        self._settled_s, self._seen = settled_s, list[tuple[float, float]]()
        self.per_hour = 0.0

    def note(self, now_s: float, used_mb: float) -> None:
        if now_s >= self._settled_s:
            self._seen.append((now_s / 3600.0, used_mb))
        if len(self._seen) > 2:
            hours, used = np.array(self._seen).T
            self.per_hour = float(np.polyfit(hours, used, 1)[0] / used[:3].mean())


def simulated(hours: float, seed: int) -> int:
    """So many hours as fast as it goes; 1 if memory grows or the sound is no number."""
    prepare(catalogue())
    give_back_large_arrays()  # as the engine does
    document = Document(load_patch(starters()[LIGHT]))
    player = Player(compile_patch(document.patch, rate=RATE), channels=6)
    hand, piece, growth = Hand(document, seed), np.zeros((round(EDIT_S * RATE), 6)), _Growth(1800.0)
    programs = [1]

    def follow(before: Patch, after: Patch) -> None:
        if same_structure(before, after):
            player.steps.append(Step(NOW, glide(before, after)))
            return
        program = compile_patch(after, rate=RATE)
        takeover = Takeover(program, player.program)
        player.steps.append(Step(NOW, lambda p: p.swap(program, no_traces(), takeover), structural=True))
        programs[0] += 1

    document.changed.connect(follow)
    begun = time.monotonic()
    for k in range(round(hours * 3600 / EDIT_S)):
        hand.edit()
        player.fill(piece)
        if not np.isfinite(piece).all():
            print(f"edit {k}: the sound is no number")
            return 1
        if k % 12000 == 0:
            gc.collect()
            growth.note(k * EDIT_S, _memory_mb())
            print(f"{k * EDIT_S / 3600:5.2f} h, {k} edits, {programs[0]} programs, {_memory_mb():.0f} MB, "
                  f"{100 * growth.per_hour:+.2f} % an hour, {player.program.memory.faults.sum()} silenced, "
                  f"after {time.monotonic() - begun:.0f} s", flush=True)  # fmt: skip
    return int(growth.per_hour > MOST_GROWTH)


def _left() -> dict[str, int]:
    """Threads, handles, processes, pieces of shared memory and files of this program."""
    children = Path(f"/proc/self/task/{os.getpid()}/children").read_text().split()
    return {
        "threads": threading.active_count(), "handles": len(os.listdir("/proc/self/fd")), "processes": len(children),
        "shared": len(list(FOLDER.glob(f"{PREFIX}{os.getpid()}-*"))),
        "files": sum(1 for _ in Path(os.environ["DUNEFALL_DATA"]).parent.rglob("*")),
    }  # fmt: skip


def real(minutes: float, seed: int) -> int:
    """The window for so many minutes; 1 if anything grows or is left."""
    from PySide6.QtCore import QTimer
    from PySide6.QtTest import QTest

    app = make_app("noon")
    faults = list[str]()
    sys.excepthook = lambda kind, error, trace: faults.append(repr(error))
    window = monkey_window()
    hand, engine = Hand(window.session.document, seed), window.session.engine
    window.session.play()
    timer = QTimer(window)
    begun = time.monotonic()

    def keep_up() -> None:
        """As many edits as the time wants: a tick that came late is made up for."""
        wanted = (time.monotonic() - begun) / EDIT_S
        for _ in range(min(MOST_AT_ONCE, round(wanted) - hand.made)):
            hand.edit()

    timer.timeout.connect(keep_up)
    timer.start(round(1000 * EDIT_S))
    growths, first = {"window": _Growth(600.0), "engine": _Growth(600.0)}, dict[str, int]()
    told_at = time.time()
    while (now := time.monotonic() - begun) < 60 * minutes:
        QTest.qWait(30_000)
        gc.collect()
        used = {"window": _memory_mb(), "engine": _memory_mb(engine.process_id or "self")}
        for name, growth in growths.items():
            growth.note(now, used[name])
        first = first or (_left() if window.session.seconds > FULL_S else {})
        more = {name: count - first[name] for name, count in _left().items() if first}
        print(f"{now / 60:5.1f} min, {hand.made} edits, " + ", ".join(
            f"{name} {used[name]:.0f} MB {100 * growths[name].per_hour:+.1f} % an hour" for name in used
        ) + f", more than when the ring was full: {more}, {len(faults)} errors", flush=True)  # fmt: skip
        new, told_at = [one.text for one in window.notice.kept if one.told_at > told_at], time.time()
        print(*(f"  {text}\n" for text in new), sep="", end="", flush=True)
    timer.stop()
    grown = max(growth.per_hour for growth in growths.values())
    wrong = grown > MOST_GROWTH or any(count > 0 for count in more.values()) or faults
    print(*faults[:5], sep="\n")
    window.session.document.mark_saved(None)
    window.close()
    app.processEvents()
    return int(bool(wrong))


def main() -> int:
    """Run what is asked for."""
    parser = argparse.ArgumentParser(prog="python -m bench.edited", description=__doc__)
    parser.add_argument("--simulated", type=float, default=0.0, help="hours")
    parser.add_argument("--real", type=float, default=0.0, help="minutes")
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    own_folders("edited")
    runs: list[tuple[Callable[[float, int], int], float]] = [(simulated, options.simulated), (real, options.real)]
    return max([run(length, options.seed) for run, length in runs if length], default=0)


if __name__ == "__main__":
    raise SystemExit(main())
