"""The shipped patches, and everything that can be named where a patch is expected: a file, ``demo:`` or
``starter:NAME``."""

from __future__ import annotations

from pathlib import Path

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.patch.files import load_patch
from dunefall.patch.model import Patch

__all__ = ["DATA", "DEMO", "find_patch", "starters"]

DATA = Path(__file__).parent.parent / "data"
DEMO = "demo:"
_STARTER = "starter:"


def starters() -> dict[str, Path]:
    """Files of the shipped starters by name, in alphabetical order."""
    return {path.stem: path for path in sorted((DATA / "starters").glob("*.dunefall"))}


def find_patch(name: str) -> tuple[Patch, Path | None]:
    """Patch and file of a name that a user typed; shipped patches have no file, so that saving asks for one.

    Parameters
    ----------
    name : str
        A file, `demo:` or `starter:NAME`.

    Returns
    -------
    tuple[Patch, Path or None]

    Raises
    ------
    PatchError
        If there is not a such starter, or the file is no patch.
    StorageError
        If the file cannot be read.
    """
    if name == DEMO:
        return load_patch(DATA / "sluice-house.dunefall"), None
    if name.startswith(_STARTER):
        path = starters().get(name.removeprefix(_STARTER))
        if path is None:
            raise PatchError(tr('there is no starter "{removeprefix}"; there are {listed}',
                                removeprefix=name.removeprefix(_STARTER), listed=", ".join(starters())))  # fmt: skip
        return load_patch(path), None
    path = Path(name)
    return load_patch(path), path
