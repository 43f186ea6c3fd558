"""What an outlook keeps of what its workers have heard: the course of each layer, and the rest of each stretch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dunefall.survey.listening import NoteHeard
from dunefall.survey.pyramid import Pyramid

__all__ = ["LayerCourse", "Rest"]


class LayerCourse:
    """What a layer does.

    Attributes
    ----------
    level : Pyramid
        Highest sample of each bin.
    triggers : Pyramid
        How many.
    """

    def __init__(self, bins: int) -> None:
        self.level = Pyramid(bins, "max")
        self.triggers = Pyramid(bins, "sum", dtype=np.uint8)


@dataclass(frozen=True)
class Rest:
    """What is known of a stretch beside its courses.

    Attributes
    ----------
    powers : dict of str to ndarray [shape=(looks, thirds)]
    offsets : dict of str to float
    alike : dict of (str, str) to float
    spans : dict of str to (float, float)
    set_back : dict of str to tuple of int
    notes : tuple of NoteHeard
    steps : dict of str to frozenset of float
    faulty : tuple of str
    digest : bytes
        See ``listening`` and ``stretch``.
    """

    powers: dict[str, NDArray[np.float32]]
    offsets: dict[str, float]
    alike: dict[tuple[str, str], float]
    spans: dict[str, tuple[float, float]]
    set_back: dict[str, tuple[int, ...]]
    notes: tuple[NoteHeard, ...]
    steps: dict[str, frozenset[float]]
    faulty: tuple[str, ...]
    digest: bytes
