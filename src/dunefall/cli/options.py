"""What the commands' options have in common: their errors, and how times, numbers and seeds are typed."""

from __future__ import annotations

import argparse
import sys
from typing import NoReturn

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.patch.model import Layer, Patch

__all__ = ["PATCH_HELP", "Parser", "layer_named", "seconds_of", "seeds_of"]

PATCH_HELP = tr("a .dunefall file, demo: for the shipped demo, or starter:NAME")
MOST_SEEDS = 10_000


class Parser(argparse.ArgumentParser):
    """Says what is wrong in one line."""

    def error(self, message: str) -> NoReturn:
        """End with status 2."""
        print(f"{self.prog}: {message}; see {self.prog} --help", file=sys.stderr)
        raise SystemExit(2)


def layer_named(patch: Patch, wanted: str) -> Layer:
    """A layer by its name or id as it was typed, in capitals or not.

    Parameters
    ----------
    patch : Patch
        The patch.
    wanted : str
        What was typed.

    Returns
    -------
    Layer

    Raises
    ------
    PatchError
        If there is none, with the names of all.
    """
    for layer in patch.layers:
        if wanted.lower() in (layer.id.lower(), layer.name.lower()):
            return layer
    names = ", ".join(layer.name for layer in patch.layers)
    raise PatchError(tr('there is no layer "{wanted}"; there are {names}', wanted=wanted, names=names))


def seconds_of(text: str) -> float:
    """A number of seconds.

    Parameters
    ----------
    text : str
        What was typed.

    Returns
    -------
    float

    Raises
    ------
    argparse.ArgumentTypeError
        If it is none.
    """
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 <= value < 1e7:
        raise argparse.ArgumentTypeError(tr('needs a number of seconds, such as 90 or 2.5; got "{text}"', text=text))
    return value


def seeds_of(text: str) -> tuple[int, ...]:
    """Seeds typed as ``A..B`` or with commas.

    Parameters
    ----------
    text : str
        What was typed.

    Returns
    -------
    tuple of int

    Raises
    ------
    argparse.ArgumentTypeError
        If they are none, or too many.

    Examples
    --------
    >>> seeds_of("3..5"), seeds_of("7,9")
    ((3, 4, 5), (7, 9))
    """
    try:
        if ".." in text:
            first, last = (int(part) for part in text.split("..", 1))
            seeds = tuple(range(first, last + 1)) if last - first < MOST_SEEDS else ()
        else:
            seeds = tuple(int(part) for part in text.split(","))
    except ValueError:
        seeds = ()
    if not seeds or len(seeds) > MOST_SEEDS:
        raise argparse.ArgumentTypeError(tr('needs seeds such as 1..24 or 3,7,9, at most {MOST_SEEDS}; got "{text}"',
                                            MOST_SEEDS=MOST_SEEDS, text=text))  # fmt: skip
    return seeds
