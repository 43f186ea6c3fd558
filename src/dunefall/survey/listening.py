"""What is noted of a sound while it is worked out: a spectrogram, loudness, peaks, and every layer's level and events.

Everything stands in bins of ``BIN`` samples, some 11 ms: pictures of any length are made of them. Sources: K-weighting,
ITU-R BS.1770-5 (``dsp.meter``); true peaks, its Annex 2 (``dsp.truepeak``).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.masking import BANDS_HZ, band_powers
from dunefall.base.layouts import LAYOUTS
from dunefall.catalogue.compounds import spec_for
from dunefall.compiler.traces import BIN_SAMPLES
from dunefall.dsp.figures import FILTER_STATE, weigh
from dunefall.dsp.meter import k_weighting
from dunefall.dsp.truepeak import AROUND, HIGHEST_BETWEEN, highest
from dunefall.patch.model import Patch, Place
from dunefall.render.culprit import Traced
from dunefall.survey.places import heard_layers, level_places, pitch_places, step_places, trigger_places

__all__ = ["BANDS", "BIN", "HIGHEST_HZ", "LOWEST_HZ", "QUIET_DB", "Figures", "LayerFigures", "Listening", "NoteHeard"]

BIN = BIN_SAMPLES
FRAME = 2048
BANDS, LOWEST_HZ, HIGHEST_HZ = 72, 30.0, 16_000.0
QUIET_DB = -90.0
"""A spectrogram's 0; its 255 is 0 dB, a sine of full scale."""
HIGH, SAME_NOTE, NOTHING, WELL_UP = 0.5, 0.01, 0.12, 0.25
NEAR, HEARD = 0.7, 1e-4
LOOK, LOOK_EVERY = 8192, 49152
"""Samples of a look at a layer's spectrum, and from one to the next."""

Bins = NDArray[np.float32]


@dataclass(frozen=True)
class NoteHeard:
    """A note that a layer's source was given.

    Attributes
    ----------
    at : int
        Sample since the start of the take.
    layer : str
        Id of the layer.
    place : Place
        The output that gave it.
    note : float
        As a MIDI note number.
    """

    at: int
    layer: str
    place: Place
    note: float


@dataclass(frozen=True)
class LayerFigures:
    """Of one layer.

    Attributes
    ----------
    level : ndarray [shape=(bins,)]
        Highest sample of what it gives to the mix, linear.
    triggers : ndarray of uint8 [shape=(bins,)]
        How many triggers started something.
    powers : ndarray [shape=(looks, thirds)]
        Power in thirds of an octave (``analysis.masking.BANDS_HZ``) of its left side, now and then; none of a layer
        that is not probed.
    offset : float
        Mean of the samples of its left side.
    """

    level: Bins
    triggers: NDArray[np.uint8]
    powers: Bins
    offset: float


@dataclass(frozen=True)
class Figures:
    """Of a piece of sound, a bin after the other.

    Attributes
    ----------
    bands : ndarray of uint8 [shape=(bins, BANDS)]
        Spectrogram of the mix, even in octaves, the lowest first; steps even in dB.
    energy, folded : ndarray [shape=(bins,)]
        K-weighted mean square of all channels with their weights, and of their mean.
    peak : ndarray [shape=(bins,)]
        Highest true peak before the limiter, linear.
    offset : ndarray [shape=(bins,)]
        Mean of the samples.
    layers : dict of str to LayerFigures
        By id.
    alike : dict of (str, str) to float
        Correlation of the left sides of two layers, -1..1, where both are heard.
    spans : dict of str to (float, float)
        Lowest and highest value of each module's first output.
    set_back : dict of str to tuple of int
        Samples at which a module's course fell to nothing and rose again within a bin: begun anew in the middle.
    notes : tuple of NoteHeard
    steps : dict of str to frozenset of float
        Places, 0 to 1, at which a module stood in its series.
    """

    bands: NDArray[np.uint8]
    energy: Bins
    folded: Bins
    peak: Bins
    offset: Bins
    layers: dict[str, LayerFigures]
    alike: dict[tuple[str, str], float]
    spans: dict[str, tuple[float, float]]
    set_back: dict[str, tuple[int, ...]]
    notes: tuple[NoteHeard, ...]
    steps: dict[str, frozenset[float]]


@cache
def _band_weights(rate: float) -> Bins:
    """What each bin of a spectrum gives to each band, shape (FRAME // 2 + 1, BANDS); narrow bands share a bin."""
    bins = FRAME // 2 + 1
    edges = np.geomspace(LOWEST_HZ, min(HIGHEST_HZ, 0.45 * rate), BANDS + 1) / (rate / FRAME) + 0.5
    spread = np.clip(edges[None, :] - np.arange(bins)[:, None], 0.0, 1.0)
    return np.diff(spread, axis=1).astype(np.float32)


_WINDOW = (0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(FRAME) / FRAME)).astype(np.float32)
_FULL = float(_WINDOW.sum()) ** 2 / 4.0 * 1.5
"""Power of a sine of full scale in its bins under this window, whose side bins hold half as much again."""


def _peak(samples: NDArray[np.float64]) -> float:
    """True peak of a bin, ``AROUND`` samples late; where it cannot be near full scale, its highest sample."""
    top = float(np.abs(samples[AROUND:-AROUND]).max())
    return highest(samples) if top * HIGHEST_BETWEEN > NEAR else top


def _alike(sides: dict[str, Bins]) -> dict[tuple[str, str], float]:
    """How alike the layers are that are heard."""
    names = [name for name, side in sides.items() if float(np.abs(side).max(initial=0.0)) > HEARD]
    if len(names) < 2:
        return {}
    found = np.atleast_2d(np.corrcoef(np.stack([sides[name] for name in names])))
    return {(a, b): float(found[i, j]) for i, a in enumerate(names) for j, b in enumerate(names) if i < j}


def _spans(patch: Patch, traced: Traced, bins: int) -> dict[str, tuple[float, float]]:
    found = {}
    for module in patch.modules():
        trace = traced.trace(module.id)
        if trace is not None:
            found[module.id] = float(trace[-bins:, 0].min()), float(trace[-bins:, 1].max())
    return found


def _steps(patch: Patch, traced: Traced, bins: int) -> dict[str, frozenset[float]]:
    found = {}
    for place in step_places(patch):
        trace = traced.trace(place.module, place.port)
        if trace is not None:
            still = trace[-bins:][trace[-bins:, 0] == trace[-bins:, 1], 0]
            found[place.module] = frozenset(np.unique(np.round(still, 4)).tolist())
    return found


def _set_back(patch: Patch, traced: Traced, bins: int, begin: int) -> dict[str, tuple[int, ...]]:
    found = {}
    for module in patch.modules():
        spec = spec_for(module)
        output = spec.outputs[0] if spec else None
        if spec is None or output is None or spec.stage != "motion" or output.role != "control" or output.low != 0.0:
            continue
        trace = traced.trace(module.id)
        if trace is None:
            continue
        low, high = trace[-bins - 1 :, 0], trace[-bins:, 1]
        at = np.flatnonzero((low[1:] < NOTHING) & (high > WELL_UP) & (low[:-1] > WELL_UP))
        if len(at):
            found[module.id] = tuple((begin + at * BIN).tolist())
    return found


@dataclass
class Listening:
    """Takes a sound piece by piece; what it carries on is part of a checkpoint.

    Attributes
    ----------
    rate : float
        Sample rate in Hz.
    channels : int
        Of the mix.
    """

    rate: float
    channels: int
    _tail: NDArray[np.float64] = field(init=False)
    _weighed: NDArray[np.float64] = field(init=False)
    _gates: dict[Place, tuple[float, float, float, float]] = field(default_factory=dict)
    _notes: dict[Place, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._tail = np.zeros((FRAME, self.channels))
        self._weighed = np.zeros((self.channels, FILTER_STATE))

    def take(self, mix: NDArray[np.float64], begin: int, patch: Patch, traced: Traced) -> Figures:
        """Note what a piece of the mix was.

        Parameters
        ----------
        mix : ndarray [shape=(n, channels)]
            A whole number of bins, at most as many as traces are kept of.
        begin : int
            Its first sample since the start of the take.
        patch : Patch
            What sounded at its end.
        traced : Traced
            What its outputs did.

        Returns
        -------
        Figures
        """
        bins = len(mix) // BIN
        layout = next(layout for layout in LAYOUTS if layout.channels == self.channels)
        energy, folded = np.zeros(bins), np.zeros(bins)
        weigh(mix, k_weighting(self.rate), self._weighed, layout.weights, BIN, energy, folded)
        whole = np.concatenate([self._tail, mix])
        self._tail = whole[-FRAME:].copy()
        peak = [_peak(whole[FRAME + k * BIN - 2 * AROUND : FRAME + (k + 1) * BIN]) for k in range(bins)]
        layers, notes = {}, list[NoteHeard]()
        sides = dict[str, Bins]()
        for layer in heard_layers(patch):
            places = level_places(layer)
            side = traced.samples(places[0])
            if side is not None:
                sides[layer.id] = side[: len(mix)]
            layers[layer.id] = LayerFigures(
                self._level(places, traced, bins), self._triggers(trigger_places(patch, layer), traced, bins),
                self._powers(sides.get(layer.id)), float(side.mean()) if side is not None else 0.0,
            )  # fmt: skip
            for place in pitch_places(patch, layer):
                notes += self._heard_notes(place, layer.id, traced, bins, begin)
        return Figures(
            self._bands(whole), energy.astype(np.float32), folded.astype(np.float32), np.array(peak, np.float32),
            mix.reshape(bins, -1).mean(axis=1).astype(np.float32), layers, _alike(sides), _spans(patch, traced, bins),
            _set_back(patch, traced, bins, begin),
            tuple(sorted(notes, key=lambda note: note.at)), _steps(patch, traced, bins),
        )  # fmt: skip

    def _bands(self, whole: NDArray[np.float64]) -> NDArray[np.uint8]:
        mono = np.asarray(whole.mean(axis=1), np.float32)[BIN:]
        frames = np.lib.stride_tricks.sliding_window_view(mono, FRAME)[::BIN]
        power = np.abs(np.fft.rfft(frames * _WINDOW, axis=1)).astype(np.float32) ** 2
        level = 10.0 * np.log10(power @ _band_weights(self.rate) * (1.0 / _FULL) + 1e-12)
        return np.asarray(np.round(255.0 * np.clip(1.0 - level / QUIET_DB, 0.0, 1.0)).astype(np.uint8))

    def _powers(self, side: Bins | None) -> Bins:
        if side is None or len(side) < LOOK:
            return np.zeros((0, len(BANDS_HZ)), np.float32)
        looks = range(0, len(side) - LOOK + 1, LOOK_EVERY)
        return np.array([band_powers(side[at : at + LOOK], self.rate) for at in looks], np.float32)

    @staticmethod
    def _last(place: Place, traced: Traced, bins: int) -> Bins | None:
        found = traced.trace(place.module, place.port)
        return None if found is None else found[-bins:]

    def _level(self, places: tuple[Place, Place], traced: Traced, bins: int) -> Bins:
        found = [ours for place in places if (ours := self._last(place, traced, bins)) is not None]
        if not found:
            return np.zeros(bins, np.float32)
        return np.asarray(np.abs(np.stack(found)).max(axis=(0, 2)))

    def _triggers(self, places: tuple[Place, ...], traced: Traced, bins: int) -> NDArray[np.uint8]:
        """Rises of gates: a bin is high where the gate was low in the one before, or fell and rose between two."""
        count = np.zeros(bins, np.uint8)
        for place in places:
            found = self._last(place, traced, bins)
            if found is None:
                continue
            before = self._gates.get(place, (0.0, 0.0, 0.0, 0.0))
            low = np.concatenate([before[:2], found[:, 0]]) > HIGH
            high = np.concatenate([before[2:], found[:, 1]]) > HIGH
            rises = high[2:] & ~high[1:-1]
            gaps = low[2:] & ~low[1:-1] & high[1:-1] & low[:-2]
            np.maximum(count, (rises | gaps).astype(np.uint8), out=count)
            self._gates[place] = (*found[-2:, 0].tolist(), *found[-2:, 1].tolist())
        return count

    def _heard_notes(self, place: Place, layer: str, traced: Traced, bins: int, begin: int) -> list[NoteHeard]:
        """Notes that stand still for a bin, where they are others than before."""
        found = self._last(place, traced, bins)
        if found is None:
            return []
        notes, last = [], self._notes.get(place)
        steady = np.flatnonzero(found[:, 1] - found[:, 0] < SAME_NOTE)
        values = found[steady, 0]
        new = np.abs(np.diff(values, prepend=values[:1] - 1.0 if last is None else last)) > SAME_NOTE
        for k, note in zip(steady[new].tolist(), values[new].tolist(), strict=True):
            notes.append(NoteHeard(begin + k * BIN, layer, place, float(note)))
        if len(values):
            self._notes[place] = float(values[-1])
        return notes
