"""Loaded kernels: what they take."""

from __future__ import annotations

import subprocess
import sys

import dunefall.compiler.makecode as makecode

MOST_MB = 40.0
"""All kernels of the catalogue: twice what they take; with Numba's code for linking they took 68 MB."""

MEASURED = """
from dunefall.catalogue import catalogue
from dunefall.compiler.warmup import prepare, warm_up

def held_mb():
    return int(open("/proc/self/statm").read().split()[1]) * 4096 / 1e6

warm_up()
before = held_mb()
prepare(catalogue())
print(held_mb() - before)
"""


def test_all_kernels_loaded_take_little_memory() -> None:
    subprocess.run([sys.executable, "-m", makecode.__name__, "--all"], check=True)  # what compiles takes more
    found = subprocess.run([sys.executable, "-c", MEASURED], check=True, capture_output=True, text=True)
    assert float(found.stdout) < MOST_MB
