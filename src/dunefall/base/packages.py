"""What the program is built on."""

from __future__ import annotations

import re
from importlib import metadata

__all__ = ["packages"]


def packages() -> dict[str, str]:
    """The packages that Dunefall declares, with their versions; empty where one is missing. One that is only needed on
    some machines is left out where it is missing."""
    found = dict[str, str]()
    for line in metadata.requires("dunefall") or ():
        name, _, condition = (*(part.strip() for part in line.partition(";")),)
        if "extra ==" in condition:
            continue
        name = re.split(r"[^\w.-]", name, maxsplit=1)[0]
        try:
            found[name] = metadata.version(name)
        except metadata.PackageNotFoundError:
            if not condition:
                found[name] = ""
    return found
