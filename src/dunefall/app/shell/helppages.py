"""What the help holds: the guide, the module guide, the keys, what is new, and what the program is made of."""

from __future__ import annotations

import platform
from collections.abc import Callable, Sequence
from importlib import metadata
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import qVersion

from dunefall import __version__
from dunefall.app.model.command import MENU_NAMES, MENUS, Command
from dunefall.base.language import tr
from dunefall.base.packages import packages
from dunefall.catalogue.declare import STAGES
from dunefall.patch.library import DATA

__all__ = ["ABOUT", "HELP", "KEYS", "NEWS", "HelpPage", "help_pages", "module_page"]

HELP = DATA / "help"
GUIDE, MODULES = HELP / "guide", HELP / "modules"
KEYS, NEWS, ABOUT = "keys", "news", "about"


class HelpPage(NamedTuple):
    """A page of the help.

    Attributes
    ----------
    id : str
        Name of its file, or one of its own.
    title, part : str
        How it is listed, and under what.
    text : function to str
        What it says, in Markdown.
    file : Path or None
        Where its links and pictures start from.
    """

    id: str
    title: str
    part: str
    text: Callable[[], str]
    file: Path | None = None


def help_pages(commands: Sequence[Command], key_of: Callable[[str], str]) -> tuple[HelpPage, ...]:
    """All pages, in the order in which they are listed.

    Parameters
    ----------
    commands : sequence of Command
        Every command of the window.
    key_of : function
        The key of a command, by its id.

    Returns
    -------
    tuple of HelpPage
    """
    chapters = sorted(file for file in GUIDE.glob("*.md") if file.name != "README.md")
    return (
        _from_file(GUIDE / "README.md", tr("Guide"), tr("Overview")),
        *(_from_file(file, tr("Guide")) for file in chapters),
        *(_from_file(MODULES / f"{stage}.md", tr("Modules")) for stage in STAGES),
        HelpPage(KEYS, tr("Keys"), "Dunefall", lambda: _keys(commands, key_of)),
        _from_file(HELP / "CHANGELOG.md", "Dunefall", tr("What is new"))._replace(id=NEWS),
        HelpPage(ABOUT, tr("About and licences"), "Dunefall", _about),
    )


def module_page(stage: str) -> str:
    """The page that tells of the modules of a stage."""
    return f"modules-{stage}"


def _from_file(file: Path, part: str, title: str = "") -> HelpPage:
    first = file.read_text("utf-8").split("\n", 1)[0].lstrip("# ")
    name = file.stem if part != tr("Modules") else module_page(file.stem)
    return HelpPage(name, title or first, part, lambda: file.read_text("utf-8"), file)


def _keys(commands: Sequence[Command], key_of: Callable[[str], str]) -> str:
    """Every command that has a key, menu by menu."""
    lines = [
        tr("# Keys"),
        "",
        tr("Any of them can be changed in *Preferences…*; `Ctrl+K` finds a command by its words."),
        "",
    ]
    for menu in MENUS:
        rows = [f"| {command.text} | {key} |" for command in commands
                if command.menu == menu and (key := key_of(command.id))]  # fmt: skip
        if rows:
            lines += [f"## {MENU_NAMES[menu]}", "", tr("| command | key |"), "|---|---|", *rows, ""]
    return "\n".join(lines)


def _about() -> str:
    """Versions, and the licence of every part."""
    lines = [
        tr("# About Dunefall"), "",
        f"Dunefall {__version__}, Python {platform.python_version()}, Qt {qVersion()}, {platform.platform()}.",
        "", tr("Dunefall is free software under the MIT licence:"), "", (HELP / "LICENSE").read_text("utf-8"), "",
        tr("Its fonts are under the SIL Open Font License 1.1. It is "
           "built on:"), "", tr("| package | version | licence |"),
        "|---|---|---|",
    ]  # fmt: skip
    for name, version in sorted(packages().items(), key=lambda entry: entry[0].lower()):
        if version:
            lines.append(f"| {name} | {version} | {_licence(metadata.metadata(name))} |")
    return "\n".join(lines)


def _licence(package: metadata.PackageMetadata) -> str:
    """A package's licence in a few words: its expression, else its classifiers, else the first line of its text."""
    told = package.json
    kinds = [line.split(" :: ")[-1] for line in told.get("classifier", ()) if line.startswith("License ::")]
    text = str(told.get("license", "")).strip().split("\n")[0]
    return str(told.get("license_expression", "")) or ", ".join(kinds) or text[:60] or tr("see its files")
