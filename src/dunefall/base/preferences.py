"""What the user prefers, kept in one small JSON file; what is wrong in it is passed over, never fatal."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields, replace
from pathlib import Path

from dunefall.base.door import dump_json, parse_json, read_file
from dunefall.base.errors import DunefallError, StorageError
from dunefall.base.folders import config_folder
from dunefall.base.storage import write_file

__all__ = ["FRAMES", "MOST_RECENT", "RATES_HZ", "Preferences", "preferences_file"]

MOST_RECENT, MOST_UNFOLDED = 8, 500
RATES_HZ = (44100.0, 48000.0, 88200.0, 96000.0)
FRAMES = (64, 128, 256, 512, 1024, 2048)
SCALES = (1.0, 1.25, 1.5, 1.75, 2.0)
_LISTS = ("recent", "unfolded", "unwanted")


def preferences_file() -> Path:
    """Where they are kept."""
    return config_folder() / "preferences.json"


@dataclass(frozen=True)
class Preferences:
    """What the user prefers.

    Attributes
    ----------
    theme : str
        ``noon``, ``dusk``, or empty: what the desktop asks for.
    scale : float
        Size of everything in the window, one of ``SCALES``; from the next start on.
    audio, live, keys, clock_out, midi_out : str
        Devices by choice.
    osc_out : str
        Where Open Sound Control goes; empty: nowhere.
    rate : float
        Sample rate in Hz.
    frames : int
        Frames of a block.
    follows_clock, follows_transport : bool
        Whether the tempo follows a MIDI clock; whether the sound goes with the transport of a JACK server.
    calm : bool
        Live pictures move twice a second, and not with every frame.
    language : str
        One of ``base.language.LANGUAGES``, or empty: that of the desktop; from the next start on.
    folder : str
        Where files are looked for first; empty: the music folder.
    recent : tuple of str
        Patches that were open of late, the last one first.
    shortcuts : mapping of str to str
        Keys of commands that the user has changed.
    hints_seen : bool
        The hints of the first start have been dismissed.
    unwanted : tuple of str
        Kinds of findings that Survey does not show.
    watch_h, inspector_w : int
        Height of Watch and width of the inspector in px; 0: the usual ones.
    unfolded : tuple of str
        Groups of values that the inspector shows, as ``type/group``.
    """

    theme: str = ""
    scale: float = 1.0
    audio: str = "auto"
    live: str = "auto"
    keys: str = "auto"
    clock_out: str = "none"
    midi_out: str = "none"
    osc_out: str = ""
    rate: float = 48000.0
    frames: int = 512
    follows_clock: bool = False
    follows_transport: bool = False
    calm: bool = False
    language: str = ""
    folder: str = ""
    recent: tuple[str, ...] = ()
    shortcuts: Mapping[str, str] = field(default_factory=dict)
    hints_seen: bool = False
    unfolded: tuple[str, ...] = ()
    unwanted: tuple[str, ...] = ()
    watch_h: int = 0
    inspector_w: int = 0

    @classmethod
    def load(cls, path: Path) -> Preferences:
        """Those of a file; the defaults where it is missing, and for each value that is none.

        Parameters
        ----------
        path : Path
            The file.

        Returns
        -------
        Preferences
        """
        try:
            raw = parse_json(read_file(path))
        except DunefallError:
            return cls()
        if not isinstance(raw, dict):
            return cls()
        made, change = cls(), _changed()
        for entry in fields(cls):
            value = _valid(entry.name, raw.get(entry.name), getattr(made, entry.name))
            made = change(made, **{entry.name: value})
        return made

    def save(self, path: Path) -> None:
        """Write them by way of a temporary file; where that is not possible, they hold for this session only.

        Parameters
        ----------
        path : Path
            The file.
        """
        raw = {entry.name: getattr(self, entry.name) for entry in fields(self)}
        raw |= {name: list(getattr(self, name)) for name in _LISTS} | {"shortcuts": dict(self.shortcuts)}
        with contextlib.suppress(OSError, StorageError):
            path.parent.mkdir(parents=True, exist_ok=True)
            write_file(dump_json(raw), path)

    def with_recent(self, path: Path) -> Preferences:
        """These with a patch as the one that was open last.

        Parameters
        ----------
        path : Path
            The patch that was opened.

        Returns
        -------
        Preferences
            These preferences, with the patch first.
        """
        name = str(path.absolute())
        others = [known for known in self.recent if known != name]
        return replace(self, recent=(name, *others)[:MOST_RECENT])


def _changed() -> Callable[..., Preferences]:
    """``dataclasses.replace`` for fields whose names are found out."""
    return replace


def _valid(name: str, value: object, default: object) -> object:
    """A value of a file, if it is one of its kind; else the default."""
    if name in _LISTS:
        texts = [item for item in value if isinstance(item, str)] if isinstance(value, list) else []
        return tuple(texts[: MOST_RECENT if name == "recent" else MOST_UNFOLDED])
    if name == "shortcuts":
        items = value.items() if isinstance(value, dict) else ()
        return {str(k): v for k, v in items if isinstance(v, str)}
    if isinstance(default, float):
        allowed = SCALES if name == "scale" else RATES_HZ
        if isinstance(value, bool) or not isinstance(value, int | float):
            return default
        return float(value) if value in allowed else default
    if type(value) is not type(default):
        return default
    if name == "frames":
        return value if value in FRAMES else default
    if name == "theme":
        return value if value in ("", "noon", "dusk") else default
    return value
