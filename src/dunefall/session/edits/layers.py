"""Edits of layers and of the patch as a whole.

Each function is one undo step of a document, or part of one.
"""

from __future__ import annotations

import random
from dataclasses import replace

from dunefall.base.door import clean
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.layouts import layout_of
from dunefall.patch import mixing
from dunefall.patch.document import Document
from dunefall.patch.model import MOST_VOICES, SHARED_ID

__all__ = [
    "move_layer",
    "remove_layer",
    "reroll",
    "set_layout",
    "set_seed",
    "set_tempo",
    "set_title",
    "set_voices",
    "toggle_fold",
]


def remove_layer(document: Document, layer: str) -> None:
    """Remove a layer with everything in it; Shared stays."""
    if layer != SHARED_ID:
        name = document.patch.layer(layer).name
        document.edit(tr("Remove layer {name}", name=name), document.patch.without_layer(layer))


def set_voices(document: Document, layer: str, voices: int, spread: float, meet: str) -> None:
    """Give a layer 1 to ``MOST_VOICES`` voices, a spread of 0 to 1, and the module where they meet ("": its end).

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.
    voices : int
        How many voices.
    spread : float [0, 1]
        How far the voices differ.
    meet : str
        Module at which they are mixed; "" for the layer's output.

    Raises
    ------
    ParameterError
        If a number is out of range.
    """
    if not 1 <= voices <= MOST_VOICES or not 0 <= spread <= 1:
        raise ParameterError(tr("a layer has 1 to {MOST_VOICES} voices with a spread of 0 to 100 %; got {voices}",
                                MOST_VOICES=MOST_VOICES, voices=voices))  # fmt: skip
    found = document.patch.layer(layer)
    changed = replace(found, voices=voices, spread=spread, meet=meet)
    document.edit(tr("Voices of {name}", name=found.name), document.patch.with_layer(changed))


def toggle_fold(document: Document, layer: str) -> None:
    """Fold a lane, or open it.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.
    """
    found = document.patch.layer(layer)
    label = tr("Open {name}", name=found.name) if found.folded else tr("Fold {name}", name=found.name)
    document.edit(label, document.patch.with_layer(replace(found, folded=not found.folded)))


def move_layer(document: Document, layer: str, by: int) -> None:
    """Move a layer up or down among its neighbours.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layer : str
        Id of the layer.
    by : int
        How many places, down if positive.
    """
    name = document.patch.layer(layer).name
    document.edit(tr("Move {name}", name=name), mixing.with_moved_layer(document.patch, layer, by))


def set_title(document: Document, title: str) -> None:
    """Rename the patch.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    title : str
        Title of the patch.
    """
    title = clean(title)
    if title:
        document.edit(tr("Rename the patch"), replace(document.patch, title=title))


def set_tempo(document: Document, bpm: float) -> None:
    """Set the tempo in BPM."""
    document.edit(tr("Change tempo"), replace(document.patch, tempo_bpm=bpm), merge="tempo")


def set_layout(document: Document, layout: str) -> None:
    """Mix for other loudspeakers; nothing moves.

    Parameters
    ----------
    document : Document
        The open document; the edit is one undo step of it.
    layout : str
        Id of the loudspeaker layout.
    """
    name = layout_of(layout).name
    document.edit(tr("Mix for {name}", name=name), replace(document.patch, layout=layout))


def reroll(document: Document) -> None:
    """Take another seed, of four digits."""
    set_seed(document, random.randrange(10_000))


def set_seed(document: Document, seed: int) -> None:
    """Take this seed."""
    document.edit(tr("Change seed"), replace(document.patch, seed=seed))
