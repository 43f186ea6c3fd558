"""``dunefall library``: the user's own compounds, without a window."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from dunefall.base.errors import DunefallError, ParameterError
from dunefall.base.language import tr

__all__ = ["add_library", "run_library"]


def add_library(commands: Any) -> None:
    """Declare ``dunefall library``.

    Parameters
    ----------
    commands : argparse subparsers
        Where the command is added.
    """
    parser = commands.add_parser(
        "library", help=tr("list, show, add and remove your own compounds"),
        epilog=tr("example: dunefall library add rain.dunefall"),
    )  # fmt: skip
    actions = parser.add_subparsers(dest="action", required=True, parser_class=type(parser))
    actions.add_parser("list", help=tr("all of them")).add_argument("--json", action="store_true", help=tr("as JSON"))
    show = actions.add_parser("show", help=tr("say what one is made of"))
    show.add_argument("name", metavar="NAME", help=tr("its name, or that of its file"))
    add = actions.add_parser("add", help=tr("take a compound's file into the library"))
    add.add_argument("files", metavar="FILE", nargs="+", type=Path, help=tr("a file that somebody saved as a compound"))
    remove = actions.add_parser("remove", help=tr("delete one; patches that use it keep theirs"))
    remove.add_argument("name", metavar="NAME", help=tr("its name, or that of its file"))


def run_library(options: argparse.Namespace) -> int:
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
        With one clear sentence.
    """
    from dunefall.patch.userlibrary import UserLibrary, library_folder

    library = UserLibrary(library_folder())
    if options.action == "list":
        return _list(library, options.json)
    if options.action == "add":
        for path in options.files:
            print(tr("{name} is in the library now.", name=library.take_in(path)))
        return 0
    name = _found(library, options.name)
    if options.action == "show":
        return _show(library, name)
    library.remove(name)
    print(tr("{path} is deleted.", path=library.folder / name))
    return 0


def _list(library: Any, as_json: bool) -> int:
    from dunefall.patch.userlibrary import main_compound

    entries = []
    for name in library.files():
        try:
            patch = library.load(name)
            compound = main_compound(patch)
            entries.append({"file": name, "name": compound.name, "about": compound.about,
                            "modules": len(list(patch.modules()))})  # fmt: skip
        except DunefallError as error:
            entries.append({"file": name, "error": str(error)})
    if as_json:
        print(json.dumps(entries, indent=1, ensure_ascii=False))
        return 0
    for entry in entries:
        about = f": {entry['about']}" if entry.get("about") else ""
        print(f"{entry['file']:30} {entry.get('error') or entry['name']}{about}")
    if not entries:
        print(tr("There are no compounds in {folder} yet.", folder=library.folder))
    return 0


def _show(library: Any, name: str) -> int:
    from dunefall.catalogue import spec_of
    from dunefall.patch.userlibrary import main_compound

    patch = library.load(name)
    compound = main_compound(patch)
    print(f"{compound.name}{': ' + compound.about if compound.about else ''}")
    for module in patch.modules():
        spec = spec_of(module.type)
        print(f"  {module.name} ({spec.name if spec else module.type})")
    return 0


def _found(library: Any, wanted: str) -> str:
    """The file of a name that was typed."""
    from dunefall.patch.userlibrary import main_compound

    names = {}
    for file in library.files():
        try:
            names[file] = main_compound(library.load(file)).name
        except DunefallError:
            names[file] = file
    found = [file for file, name in names.items() if wanted.lower() in (file.lower(), file[:-9].lower(), name.lower())]
    if not found:
        there = ", ".join(names.values()) or tr("none yet")
        raise ParameterError(
            tr('there is no compound "{wanted}" in the library; there are {there}', wanted=wanted, there=there)
        )
    if len(found) > 1:
        raise ParameterError(
            tr('"{wanted}" is the name of several: say which file: {listed}', wanted=wanted, listed=", ".join(found))
        )
    return str(found[0])
