"""Opening what a user names: patches and takes, checked against the catalogue."""

from __future__ import annotations

from pathlib import Path

from dunefall.base.errors import PatchError
from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Input
from dunefall.catalogue.validate import check_patch
from dunefall.patch.changes import apply_changes
from dunefall.patch.files import check_parts
from dunefall.patch.library import find_patch
from dunefall.patch.model import Patch
from dunefall.patch.take import Edit, Press, Take
from dunefall.patch.takefiles import load_take

__all__ = ["open_patch", "open_take"]


def open_patch(name: str) -> tuple[Patch, Path | None]:
    """Patch and file of a name that a user gave, checked against the catalogue.

    Parameters
    ----------
    name : str
        A file, `demo:` or `starter:NAME`.

    Returns
    -------
    tuple[Patch, Path or None]

    Raises
    ------
    PatchError, StorageError
        With one clear sentence.
    """
    patch, path = find_patch(name)
    check_patch(patch)
    return patch, path


def open_take(path: Path) -> Take:
    """Take of a file, its patches checked against the catalogue at the start and after each change.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    Take

    Raises
    ------
    PatchError, StorageError
        With one clear sentence.
    """
    take = load_take(path)
    patch = take.start
    check_patch(patch)
    for entry in take.entries:
        if isinstance(entry.what, Edit):
            patch = apply_changes(patch, entry.what.changes)
            try:
                check_parts(patch.layers, patch.links)
                check_patch(patch)
            except PatchError as error:
                raise PatchError(f"after the change at sample {entry.at}: {error}") from error
        elif isinstance(entry.what, Press):
            _check_press(patch, entry.what, entry.at)
    return take


def _check_press(patch: Patch, press: Press, at: int) -> None:
    """Whether there is something to press, where the module is there and known."""
    spec = spec_of(patch.module(press.module).type) if patch.has(press.module) else None
    if spec and not isinstance(spec.target(press.port), Input):
        inputs = ", ".join(port.id for port in spec.inputs) or "none"
        raise PatchError(f'at sample {at} an input "{press.port}" is pressed; a {spec.name} has {inputs}')
