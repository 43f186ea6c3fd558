"""How long something has stood still in another process, without the time in which the machine gave that no processor.

A host that takes the processors of a virtual machine away, or other programs, let a thread wait for seconds that does
nothing wrong: to replace its process would help nobody.
"""

from __future__ import annotations

import contextlib
from pathlib import Path

__all__ = ["Standstill", "threads_of"]

LOOK_S = 0.1
"""So often its threads are looked at: for less the system does not tell how long one ran."""
AWAY_S = 1.0
"""Who did not look for so long was away, and knows nothing of that time."""


class Standstill:
    """Follows a sign of life, a time that is written anew as long as all is well."""

    def __init__(self) -> None:
        self._sign_s = self._looked_s = self._waited_s = 0.0
        self._threads = dict[int, tuple[bool, float]]()

    def seconds(self, process: int, sign_s: float, now_s: float) -> float:
        """How long it has stood still since that sign was first seen here.

        Parameters
        ----------
        process : int
            Number of the process.
        sign_s : float
            The last sign of life, as ``time.monotonic()`` counts.
        now_s : float
            ``time.monotonic()``.

        Returns
        -------
        float
            Without what its threads waited for a processor meanwhile.
        """
        if sign_s != self._sign_s:
            self._sign_s, self._looked_s, self._waited_s = sign_s, now_s, now_s - sign_s
            self._threads = {}
        passed_s = now_s - self._looked_s
        if passed_s >= LOOK_S:
            before, self._threads, self._looked_s = self._threads, threads_of(process), now_s
            ran_s = min([ran - before[thread][1] for thread, (wants, ran) in self._threads.items()
                         if wants and thread in before], default=passed_s)  # fmt: skip
            if passed_s > AWAY_S:
                self._waited_s += passed_s
            elif ran_s < passed_s / 2:
                self._waited_s += passed_s - ran_s
        return now_s - sign_s - self._waited_s


def threads_of(process: int) -> dict[int, tuple[bool, float]]:
    """The threads of a process (``man 5 proc_pid_stat``, and the kernel's Documentation/scheduler/sched-stats, from
    memory).

    Parameters
    ----------
    process : int
        Its number.

    Returns
    -------
    dict of int to (bool, float)
        By its number, whether a thread runs or wants to, and how many seconds it has run; none where that is not told.
    """
    found = {}
    for task in Path(f"/proc/{process}/task").glob("*"):
        with contextlib.suppress(OSError, ValueError, IndexError):  # one that has just ended
            state = (task / "stat").read_text().rpartition(")")[2].split()[0]
            found[int(task.name)] = state == "R", int((task / "schedstat").read_text().split()[0]) / 1e9
    return found
