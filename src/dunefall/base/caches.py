"""Where things are kept that can be made anew: compiled code, converted sounds. Nobody depends on it: what is damaged
is made again, and where nothing can be written, it is made for this run only, which is said once.
"""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs

from dunefall.base.language import tr

__all__ = ["cache_folder", "cannot_keep", "trouble_of_caches"]

_trouble: list[str] = []
_told: set[str] = set()


def cache_folder(*parts: str) -> Path:
    """A folder below the user's cache, made if that is possible; ``DUNEFALL_CACHE`` names another place.

    Parameters
    ----------
    *parts : str
        Names of folders, one in the other.

    Returns
    -------
    Path
        It may not be there, if it cannot be made.
    """
    root = Path(os.environ.get("DUNEFALL_CACHE") or platformdirs.user_cache_dir("dunefall"))
    folder = root.joinpath(*parts)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        cannot_keep(root, error)
    return folder


def cannot_keep(place: Path, error: OSError) -> None:
    """Note that something could not be kept.

    Parameters
    ----------
    place : Path
        Where.
    error : OSError
        Why.
    """
    reason = error.strerror or str(error)
    if reason not in _told:
        _told.add(reason)
        _trouble.append(
            tr(
                "Nothing can be kept in {place} ({reason}), so code is compiled anew at every start. Make room "
                "there, or name another folder in DUNEFALL_CACHE.",
                place=place,
                reason=reason,
            )
        )


def trouble_of_caches() -> str:
    """What could not be kept, once; empty if all could."""
    told = " ".join(_trouble)
    _trouble.clear()
    return told
