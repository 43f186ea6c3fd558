"""Where the program keeps what is the user's (XDG Base Directory Specification); variables name other places."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs

__all__ = ["config_folder", "data_folder", "desktop_folder", "errors_file", "state_folder"]

_NAME = "dunefall"


def config_folder() -> Path:
    """What the user prefers; ``DUNEFALL_CONFIG`` names another place."""
    return Path(os.environ.get("DUNEFALL_CONFIG") or platformdirs.user_config_dir(_NAME))


def data_folder() -> Path:
    """What the user has made and would miss; ``DUNEFALL_DATA`` names another place."""
    return Path(os.environ.get("DUNEFALL_DATA") or platformdirs.user_data_dir(_NAME))


def state_folder() -> Path:
    """What has happened of late: errors, reports, the last minutes; ``DUNEFALL_DATA`` names another place."""
    return Path(os.environ.get("DUNEFALL_DATA") or platformdirs.user_state_dir(_NAME))


def desktop_folder() -> Path:
    """Where the desktop looks for what this user has beside what all have: its programs, icons, recent files."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def errors_file() -> Path:
    """Where the window writes down errors that nobody expected."""
    return state_folder() / "errors.log"
