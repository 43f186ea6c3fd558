"""The desktop's own list of files that were used of late, which its file dialogs and menus show.

Source: freedesktop.org, Desktop Bookmark Specification 0.5 (from memory): ``recently-used.xbel`` among the user's data.
"""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from xml.etree import ElementTree

from dunefall.base.errors import StorageError
from dunefall.base.folders import desktop_folder
from dunefall.base.storage import write_file

__all__ = ["desktop_list", "note_in_desktop"]

BOOKMARK = "http://www.freedesktop.org/standards/desktop-bookmarks"
MIME = "http://www.freedesktop.org/standards/shared-mime-info"
OWNER, NAME = "http://freedesktop.org", "Dunefall"
MOST_BYTES = 2_000_000
"""A longer list is left alone."""


def desktop_list() -> Path:
    """Where the list is; with ``DUNEFALL_DATA`` there."""
    return Path(os.environ.get("DUNEFALL_DATA") or desktop_folder()) / "recently-used.xbel"


def note_in_desktop(path: Path, mime_type: str, list_file: Path) -> None:
    """Have a file stand in the list as used just now. A list that is damaged, too long or cannot be written stays as it
    is: it is not ours.

    Parameters
    ----------
    path : Path
        The file that was opened or saved.
    mime_type : str
        Its kind.
    list_file : Path
        See ``desktop_list``.
    """
    ElementTree.register_namespace("bookmark", BOOKMARK)
    ElementTree.register_namespace("mime", MIME)
    root = _read(list_file)
    if root is None:
        return
    now, href = f"{datetime.now(UTC):%Y-%m-%dT%H:%M:%S.%fZ}", path.absolute().as_uri()
    found = next((entry for entry in root.iter("bookmark") if entry.get("href") == href), None)
    mark = ElementTree.SubElement(root, "bookmark", href=href, added=now) if found is None else found
    mark.set("modified", now)
    mark.set("visited", now)
    info = _part(mark, "info")
    metadata = next((part for part in info.iter("metadata") if part.get("owner") == OWNER), None)
    if metadata is None:
        metadata = ElementTree.SubElement(info, "metadata", owner=OWNER)
    _part(metadata, f"{{{MIME}}}mime-type").set("type", mime_type)
    programs, kind = _part(metadata, f"{{{BOOKMARK}}}applications"), f"{{{BOOKMARK}}}application"
    own = next((part for part in programs.iter(kind) if part.get("name") == NAME), None)
    if own is None:
        own = ElementTree.SubElement(programs, kind, name=NAME, exec=f"'{shutil.which('dunefall') or 'dunefall'} %u'")
    count = own.get("count", "0")
    own.set("count", str(int(count) + 1 if count.isascii() and count.isdecimal() and len(count) < 9 else 1))
    own.set("modified", now)
    text = ElementTree.tostring(root, encoding="unicode")
    with suppress(OSError, StorageError):
        list_file.parent.mkdir(parents=True, exist_ok=True)
        list_file.touch(0o600)
        write_file(f'<?xml version="1.0" encoding="UTF-8"?>\n{text}\n', list_file)


def _read(list_file: Path) -> ElementTree.Element | None:
    """What the list holds; an empty one where there is none; None where it is better left alone."""
    try:
        if list_file.stat().st_size > MOST_BYTES:
            return None
        root = ElementTree.fromstring(list_file.read_bytes())
    except FileNotFoundError:
        return ElementTree.Element("xbel", version="1.0")
    except (OSError, ElementTree.ParseError, ValueError, LookupError):
        return None
    return root if root.tag == "xbel" else None


def _part(parent: ElementTree.Element, tag: str) -> ElementTree.Element:
    found = parent.find(tag)
    return ElementTree.SubElement(parent, tag) if found is None else found
