"""What is found in what is to come: a sentence each, with what, where and why, and a cure where there is one."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.loudness import OFFSET, ProgrammeLoudness, programme_of
from dunefall.base.language import tr
from dunefall.catalogue.compounds import spec_for
from dunefall.patch.changes import ParamSet, SeriesSet
from dunefall.patch.mixing import mixed_layers
from dunefall.patch.model import Layer, Patch
from dunefall.survey.listening import BIN, NoteHeard
from dunefall.survey.outlook import Outlook
from dunefall.survey.places import Step
from dunefall.survey.pyramid import Pyramid
from dunefall.survey.stretch import STRETCH, STRETCH_BINS

__all__ = ["Cure", "Finding", "Limits", "View", "level_cure", "outcome_db"]

SHORT_S, STEP_BINS = 3.0, 8


@dataclass(frozen=True)
class Limits:
    """What is called a fault.

    Attributes
    ----------
    target_lufs : float or None
        Integrated loudness that is wanted, within ``off_lu``; None: any.
    peak_db : float
        Highest true peak, in dBTP.
    quiet_s : float
        So long nothing may happen.
    """

    target_lufs: float | None = None
    off_lu: float = 2.0
    peak_db: float = -1.0
    quiet_s: float = 28.0


@dataclass(frozen=True)
class Cure:
    """What can be done about a finding, as one edit.

    Attributes
    ----------
    text : str
        As on a button.
    changes : tuple of ParamSet or SeriesSet
        Of the patch;
    softened : str
        or the id of a module behind which a slew is put.
    """

    text: str
    changes: tuple[ParamSet | SeriesSet, ...] = ()
    softened: str = ""


@dataclass(frozen=True)
class Finding:
    """Something that one would not want.

    Attributes
    ----------
    kind : str
        Which rule found it.
    text : str
        What, in a few words.
    why : str
        Where it comes from.
    times : tuple of int
        Samples at which it is heard, the first few.
    until : int
        Where it ends; 0: it is a moment.
    modules : tuple of str
        Ids, the likeliest first.
    error : bool
        Whether it should not be handed over like this.
    cure : Cure or None
    step : Step or None
        Of a series that it comes from.
    """

    kind: str
    text: str
    why: str = ""
    times: tuple[int, ...] = ()
    until: int = 0
    modules: tuple[str, ...] = ()
    error: bool = True
    cure: Cure | None = None
    step: Step | None = None

    @property
    def key(self) -> tuple[str, tuple[str, ...]]:
        """What makes it the same finding after another look."""
        return self.kind, self.modules

    @property
    def has_time(self) -> bool:
        """Whether it is heard at certain times, and not all along."""
        return self.times not in ((), (0,))


@dataclass
class View:
    """What the rules look at: the part that is known without a gap when it is made. What is known later changes nothing
    of it, so that another thread may judge it.

    Attributes
    ----------
    outlook : Outlook
        Of which it is a view.
    patch : Patch
        As it is at the end.
    limits : Limits
    first_bin, bins : int
        Where that part begins in the take, and how many bins it has; all other bins are counted from there.
    bands, energy, folded, peak, offset : ndarray [shape=(bins,) or (bins, BANDS)]
        See ``listening.Figures``.
    courses : dict of str to LayerCourse
    rest : dict of int to Rest
    clicks : list of ClickHeard
    """

    outlook: Outlook
    patch: Patch
    limits: Limits = field(default_factory=Limits)

    def __post_init__(self) -> None:
        outlook = self.outlook
        first, last = outlook.known_part
        self.first_bin = first * STRETCH_BINS
        self.bins = min(last * STRETCH_BINS, math.ceil(outlook.bins_of(outlook.seconds))) - self.first_bin
        self.bands, self.energy, self.folded, self.peak, self.offset = (
            self._part(course)
            for course in (outlook.bands, outlook.energy, outlook.folded, outlook.peak, outlook.offset)
        )
        self.courses = dict(outlook.layers)
        self.rest = {k: rest for k, rest in outlook.rest.items() if first <= k < last}
        self.clicks = [click for click in outlook.clicks if first <= click.at // STRETCH < last]
        self.rate_hz, self.faulty, self.deaf = outlook.take.rate_hz, outlook.faulty, outlook.deaf

    def _part(self, course: Pyramid) -> NDArray[Any]:
        return course.bins[self.first_bin : self.first_bin + self.bins]

    @cached_property
    def notes(self) -> list[NoteHeard]:
        """All notes, in order of time."""
        return [note for k in sorted(self.rest) for note in self.rest[k].notes]

    def bins_of(self, seconds: float) -> float:
        """How many bins a time is."""
        return seconds * self.rate_hz / BIN

    def seconds_of(self, bins: float) -> float:
        """How long so many bins are."""
        return bins * BIN / self.rate_hz

    def time_of(self, bins: float) -> float:
        """When a bin is, in seconds from the start of the take."""
        return self.seconds_of(self.first_bin + bins)

    def place_of(self, seconds: float) -> int:
        """The bin at a time from the start of the take; one of this part, or its end."""
        return min(max(int(self.bins_of(seconds)) - self.first_bin, 0), self.bins)

    def triggers_of(self, layer: str) -> NDArray[np.int64]:
        """Bins in which triggers of a layer started something."""
        return np.flatnonzero(self._part(self.courses[layer].triggers))

    @cached_property
    def seconds(self) -> float:
        """How long that is."""
        return self.seconds_of(self.bins)

    @cached_property
    def layers(self) -> list[Layer]:
        """Layers that are heard, without the effect lanes."""
        return [layer for layer in mixed_layers(self.patch) if layer.id in self.courses]

    @cached_property
    def short_term(self) -> NDArray[np.float64]:
        """Loudness of the last 3 s in LUFS, every ``STEP_BINS`` bins; of the first 3 s what there is."""
        sums = np.concatenate([[0.0], np.cumsum(self.energy, dtype=float)])
        ends = np.arange(STEP_BINS, self.bins + 1, STEP_BINS)
        starts = np.maximum(ends - round(self.bins_of(SHORT_S)), 0)
        mean = np.maximum(sums[ends] - sums[starts], 0.0) / np.maximum(ends - starts, 1)
        return np.asarray(OFFSET + 10.0 * np.log10(np.maximum(mean, 1e-12)))

    @cached_property
    def _programme(self) -> ProgrammeLoudness:
        """Its pieces are bins, of about 10 ms."""
        return programme_of(self.energy.astype(float))

    @property
    def integrated(self) -> float:
        """Integrated loudness in LUFS of what is known; -inf of silence."""
        return self._programme.integrated

    @property
    def range_lu(self) -> float:
        """Loudness range in LU."""
        return self._programme.range_lu

    @cached_property
    def spans(self) -> dict[str, tuple[float, float]]:
        """Lowest and highest value of each module's first output in all that is known."""
        found: dict[str, tuple[float, float]] = {}
        for rest in self.rest.values():
            for module, (low, high) in rest.spans.items():
                before = found.get(module, (low, high))
                found[module] = min(before[0], low), max(before[1], high)
        return found

    def in_pieces(self, course: NDArray[Any], seconds: float) -> NDArray[Any]:
        """Bins in whole pieces of so many seconds [shape=(pieces, bins)]; what is left at the end is left out."""
        long = max(1, round(self.bins_of(seconds)))
        count = len(course) // long
        return course[: count * long].reshape(count, long)

    def level(self, layer: str) -> NDArray[np.float32]:
        """Highest sample of each bin of what a layer gives to the mix."""
        return np.asarray(self._part(self.courses[layer].level), np.float32)

    def sample(self, bins: float) -> int:
        """The sample of the take with which a bin begins."""
        return (self.first_bin + int(bins)) * BIN

    def name(self, module: str) -> str:
        """A module's name."""
        return self.patch.module(module).name if self.patch.has(module) else module

    def mean_db(self, layer: str, first: int, last: int) -> float:
        """How loud a layer is between two bins: the mean of its highest samples, in dB."""
        piece = self.level(layer)[first:last].astype(float)
        return 20.0 * math.log10(max(float(np.sqrt((piece**2).mean())) if len(piece) else 0.0, 1e-6))


def outcome_db(patch: Patch, cure: Cure | None) -> dict[str, float]:
    """By how many dB a cure makes layers louder, by their ids, "" for all of them; empty where it does something else.

    Parameters
    ----------
    patch : Patch
        The patch.
    cure : Cure or None
        What is proposed.

    Returns
    -------
    dict of str to float
    """
    layers = {layer.output_id: layer.id for layer in mixed_layers(patch)}
    found = dict[str, float]()
    for change in cure.changes if cure is not None else ():
        if isinstance(change, ParamSet) and change.param == "level_db" and patch.has(change.module):
            before = patch.module(change.module).params.get("level_db", 0.0)
            found[layers.get(change.module, "")] = change.value - before
    return found


def level_cure(patch: Patch, layer: Layer, by_db: float) -> Cure | None:
    """Raise or lower a layer's level; None where it has none, or no room is left.

    Parameters
    ----------
    patch : Patch
        The patch.
    layer : Layer
        The layer.
    by_db : float
        How far.

    Returns
    -------
    Cure or None
    """
    if not patch.has(layer.output_id) or abs(by_db) < 0.5:
        return None
    module = patch.module(layer.output_id)
    spec = spec_for(module)
    if spec is None or "level_db" in module.locked:
        return None
    level = spec.param("level_db")
    now = module.params.get(level.id, level.default)
    goal = min(level.high, max(level.low, now + by_db))
    if goal == now:
        return None
    up = tr("Raise {name} {db:.0f} dB", name=layer.name, db=by_db)
    down = tr("Lower {name} {db:.0f} dB", name=layer.name, db=-by_db)
    return Cure(up if by_db > 0 else down, (ParamSet(module.id, "level_db", goal),))
