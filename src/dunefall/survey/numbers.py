"""What is counted in what is to come: events, notes, loudness, and how much of the time each layer is heard."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np

from dunefall.base.units import note_name
from dunefall.survey.findings import View
from dunefall.survey.places import trigger_places

__all__ = ["LayerNumbers", "Numbers", "numbers_of"]

HEARD = 1e-3
"""A layer is heard above -60 dBFS."""
PIECE_S = 3.0


@dataclass(frozen=True)
class LayerNumbers:
    """Of a layer.

    Attributes
    ----------
    layer : str
        Id.
    name : str
    triggered : bool
        Whether triggers start anything in it.
    events : int
        How many there are.
    per_minute : float
    least, most : int
        Events in any whole minute; those of the whole where it is shorter.
    notes : dict of str to int
        How often each note is played, the lowest first.
    heard : float
        Share of the time, 0..1.
    low_db, high_db : float
        Tenth and 95th percentile of its level where it is heard, in dBFS.
    """

    layer: str
    name: str
    triggered: bool
    events: int
    per_minute: float
    least: int
    most: int
    notes: dict[str, int]
    heard: float
    low_db: float
    high_db: float


@dataclass(frozen=True)
class Numbers:
    """Of all.

    Attributes
    ----------
    seconds : float
        How far it is known.
    lufs, range_lu : float
        Integrated loudness and loudness range.
    peak_db : float
        Highest true peak before the limiter, in dBTP.
    layers : tuple of LayerNumbers
    """

    seconds: float
    lufs: float
    range_lu: float
    peak_db: float
    layers: tuple[LayerNumbers, ...]


def numbers_of(view: View) -> Numbers:
    """Count all of it.

    Parameters
    ----------
    view : View
        What is known.

    Returns
    -------
    Numbers
    """
    peak = float(view.peak.max(initial=0.0))
    notes = view.notes
    layers = []
    for layer in view.layers:
        at = view.triggers_of(layer.id)
        counts = _in_whole_minutes(view, at)
        heard = Counter(round(note.note) for note in notes if note.layer == layer.id)
        level = view.level(layer.id)
        low, high = _levels_db(view, level)
        layers.append(LayerNumbers(
            layer.id, layer.name, bool(trigger_places(view.patch, layer)), len(at),
            60.0 * len(at) / max(view.seconds, 1e-9), int(counts.min()), int(counts.max()),
            {note_name(note): count for note, count in sorted(heard.items())},
            float((level > HEARD).mean()) if len(level) else 0.0, low, high,
        ))  # fmt: skip
    peak_db = 20.0 * float(np.log10(max(peak, 1e-6)))
    return Numbers(view.seconds, view.integrated, view.range_lu, peak_db, tuple(layers))


def _in_whole_minutes(view: View, at: np.ndarray) -> np.ndarray:
    """Events in each minute that begins on a second."""
    seconds = view.seconds_of(1) * at
    if view.seconds < 60.0:
        return np.array([len(at)])
    begins = np.arange(0.0, view.seconds - 60.0 + 1e-9)
    return np.asarray(np.searchsorted(seconds, begins + 60.0) - np.searchsorted(seconds, begins))


def _levels_db(view: View, level: np.ndarray) -> tuple[float, float]:
    whole = view.in_pieces(level, PIECE_S)
    pieces = whole.max(axis=1) if len(whole) else level
    heard = pieces[pieces > HEARD]
    if not len(heard):
        return -120.0, -120.0
    low, high = np.percentile(20.0 * np.log10(heard), [10, 95])
    return float(low), float(high)
