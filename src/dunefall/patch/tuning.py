"""Tuning files, ``.scl``: a description, how many notes, then each note in cents or as a ratio.

Source: the published description of the format (from memory). Lines that begin with ``!`` are comments; a number with
a point is in cents, one with a slash or without a point is a ratio; what follows the number on its line, or a ``!``, is
ignored. A degree below the root is the one a period above it.
"""

from __future__ import annotations

import math
import re
from pathlib import Path

from dunefall.base.errors import PatchError, StorageError
from dunefall.base.language import tr

__all__ = ["MOST_NOTES", "load_tuning", "parse_tuning"]

MOST_NOTES = 128
MOST_BYTES = 1_000_000
LARGEST_CT = 9600.0
_CENTS = re.compile(r"^-?\d{0,18}\.\d{0,18}$", re.ASCII)
MOST_DIGITS = 6
_RATIO = re.compile(r"^(\d{1,18})(?:/(\d{1,18}))?$", re.ASCII)


def load_tuning(path: Path) -> tuple[str, tuple[float, ...]]:
    """Description and cents of a tuning file; raises StorageError or PatchError with the line that does not fit.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    tuple[str, tuple[float, ...]]

    Raises
    ------
    PatchError, StorageError
        If the file is no scale, or cannot be read.
    """
    try:
        if path.stat().st_size > MOST_BYTES:
            raise PatchError(tr("{name} is too large to be a tuning", name=path.name))
        text = path.read_bytes().decode("utf-8", errors="replace")
    except OSError as error:
        raise StorageError(tr("cannot read {path}: {reason}", path=path, reason=error.strerror or error)) from error
    try:
        return parse_tuning(text)
    except PatchError as error:
        raise PatchError(tr("{name} cannot be used: {error}", name=path.name, error=error)) from error


def parse_tuning(text: str) -> tuple[str, tuple[float, ...]]:
    """Description and cents above the root, in rising order, of a tuning's text; the last one is the period.

    Parameters
    ----------
    text : str
        Text of a `.scl` file.

    Returns
    -------
    tuple[str, tuple[float, ...]]

    Raises
    ------
    PatchError
        With the number of the line and the reason.

    Examples
    --------
    >>> title, cents = parse_tuning("fifths\\n 2\\n3/2\\n1200.0")
    >>> title, [round(note, 3) for note in cents]
    ('fifths', [701.955, 1200.0])
    """
    lines = [(k, line.strip()) for k, line in enumerate(text.splitlines(), 1) if not line.lstrip().startswith("!")]
    if len(lines) < 2:
        raise PatchError(tr("it ends before the number of its notes"))
    (_, title), (at, counted) = lines[0], lines[1]
    words = _first(counted)
    if not (words.isascii() and words.isdigit() and len(words) <= MOST_DIGITS):
        raise PatchError(tr('line {at}: the number of notes is needed; got "{counted}"', at=at, counted=counted[:40]))
    count = int(words)
    if not 1 <= count <= MOST_NOTES:
        raise PatchError(tr("line {at}: a tuning has 1 to {MOST_NOTES} notes here; got {count}", at=at,
                            MOST_NOTES=MOST_NOTES, count=count))  # fmt: skip
    notes = [(k, line) for k, line in lines[2:] if line]
    if len(notes) < count:
        raise PatchError(
            tr("line {at} promises {count} notes; {count_2} follow", at=at, count=count, count_2=len(notes))
        )
    cents = [_cents(_first(line), k) for k, line in notes[:count]]
    if cents[-1] <= 0.0:
        raise PatchError(tr("line {notes}: the last note must lie above the root; got {cents:g} cents",
                            notes=notes[count - 1][0], cents=cents[-1]))  # fmt: skip
    below = [cent for cent in cents[:-1] if cent < 0.0]
    if below:
        title = tr("{title} ({count} below the root, raised by the period)", title=title, count=len(below)).strip()
    degrees = {cent % cents[-1] if cent < 0.0 else cent for cent in cents[:-1]}
    return title, (*sorted(degrees), cents[-1])


def _first(line: str) -> str:
    """What stands before a space or a comment."""
    return (line.partition("!")[0].split() or [""])[0]


def _cents(text: str, line: int) -> float:
    if _CENTS.match(text) and text.strip("-.") != "":
        cents = float(text)
    elif match := _RATIO.match(text):
        top, under = int(match[1]), int(match[2] or 1)
        if top == 0 or under == 0:
            raise PatchError(
                tr('line {line}: a ratio of numbers above 0 is needed; got "{text}"', line=line, text=text[:40])
            )
        cents = 1200.0 * (math.log2(top) - math.log2(under))
    else:
        raise PatchError(
            tr('line {line}: cents (with a point) or a ratio is needed; got "{text}"', line=line, text=text[:40])
        )
    if abs(cents) > LARGEST_CT:
        raise PatchError(tr("line {line}: {cents:g} cents is further than eight octaves away", line=line, cents=cents))
    return cents
