"""Edits of the moments that are marked in a patch's time. Each function is one undo step of a document."""

from __future__ import annotations

import itertools
from dataclasses import replace

from dunefall.base.door import clean
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.patch.document import Document
from dunefall.patch.model import Moment
from dunefall.patch.partfiles import MAX_MOMENTS

__all__ = ["mark_moment", "remove_moment", "rename_moment"]


def mark_moment(document: Document, at_s: float, name: str = "", until_s: float = 0.0) -> Moment:
    """Mark a moment, in order of time.

    Parameters
    ----------
    document : Document
        The open document.
    at_s : float
        When, in seconds since the start.
    name : str
        What it is called; "" for a number.
    until_s : float
        Where it ends; 0: it is a point.

    Returns
    -------
    Moment

    Raises
    ------
    ParameterError
        If there are too many.
    """
    moments = document.patch.moments
    if len(moments) >= MAX_MOMENTS:
        raise ParameterError(
            tr("a patch keeps at most {MAX_MOMENTS} moments; remove some first", MAX_MOMENTS=MAX_MOMENTS)
        )
    taken = {moment.name for moment in moments}
    free = next(free for k in itertools.count(1) if (free := tr("Moment {number}", number=k)) not in taken)
    moment = Moment(round(at_s, 3), clean(name) or free, round(until_s, 3))
    ordered = tuple(sorted((*moments, moment), key=lambda one: one.at_s))
    document.edit(tr("Mark {name}", name=moment.name), replace(document.patch, moments=ordered))
    return moment


def rename_moment(document: Document, moment: Moment, name: str) -> None:
    """Call a moment otherwise; an empty name changes nothing.

    Parameters
    ----------
    document : Document
        The open document.
    moment : Moment
        One of its moments.
    name : str
        The new name.
    """
    name = clean(name)
    if name and name != moment.name:
        renamed = tuple(replace(one, name=name) if one == moment else one for one in document.patch.moments)
        document.edit(tr("Rename {name}", name=moment.name), replace(document.patch, moments=renamed))


def remove_moment(document: Document, moment: Moment) -> None:
    """Forget a moment.

    Parameters
    ----------
    document : Document
        The open document.
    moment : Moment
        One of its moments.
    """
    left = tuple(one for one in document.patch.moments if one != moment)
    document.edit(tr("Remove {name}", name=moment.name), replace(document.patch, moments=left))
