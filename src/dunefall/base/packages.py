"""What the program is built on."""

from __future__ import annotations

import re
from importlib import import_module, metadata
from importlib.util import find_spec

__all__ = ["packages"]

MODULES = {"JACK-Client": "jack", "PySide6-Essentials": "PySide6", "alsa-midi": "alsa_midi", "python-osc": "pythonosc"}
"""How a package is imported, where that is not its name."""


def packages() -> dict[str, str]:
    """The packages that Dunefall declares, with their versions; empty where one is missing. One that is only needed on
    some machines is left out where it is missing."""
    found = dict[str, str]()
    for line in metadata.requires("dunefall") or ():
        name, _, condition = (*(part.strip() for part in line.partition(";")),)
        if "extra ==" in condition:
            continue
        name = re.split(r"[^\w.-]", name, maxsplit=1)[0]
        version = _version(name)
        if version or not condition:
            found[name] = version
    return found


def _version(name: str) -> str:
    """Of a package; systems that divide it otherwise have it without its metadata, and then it tells itself."""
    try:
        return metadata.version(name)
    except metadata.PackageNotFoundError:
        module = MODULES.get(name, name)
        return str(getattr(import_module(module), "__version__", "?")) if find_spec(module) is not None else ""
