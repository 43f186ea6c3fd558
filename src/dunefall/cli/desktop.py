"""``dunefall desktop``: Dunefall among the desktop's programs, patches that open with a double click, a manual page."""

from __future__ import annotations

import argparse
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

from dunefall import APP_ID
from dunefall.base.errors import DunefallError
from dunefall.base.folders import desktop_folder
from dunefall.base.language import tr
from dunefall.patch.library import DATA

__all__ = ["PLACES", "add_desktop", "run_desktop"]

FOLDER = DATA / "desktop"
PLACES = {
    f"{APP_ID}.desktop": "applications", f"{APP_ID}.xml": "mime/packages", f"{APP_ID}.metainfo.xml": "metainfo",
    f"{APP_ID}.svg": "icons/hicolor/scalable/apps", "dunefall.1": "man/man1",
    f"{APP_ID}.thumbnailer": "thumbnailers",
}  # fmt: skip
"""Where each file goes, below a data folder (freedesktop.org: Desktop Entry, Shared MIME-info, AppStream, Icon Theme
specifications; thumbnailers as GNOME, Xfce and others look for them, from memory)."""
NEWS = (("update-mime-database", "mime"), ("update-desktop-database", "applications"))
"""What tells the desktop of it, and of which folder; where one is missing, the desktop looks by itself later."""


def add_desktop(commands: Any) -> None:
    """Declare ``dunefall desktop``.

    Parameters
    ----------
    commands : argparse subparsers
        Where the command is added.
    """
    parser = commands.add_parser(
        "desktop", help=tr("put Dunefall among the desktop's programs, or take it away"),
        epilog=tr("example: dunefall desktop install"),
    )  # fmt: skip
    parser.add_argument("action", choices=("install", "remove"), help=tr("what to do"))
    parser.add_argument("--data", type=Path, metavar="FOLDER", help=tr("the data folder; default: your own"))


def run_desktop(options: argparse.Namespace) -> int:
    """Do it; returns the exit status.

    Parameters
    ----------
    options : argparse.Namespace
        What was typed.

    Returns
    -------
    int

    Raises
    ------
    DunefallError
        If a file cannot be written or removed.
    """
    data = options.data or desktop_folder()
    for name, place in PLACES.items():
        target = data / place / name
        try:
            if options.action == "remove":
                target.unlink(missing_ok=True)
            else:
                target.parent.mkdir(parents=True, exist_ok=True)
                target.write_text(_text(name, options.data is None), "utf-8")
        except OSError as error:
            raise DunefallError(
                tr("{target} cannot be changed: {reason}", target=target, reason=error.strerror or error)
            ) from error
    for program, folder in NEWS:
        if (found := shutil.which(program)) and (data / folder).is_dir():
            subprocess.run([found, str(data / folder)], check=False, capture_output=True)
    print(
        tr("Dunefall is among the programs now, and patches open with a double click ({folder}).", folder=data)
        if options.action == "install"
        else tr("Dunefall is gone ({folder}).", folder=data)
    )
    return 0


def _text(name: str, here: bool) -> str:
    """A file as it is installed; for this user alone the program is named with its path, which a desktop may not
    search."""
    text = (FOLDER / name).read_text("utf-8")
    if not here or not name.endswith((".desktop", ".thumbnailer")):
        return text
    program = shutil.which("dunefall") or str(Path(sys.executable).parent / "dunefall")
    quoted = f'"{program}"' if " " in program else program
    return text.replace("Exec=dunefall", f"Exec={quoted}")
