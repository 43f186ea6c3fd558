"""Edits that copy and vary.

Each function is one undo step of a document, or part of one.
"""

from __future__ import annotations

import random
from collections.abc import Collection

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.catalogue.varying import KINDS, varied
from dunefall.patch.copying import Clip, clip_of, clip_of_layer, with_copy, with_sources
from dunefall.patch.document import Document
from dunefall.patch.mixing import MOST_EFFECTS, effect_lanes
from dunefall.patch.model import SHARED_ID

__all__ = ["clip", "paste", "vary"]


def clip(document: Document, modules: Collection[str], *, sources: bool = False) -> Clip:
    """What is to be copied: some modules, which lead where the originals lead, their own sources too if so asked; a
    layer where its end is chosen.

    Parameters
    ----------
    document : Document
        The open document.
    modules : collection of str
        Ids of the modules.
    sources : bool
        Whether their own sources come along.

    Returns
    -------
    Clip
    """
    ends = [layer.id for layer in document.patch.layers if layer.output_id in modules]
    if ends:
        return clip_of_layer(document.patch, ends[0])
    return clip_of(document.patch, with_sources(document.patch, modules) if sources else modules, modules)


def paste(document: Document, clip: Clip, layer: str = SHARED_ID, *, label: str = tr("Paste")) -> tuple[str, ...]:
    """Put a copy of a clip into the patch; returns the ids of the new modules.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    clip : Clip
        What was copied.
    layer : str
        Id of the layer.
    label : str
        What the undo step is called.

    Returns
    -------
    tuple[str, ...]

    Raises
    ------
    PatchError
        If there is nothing to copy, or there would be too many effect lanes.
    """
    copied = with_copy(document.patch, clip, layer)
    if not copied.names:
        raise PatchError(tr("there is nothing to copy: select a module, several (Shift-click), or a layer's head"))
    lanes = len(effect_lanes(copied.patch))
    if lanes > max(MOST_EFFECTS, len(effect_lanes(document.patch))):
        raise PatchError(tr("that would be {lanes} effect lanes, and there can be {MOST_EFFECTS}: remove one first",
                            lanes=lanes, MOST_EFFECTS=MOST_EFFECTS))  # fmt: skip
    document.edit(label, copied.patch)
    return tuple(copied.names.values())


def vary(document: Document, modules: Collection[str], strength: float, kinds: Collection[str] = KINDS) -> None:
    """Randomise the values of some modules; see ``catalogue.varying``.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    modules : collection of str
        Ids of the modules.
    strength : float [0, 1]
        How far.
    kinds : collection of str
        Kinds of values that may change.
    """
    changed = varied(document.patch, modules, strength, kinds, seed=random.randrange(2**32))
    document.edit(tr("Randomise {called}", called=_called(document, modules)), changed)


def _called(document: Document, modules: Collection[str]) -> str:
    return (
        document.patch.module(next(iter(modules))).name
        if len(modules) == 1
        else tr("{count} modules", count=len(modules))
    )
