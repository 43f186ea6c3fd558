"""Threads that share the work of one program at a time."""

from __future__ import annotations

import ctypes
import os
import threading
from collections.abc import Callable

from dunefall.compiler.loop import help_out
from dunefall.compiler.plan import Ints, aligned_zeros
from dunefall.compiler.records import MOST_THREADS
from dunefall.compiler.sharing import HELPERS, LEAVE, POST, WAIT, WORDS, YIELD, close_strands, semaphore_at

__all__ = ["Team", "threads_here"]


def threads_here() -> int:
    """How many threads of a program can run at once on this machine: as many as the processors that it may use."""
    return min(MOST_THREADS, len(os.sched_getaffinity(0)))


class Team:
    """The thread that runs a program, and its helpers, at first none. Of several threads that run programs with it at
    once, one has the helpers.

    Parameters
    ----------
    threads : int
        See ``grow``.
    """

    def __init__(self, threads: int = 1, first: Callable[[], None] = lambda: None) -> None:
        self.words: Ints = aligned_zeros(WORDS).view("int64")
        self._helpers: list[threading.Thread] = []
        close_strands(self.words)
        if threads > 1:
            self.grow(threads, first)

    def grow(self, threads: int, first: Callable[[], None] = lambda: None) -> None:
        """Have helpers from now on.

        Parameters
        ----------
        threads : int
            With the one that runs the program; at most ``MOST_THREADS`` of them.
        first : function
            Called by each helper at its start.
        """
        count = min(threads, MOST_THREADS) - 1
        system = ctypes.CDLL(None)
        address = self.words.ctypes.data
        for word, name in ((POST, "sem_post"), (WAIT, "sem_wait"), (YIELD, "sched_yield")):
            self.words[word] = ctypes.cast(getattr(system, name), ctypes.c_void_p).value or 0
        self._post = system.sem_post
        for helper in range(1, count + 1):
            system.sem_init(ctypes.c_void_p(semaphore_at(address, helper)), 0, 0)

            def work(helper: int = helper) -> None:
                first()
                help_out(self.words, helper)

            self._helpers.append(threading.Thread(target=work, name=f"helper {helper}", daemon=True))
            self._helpers[-1].start()
        self.words[HELPERS] = count

    @property
    def threads(self) -> int:
        """How many work together."""
        return 1 + len(self._helpers)

    def close(self) -> None:
        """Send the helpers home; the words are those of one thread alone from now on."""
        self.words[HELPERS], self.words[LEAVE] = 0, 1
        for helper, thread in enumerate(self._helpers, 1):
            self._post(ctypes.c_void_p(semaphore_at(self.words.ctypes.data, helper)))
            thread.join()
        self._helpers.clear()
