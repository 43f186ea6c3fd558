"""Processes: which of them run, as what one has left behind belongs to nobody, and which the system may end first."""

from __future__ import annotations

import contextlib
import os
import re
from pathlib import Path

__all__ = ["be_given_up_first", "runs"]

GIVEN_UP = 500
"""Of 1000: see ``man 5 proc_pid_oom_score_adj``."""


def be_given_up_first() -> None:
    """Where memory runs out, the system ends this process, which can be replaced, and not the one with the window."""
    with contextlib.suppress(OSError):
        Path("/proc/self/oom_score_adj").write_text(str(GIVEN_UP))


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
