"""Opening what a user names: patches and takes, checked against the catalogue."""

from __future__ import annotations

from pathlib import Path

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Input
from dunefall.catalogue.validate import check_patch, check_value
from dunefall.patch.changes import ParamSet, apply_changes
from dunefall.patch.files import check_parts
from dunefall.patch.library import find_patch
from dunefall.patch.model import Patch
from dunefall.patch.take import Edit, Entry, Press, Take
from dunefall.patch.takefiles import load_take

__all__ = ["check_entry", "check_take", "open_patch", "open_take"]


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
    for kept in patch.takes:
        try:
            check_take(kept.take)
        except PatchError as error:
            raise PatchError(tr("its take {name}, {error}", name=kept.name, error=error)) from error
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
    check_take(take)
    return take


def check_entry(take: Take, entry: Entry) -> None:
    """Check a take that was right before an entry was put in, changed, moved or taken out: all of it, where the entry
    changes more than values.

    Parameters
    ----------
    take : Take
        As it is now.
    entry : Entry
        The one entry that is concerned.

    Raises
    ------
    PatchError
        With the sample of the first change that does not fit.
    """
    what = entry.what
    if isinstance(what, Edit) and not all(isinstance(change, ParamSet) for change in what.changes):
        check_take(take)
    elif isinstance(what, Edit):
        check_take(Take(take.patch_at(entry.at), take.rate_hz, (entry,)))


def check_take(take: Take) -> None:
    """Check the patches of a take against the catalogue, at the start and after each change.

    Parameters
    ----------
    take : Take
        The take.

    Raises
    ------
    PatchError
        With the sample of the first change that does not fit.
    """
    patch, waiting = take.start, list[ParamSet]()  # thousands of values are checked one by one, and applied together
    check_patch(patch)
    for entry in take.sounding:
        if isinstance(entry.what, Press):
            _check_press(patch, entry.what, entry.at)
        if not isinstance(entry.what, Edit):
            continue
        try:
            values = [change for change in entry.what.changes if isinstance(change, ParamSet)]
            if len(values) == len(entry.what.changes):
                for change in values:
                    check_value(patch, change.module, change.param, change.value)
                waiting += values
            else:
                patch, waiting = apply_changes(patch, [*waiting, *entry.what.changes]), []
                check_parts(patch.layers, patch.links)
                check_patch(patch)
        except PatchError as error:
            raise PatchError(tr("after the change at sample {at}: {error}", at=entry.at, error=error)) from error


def _check_press(patch: Patch, press: Press, at: int) -> None:
    """Whether there is something to press, where the module is there and known."""
    spec = spec_of(patch.module(press.module).type) if patch.has(press.module) else None
    if spec and not isinstance(spec.target(press.port), Input):
        inputs = ", ".join(port.id for port in spec.inputs) or "none"
        raise PatchError(tr('at sample {at} an input "{port}" is pressed; a {name} has {inputs}', at=at,
                            port=press.port, name=spec.name, inputs=inputs))  # fmt: skip
