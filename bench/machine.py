"""What the host does to this machine while something is measured."""

from __future__ import annotations

import os
from pathlib import Path

__all__ = ["stolen_s"]


def stolen_s() -> float:
    """Seconds that the host took from all processors since the start."""
    fields = Path("/proc/stat").read_text().splitlines()[0].split()
    return int(fields[8]) / os.sysconf("SC_CLK_TCK")
