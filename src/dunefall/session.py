"""What window and command line talk to: the document, and the engine that sounds it."""

from __future__ import annotations

from pathlib import Path

from dunefall.catalogue.validate import check_patch
from dunefall.patch.library import find_patch
from dunefall.patch.model import Patch

__all__ = ["open_patch"]


def open_patch(name: str) -> tuple[Patch, Path | None]:
    """Patch and file of a name that a user gave, checked against the catalogue.

    Raises
    ------
    PatchError, StorageError
        With one clear sentence.
    """
    patch, path = find_patch(name)
    check_patch(patch)
    return patch, path
