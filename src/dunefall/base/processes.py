"""Processes: which of them run, as what one has left behind belongs to nobody; which the system may end first; which
end with another."""

from __future__ import annotations

import contextlib
import os
import re
import threading
import time
from pathlib import Path

__all__ = ["be_given_up_first", "end_with", "runs"]

GIVEN_UP = 500
"""Of 1000: see ``man 5 proc_pid_oom_score_adj``."""
LOOKS_S = 0.5


def be_given_up_first() -> None:
    """Where memory runs out, the system ends this process, which can be replaced, and not the one with the window."""
    with contextlib.suppress(OSError):
        Path("/proc/self/oom_score_adj").write_text(str(GIVEN_UP))


def end_with(parent: int) -> None:
    """End this process soon after the one that began it has ended, however that ends and whatever is under way here.

    Parameters
    ----------
    parent : int
        Number of that process.
    """

    def follow() -> None:
        while os.getppid() == parent:
            time.sleep(LOOKS_S)
        os._exit(1)

    threading.Thread(target=follow, daemon=True).start()


def runs(process: str) -> bool:
    """Whether a process of this number runs.

    Parameters
    ----------
    process : str
        A number, as it stands in the name of a file; what is none runs not.

    Returns
    -------
    bool
    """
    if not re.fullmatch(r"[1-9][0-9]{0,8}", process, re.ASCII):
        return False
    try:
        os.kill(int(process), 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
