"""Large arrays are given back: what is freed is no longer the process's, whatever came and went before."""

from __future__ import annotations

import subprocess
import sys

PROGRAM = """
import numpy as np, resource, sys
from dunefall.base.collector import give_back_large_arrays
def used_mb():
    return int(open("/proc/self/statm").read().split()[1]) * resource.getpagesize() / 1e6
if sys.argv[1] == "fixed":
    give_back_large_arrays()
for size in (2, 4, 8, 16, 24, 30):  # freeing each of these raises the usual threshold
    np.ones(size << 17)
before = used_mb()
kept, gone = [], []
for _ in range(40):  # every other one goes again: holes, if they lie in the heap
    gone.append(np.ones(3 << 17))
    kept.append(np.ones(1 << 8).tolist())
    kept.append(np.ones(1 << 17))
gone.clear()
print(used_mb() - before - 40 * 1.05)
"""


def _left_mb(how: str) -> float:
    done = subprocess.run([sys.executable, "-c", PROGRAM, how], capture_output=True, text=True, check=True)
    return float(done.stdout)


def test_what_is_freed_goes_back_to_the_system() -> None:
    """Beside the same program with the C library's own threshold, which keeps the holes."""
    assert _left_mb("fixed") < 10.0
    assert _left_mb("usual") > 50.0
