"""Keeping a good moment: the last minutes as a sound and as a take, beside each other in the user's folder."""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path

from dunefall.base.errors import StorageError
from dunefall.base.folders import data_folder
from dunefall.base.language import tr
from dunefall.deliver.names import clean
from dunefall.engine.lastminutes import AT_LEAST_S, forget_last_minutes, join_last_minutes
from dunefall.patch.take import Take
from dunefall.patch.takefiles import TAKE_SUFFIX, save_take
from dunefall.session.takelog import read_take_log

__all__ = ["KeptMoment", "keep_left", "keep_moment", "moments_folder"]


@dataclass(frozen=True)
class KeptMoment:
    """What was kept.

    Attributes
    ----------
    sound : Path
    take : Path or None
        None: nobody knows it any more.
    seconds : float
        Of the sound.
    """

    sound: Path
    take: Path | None
    seconds: float


def moments_folder() -> Path:
    """The user's folder of kept moments."""
    return data_folder() / "moments"


def _free(name: str) -> Path:
    """A file of this name that is not there, numbered where it must be."""
    folder, name = moments_folder(), clean(name) or tr("Moment")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StorageError(tr("{folder} cannot be made: {reason}", folder=folder, reason=error.strerror)) from error
    names = (name, *(f"{name} {k}" for k in range(2, 10_000)))
    free = (folder / f"{one}.wav" for one in names)
    return next(path for path in free if not path.exists() and not path.with_suffix(TAKE_SUFFIX).exists())


def keep_moment(name: str, seconds: float, take: Take) -> KeptMoment:
    """Write the last seconds of what was heard, and the take up to now (not in the window's thread: it waits until
    what sounds now is on the disk).

    Parameters
    ----------
    name : str
        What it is called.
    seconds : float
        How much of the sound.
    take : Take
        The take up to now.

    Returns
    -------
    KeptMoment

    Raises
    ------
    StorageError
        If nothing was heard, or the disk refuses; nothing is left behind then.
    """
    time.sleep(1.2 * AT_LEAST_S)
    path = _free(name)
    length = join_last_minutes(path, seconds)
    try:
        save_take(take, path.with_suffix(TAKE_SUFFIX))
    except StorageError:
        path.unlink(missing_ok=True)
        raise
    return KeptMoment(path, path.with_suffix(TAKE_SUFFIX), length)


def keep_left(folder: Path) -> KeptMoment:
    """Keep what a program that did not end as it should has left behind, and tidy up.

    Parameters
    ----------
    folder : Path
        Its ring.

    Returns
    -------
    KeptMoment

    Raises
    ------
    StorageError
        If the disk refuses; what was left stays.
    """
    path = _free(tr("Before it ended {strftime}", strftime=time.strftime("%Y-%m-%d %H-%M")))
    length, take = join_last_minutes(path, 1e9, folder), read_take_log(folder)
    if take is not None:
        save_take(take, path.with_suffix(TAKE_SUFFIX))
    forget_last_minutes(folder)
    return KeptMoment(path, path.with_suffix(TAKE_SUFFIX) if take else None, length)
