"""The user's library of compounds: a folder of patch files, each of which holds one compound and what is in it."""

from __future__ import annotations

import hashlib
import os
import re
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dunefall.base.errors import PatchError, StorageError
from dunefall.base.folders import data_folder
from dunefall.base.language import tr
from dunefall.patch.compounds import compounds_in, modules_in, parents, with_compound
from dunefall.patch.copying import Clip
from dunefall.patch.files import load_patch, save_patch
from dunefall.patch.model import SHARED_ID, Compound, Layer, Patch
from dunefall.patch.settings import with_settings_of

__all__ = ["TinyPicture", "UserLibrary", "compound_clip", "library_folder", "main_compound", "picture_of"]

SUFFIX = ".dunefall"
PARTS_ID = "parts-of-compound"
MOST_FILES, COLUMNS, MOST_COLUMNS = 1_000, 48, 256


class TinyPicture(NamedTuple):
    """What something does, in a few words for lists: the kind of signal, and the lowest and the highest place (0..99)
    of each column."""

    role: str
    columns: list[list[int]]

    @classmethod
    def drawn(cls, role: str, bins: NDArray[np.float32], low: float, high: float) -> TinyPicture:
        """The picture of lowest and highest values [shape=(n, 2)], which go from ``low`` to ``high``.

        Parameters
        ----------
        role : str
            Kind of signal: audio, control, gate or pitch.
        bins : ndarray [shape=(n, 2)]
            Lowest and highest values, oldest first.
        low : float
            Lowest value that is drawn.
        high : float
            Highest value that is drawn.

        Returns
        -------
        TinyPicture
        """
        parts = np.array_split(np.clip((bins - low) / (high - low), 0.0, 1.0), COLUMNS)
        return cls(role, [[round(99 * float(x[:, 0].min())), round(99 * float(x[:, 1].max()))] for x in parts])


def library_folder() -> Path:
    """Its folder; ``DUNEFALL_LIBRARY`` names another."""
    folder = os.environ.get("DUNEFALL_LIBRARY")
    return Path(folder) if folder else data_folder() / "compounds"


def main_compound(patch: Patch) -> Compound:
    """The compound that a file of the library holds; raises PatchError if it does not hold one.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.

    Returns
    -------
    Compound

    Raises
    ------
    PatchError
        If the patch does not hold exactly one outermost compound.
    """
    within = parents(patch)
    found = [compound for compound in patch.compounds if compound.id not in within]
    if len(found) != 1:
        raise PatchError(tr("{title} holds {count} compounds; a file of the library holds one", title=patch.title,
                            count=len(found) or "no"))  # fmt: skip
    return found[0]


def compound_clip(patch: Patch) -> Clip:
    """What a file of the library adds to a patch: the compound with everything in it.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.

    Returns
    -------
    Clip
    """
    inside = set(modules_in(patch, (main_compound(patch).id,)))
    layers = (replace(x, modules=tuple(m for m in x.modules if m.id in inside)) for x in patch.layers)
    links = (x for x in patch.links if {x.source.module, x.target.module} <= inside)
    held = tuple(replace(x, id=PARTS_ID) for x in layers if x.modules)
    return Clip(held, frozenset(), tuple(links), patch.compounds)


def picture_of(patch: Patch) -> TinyPicture | None:
    """The tiny picture in a file of the library; None if there is none.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.

    Returns
    -------
    TinyPicture or None
    """
    raw: object = patch.extra.get("picture")
    if not isinstance(raw, dict) or raw.get("role") not in ("audio", "control", "gate", "pitch"):
        return None
    columns = raw.get("columns")
    if not isinstance(columns, list) or not 1 <= len(columns) <= MOST_COLUMNS:
        return None
    good = all(isinstance(x, list) and len(x) == 2 and all(type(y) is int and 0 <= y < 100 for y in x) for x in columns)
    return TinyPicture(raw["role"], columns) if good else None


class UserLibrary:
    """The files of a folder; it is made when something is first saved to it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def files(self) -> tuple[str, ...]:
        """Names of all files, in alphabetical order."""
        if not self.folder.is_dir():
            return ()
        return tuple(sorted(path.name for path in self.folder.glob(f"*{SUFFIX}")))[:MOST_FILES]

    def load(self, name: str) -> Patch:
        """The patch of a file that holds one compound, which knows the file; raises PatchError or StorageError.

        Parameters
        ----------
        name : str
            Name of the file in the library.

        Returns
        -------
        Patch
            A new patch.
        """
        patch = load_patch(self._path(name))
        main = replace(main_compound(patch), library=name, digest=self.digest(name))
        return with_compound(patch, main)

    def digest(self, name: str) -> str:
        """Tells whether a file is still the same; empty if there is none."""
        try:
            return hashlib.blake2b(self._path(name).read_bytes(), digest_size=16).hexdigest()
        except (OSError, PatchError):
            return ""

    def file_for(self, compound: Compound) -> str:
        """The file to which a compound would be saved: the one that it came from, or one of its name.

        Parameters
        ----------
        compound : Compound
            The compound.

        Returns
        -------
        str
        """
        words = re.sub(r"[^\w]+", "-", compound.name.lower()).strip("-")
        return compound.library or f"{words or 'compound'}{SUFFIX}"

    def save(self, patch: Patch, compound: Compound, picture: TinyPicture | None) -> Compound:
        """Save a compound of a patch; returns the compound that knows its file. Links that lead out are left behind:
        its controls and ports stay, so that new ones can be made.

        Parameters
        ----------
        patch : Patch
            The patch; it is not changed.
        compound : Compound
            The compound.
        picture : TinyPicture or None
            What it looks like in the palette.

        Returns
        -------
        Compound

        Raises
        ------
        StorageError
            If the folder cannot be written.
        """
        inside = set(modules_in(patch, (compound.id,)))
        modules = tuple(module for module in patch.modules() if module.id in inside)
        kept = Patch(
            title=compound.name, about=compound.about,
            layers=(Layer(SHARED_ID, tr("Shared")), Layer(PARTS_ID, compound.name, modules)),
            links=tuple(x for x in patch.links if {x.source.module, x.target.module} <= inside),
            compounds=(replace(compound, library="", digest=""), *compounds_in(patch, compound.id)),
            extra={"picture": {"role": picture.role, "columns": picture.columns}} if picture else {},
        )  # fmt: skip
        name = self.file_for(compound)
        self._write(with_settings_of(kept, patch, compound), name)
        return replace(compound, library=name, digest=self.digest(name))

    def take_in(self, path: Path) -> str:
        """Take a compound's file of somebody else into the library, under a name that is free; returns it.

        Parameters
        ----------
        path : Path
            The file.

        Returns
        -------
        str

        Raises
        ------
        PatchError, StorageError
            If the file is none, or cannot be read, or the folder not be written.
        """
        patch = load_patch(path)
        main = main_compound(patch)
        names, stem, number = set(self.files()), path.stem, 2
        while f"{stem}{SUFFIX}" in names:
            stem, number = f"{path.stem}-{number}", number + 1
        self._write(patch, f"{stem}{SUFFIX}")
        return main.name

    def remove(self, name: str) -> None:
        """Delete a file; raises StorageError where that is refused.

        Parameters
        ----------
        name : str
            Name of the file in the library.

        Raises
        ------
        StorageError
            If it cannot be deleted.
        """
        path = self._path(name)
        try:
            path.unlink()
        except OSError as error:
            raise StorageError(
                tr("cannot delete {path}: {reason}", path=path, reason=error.strerror or error)
            ) from error

    def _write(self, patch: Patch, name: str) -> None:
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise StorageError(
                tr("cannot make the folder {folder}: {reason}", folder=self.folder, reason=error.strerror or error)
            ) from error
        save_patch(patch, self._path(name))

    def changed(self, patch: Patch) -> tuple[Compound, ...]:
        """Compounds of a patch that have another form here by now."""
        return tuple(x for x in patch.compounds if x.library and self.digest(x.library) not in ("", x.digest))

    def _path(self, name: str) -> Path:
        if Path(name).name != name or not name.endswith(SUFFIX):
            raise PatchError(tr('"{name}" is no name of a file in the library', name=name))
        return self.folder / name
