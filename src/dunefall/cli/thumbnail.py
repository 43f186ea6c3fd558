"""``dunefall thumbnail``: a small picture of a patch, which desktops ask for to show it among other files."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from dunefall.base.errors import ParameterError, StorageError
from dunefall.base.language import tr
from dunefall.base.storage import whole
from dunefall.patch.files import load_patch

__all__ = ["add_thumbnail", "run_thumbnail"]

LEAST_PX, USUAL_PX, MOST_PX = 16, 256, 1024


def add_thumbnail(commands: Any) -> None:
    """Declare ``dunefall thumbnail``.

    Parameters
    ----------
    commands : argparse subparsers
        Where the command is added.
    """
    parser = commands.add_parser(
        "thumbnail", help=tr("draw a small picture of a patch, as file managers ask for"),
        epilog=tr("example: dunefall thumbnail --size 256 fog.dunefall fog.png"),
    )  # fmt: skip
    parser.add_argument("patch", type=Path, metavar="PATCH", help=tr("the patch's file"))
    parser.add_argument("out", type=Path, metavar="FILE", help=tr("the picture, a PNG"))
    parser.add_argument(
        "--size", type=int, default=USUAL_PX, metavar="PX", help=tr("its width; default {USUAL_PX}", USUAL_PX=USUAL_PX)
    )


def run_thumbnail(options: argparse.Namespace) -> int:
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
        If the patch cannot be read, or the picture not be written.
    """
    if not LEAST_PX <= options.size <= MOST_PX:
        raise ParameterError(tr("a picture is {LEAST_PX} to {MOST_PX} px wide; got {size}", LEAST_PX=LEAST_PX,
                                MOST_PX=MOST_PX, size=options.size))  # fmt: skip
    from dunefall.app.shell.thumbnail import draw_thumbnail

    image = draw_thumbnail(load_patch(options.patch), options.size)
    with whole(options.out) as part:
        if not image.save(str(part), "PNG"):  # type: ignore[call-overload]
            raise StorageError(tr("cannot write {out}", out=options.out))
    return 0
