"""The engine against hand-written C: the same graphs, timed in turn in one run; prints ratios."""

from __future__ import annotations

import ctypes
import statistics
import subprocess
import time
from pathlib import Path

import numpy as np

from bench.graphs import GRAPHS, KEYED
from dunefall.compiler.build import compile_patch
from dunefall.compiler.code import use_loop_code
from dunefall.compiler.loop import run
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.compiler.voices import module_key

__all__ = ["COMPILER", "ratios", "same_sound"]

COMPILER = ("gcc", "-O3", "-march=native", "-ffast-math", "-shared", "-fPIC", "-nostartfiles")
"""Without start files, which with -ffast-math would make the whole process round tiny numbers to 0."""
CHUNK = 150
"""Quantums that are timed at a time: 0.2 s of sound."""


def _library(folder: Path) -> ctypes.CDLL:
    folder.mkdir(parents=True, exist_ok=True)
    built = folder / "reference.so"
    subprocess.run([*COMPILER, str(Path(__file__).with_name("reference.c")), "-o", str(built), "-lm"], check=True)
    return ctypes.CDLL(str(built))


class _Pair:
    """One graph, both ways."""

    def __init__(self, library: ctypes.CDLL, letter: str) -> None:
        patch = GRAPHS[letter][1]
        self.program: Program = compile_patch(patch, rate=48000.0)
        use_loop_code(self.program, wait=True)
        keys = np.array([module_key(patch.seed, name) for name in KEYED[letter]], np.uint64)
        getattr(library, f"start_{letter}")(keys.ctypes.data_as(ctypes.c_void_p))
        self._run = getattr(library, f"run_{letter}")
        self.ours = np.zeros((CHUNK * QUANTUM, 2))
        self.theirs = np.zeros((CHUNK * QUANTUM, 2))
        self._traces = no_traces()

    def run_ours(self) -> float:
        begun = time.perf_counter()
        run(self.program.plan, self.program.memory, self._traces, self.ours)
        return time.perf_counter() - begun

    def run_theirs(self) -> float:
        begun = time.perf_counter()
        self._run(self.theirs.ctypes.data_as(ctypes.c_void_p), CHUNK)
        return time.perf_counter() - begun


def same_sound(letter: str, seconds: float, folder: Path) -> tuple[float, float]:
    """Largest difference between both, and largest value, in the first seconds."""
    pair = _Pair(_library(folder), letter)
    worst = peak = 0.0
    for _ in range(round(seconds / (CHUNK * QUANTUM / 48000))):
        pair.run_ours(), pair.run_theirs()
        worst = max(worst, float(np.abs(pair.ours - pair.theirs).max()))
        peak = max(peak, float(np.abs(pair.ours).max()))
    return worst, peak


def ratios(folder: Path, rounds: int = 200) -> dict[str, dict[str, float]]:
    """For each graph: engine's time by C's, from the fastest chunk of each, and the median of neighbouring chunks.

    Every round times all graphs: a neighbour on the machine, whose work lasts seconds, meets them alike.
    """
    library = _library(folder)
    pairs = {letter: _Pair(library, letter) for letter in GRAPHS}
    for pair in pairs.values():
        pair.run_ours(), pair.run_theirs()
    times: dict[str, list[tuple[float, float]]] = {letter: [] for letter in GRAPHS}
    for _ in range(rounds):
        for letter, pair in pairs.items():
            times[letter].append((pair.run_ours(), pair.run_theirs()))
    found = {}
    for letter, rows in times.items():
        ours, theirs = np.array(rows).T
        found[letter] = {
            "ratio": float(ours.min() / theirs.min()),
            "median_ratio": statistics.median((ours / theirs).tolist()),
            "engine_realtime": CHUNK * QUANTUM / 48000 / float(ours.min()),
        }
    return found


if __name__ == "__main__":
    for letter in GRAPHS:
        print(letter, "difference, peak:", same_sound(letter, 2.0, Path("build")))
    for letter, row in ratios(Path("build")).items():
        print(letter, GRAPHS[letter][0], {name: round(value, 3) for name, value in row.items()})
