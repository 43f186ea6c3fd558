"""Folders of a measurement's own: it neither uses nor changes what the user has."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

__all__ = ["own_folders"]


def own_folders(name: str) -> Path:
    """Let preferences, data and library of this process and its children be in a new folder, which is given.

    Parameters
    ----------
    name : str
        Of the measurement.

    Returns
    -------
    Path
    """
    folder = Path(tempfile.mkdtemp(prefix=f"dunefall-{name}-"))
    for what in ("CONFIG", "DATA", "LIBRARY"):
        os.environ[f"DUNEFALL_{what}"] = str(folder / what.lower())
    return folder
