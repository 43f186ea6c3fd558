"""The form of a module's declaration: everything that window, guide, validation and tests know about a module.

A module is one file in a folder named after its stage. The file holds ``MODULE = ModuleSpec(...)`` and the kernel that
the declaration names; nothing else needs to know about it.
"""

from __future__ import annotations

import inspect
import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal, NamedTuple, NoReturn, TypeVar

import numpy as np
from numpy.typing import NDArray

from dunefall.base.layouts import LAYOUTS
from dunefall.catalogue.ports import Input, Output, Param, Role, Series
from dunefall.catalogue.presets import Preset
from dunefall.patch.mixing import heard
from dunefall.patch.model import Module, Patch

__all__ = [
    "RIGHT",
    "STAGES",
    "Cycle",
    "Given",
    "Input",
    "ModuleSpec",
    "Output",
    "Param",
    "Preset",
    "Role",
    "Series",
    "fed_back",
    "pole_s",
    "ringing",
    "settling",
]

STAGES = ("time", "motion", "pitch", "source", "shape", "space")


def followed(param: Param, patch: Patch, module: Module) -> float:
    """What a parameter takes from the patch."""
    if param.follows == "tempo":
        return patch.tempo_bpm
    if param.follows == "solo":
        return heard(patch, module)
    return float([layout.id for layout in LAYOUTS].index(patch.layout))


class Given(NamedTuple):
    """What a module is set to: its values and series, defaults included, and which of its ports are linked."""

    values: Mapping[str, float]
    series: Mapping[str, tuple[float, ...]]
    linked: frozenset[str]
    heard: frozenset[str] | None = None
    """Outputs that matter; None: all."""

    @classmethod
    def of(cls, spec: ModuleSpec, patch: Patch, module: Module, heard: frozenset[str] | None = None) -> Given:
        """What is given to a module of a patch."""
        linked = frozenset(link.target.port for link in patch.links_into(module.id) if link.on)
        values = {param.id: followed(param, patch, module) for param in spec.params if param.follows}
        defaults = {param.id: param.default for param in spec.params} | values
        series = {x.id: module.series.get(x.id, x.default) for x in spec.series}
        return cls({**defaults, **module.params}, series, linked, heard)

    def matters(self, *outputs: str) -> bool:
        """Whether one of these outputs does."""
        return self.heard is None or not self.heard.isdisjoint(outputs)

    def used(self, param: str) -> bool:
        """Whether a value is not 0, or moved."""
        return self.values[param] != 0.0 or param in self.linked


@dataclass(frozen=True)
class Cycle:
    """When a module's course begins again.

    Attributes
    ----------
    chance : function or None
        Of what is given: whether chance is at work; None: whenever the kernel asks for random numbers.
    period_s : function or None
        Of what is given: seconds after which it begins again by itself; 0: it does not move by itself.
    speed : tuple of str
        Parameters that make the period: links to them leave it without one.
    steps : function or None
        Of what is given: after how many triggers it begins again; one number, or one for each of ``at``.
    at : tuple of str
        The inputs whose triggers are counted.
    noise : bool
        Its chance is heard as noise: what it sounds like repeats all the same.
    free : function or None
        Of what is given: whether it goes on in its own time, as a wave that nothing restarts, and so stands elsewhere
        when all else begins again.
    memory_s : function or None
        Of what is given: seconds until what it keeps of its past has fallen by 90 dB; infinite: it does not fall.
    outside : bool
        It hears the world.
    fires : tuple of str
        The outputs sure to give triggers: by itself, or where its first input gets some and no other gate does.
    """

    chance: Callable[[Given], bool] | None = None
    period_s: Callable[[Given], float] | None = None
    speed: tuple[str, ...] = ()
    steps: Callable[[Given], int | tuple[int, ...]] | None = None
    at: tuple[str, ...] = ()
    noise: bool = False
    free: Callable[[Given], bool] | None = None
    memory_s: Callable[[Given], float] | None = None
    outside: bool = False
    fires: tuple[str, ...] = ()


def ringing(given: Given, decay_s: str) -> float:
    """Seconds until a module's tail has surely fallen by 90 dB, by its time to -60 dB; infinite where that is moved."""
    return math.inf if decay_s in given.linked else 2.0 * given.values[decay_s]


def pole_s(hz: float) -> float:
    """Seconds until a pole's state has fallen by 90 dB."""
    return 10.4 / (2.0 * math.pi * hz)


def resonance_s(hz: float, damping: float) -> float:
    """Seconds until a second-order filter's state has fallen by 90 dB, by its frequency and its damping (1 / Q)."""
    return pole_s(hz * 0.5 * (damping - math.sqrt(max(damping * damping - 4.0, 0.0))))


def lowest_hz(given: Given, frequency: str) -> float:
    """An eighth of a frequency where it is moved: how low it comes that what a filter keeps is reckoned with."""
    return given.values[frequency] / (8.0 if frequency in given.linked else 1.0)


def settling(given: Given, *times_s: str) -> float:
    """Seconds until a module has come to rest within 90 dB, by its time constants; infinite where one is moved."""
    return math.inf if not given.linked.isdisjoint(times_s) else 10.0 * max(given.values[time] for time in times_s)


def fed_back(given: Given, share: str, seconds: float) -> float:
    """Seconds until what goes round in a module has fallen by 90 dB, by its share and what once round takes; infinite
    where that is moved, or nothing is lost."""
    kept = abs(given.values[share])
    if share in given.linked or kept >= 1.0:
        return math.inf
    return seconds * (1.0 - 90.0 / (20.0 * math.log10(kept))) if kept > 0.0 else seconds


Door = TypeVar("Door", Input | Param, Output)
RIGHT = "_right"
"""What the name of a channel's port ends in, where it is not the left one."""


@dataclass(frozen=True)
class ModuleSpec:
    """The declaration of a module.

    Attributes
    ----------
    kernel : function
        Called with arrays of n samples for every port of ``target_rows`` and ``output_rows`` by id, ``state`` (float64,
        ``state`` numbers, all 0 at rest), and, where it asks for them by name, ``memory`` (float64, ``memory`` numbers
        and ``memory_s`` seconds, which may depend on its values), ``rate`` (Hz), ``key`` (uint64 of the module's random
        numbers), ``linked`` (bit k set: target k has a link), ``moving`` (bit k set: target k may differ from sample to
        sample; what does not move is the same in all n), ``wanted`` (bit k set: somebody uses output k), ``scratch``
        (512 numbers that mean nothing between calls), ``voices``, ``levels`` (how loud each voice was), ``live`` (the
        live input) and ``start`` (place in the quantum of 64). It runs any n from 1 to 64, allocates nothing, and keeps
        everything it must remember in ``state`` and ``memory``. What is indexed by a variable belongs in ``memory``: in
        the code of a feedback loop a small ``state`` is kept in registers. One that asks for ``whole_mix`` (64 places a
        channel, the next n samples at the beginning of each) runs when all layers are in it; it may ask whether it is
        ``bypassed``, and then leaves the mix as it is. One with a ``loop`` may ask for its ``line_phase``, one of
        ``compiler.records.PHASES``: loops through it then run row by row where it says so. A module with a ``sound``
        may ask for ``sound`` (float32, row after row), ``sound_rows`` and ``sound_rate`` (Hz); its ``series`` it gets
        by their ids.
    cycle : Cycle
        When its course begins again.
    warning : function or None
        Of what is given: a sentence where the sound may get out of hand; else nothing.
    sound : "file", "table" or "response"
        What it plays: a sound file of the user's, with its channels as rows; or wavetables, the built-in ones or those
        of a file, with the frames of a table as rows; or the response of a computed place, by its parameter ``place``,
        or of a file, which its kernel gets as ``response``. Empty: nothing.
    cached : tuple of int
        Places of the state that depend on the sample rate and are recomputed after a change of rate.
    rings : int
        All of its memory is so many rings of one size, written at the place that the first number of the state tells:
        what they hold is kept when a value asks for another size. 0: it is not.
    rests : int
        Place of the state that is 0 when the module is at rest; -1: it never rests.
    face : str
        The parameter whose value is on the card.
    passes : str
        Input that reaches the first output when the module is bypassed; empty: the output rests at 0.
    words : tuple of str
        Other words under which it is searched.
    presets : tuple of Preset
        Settings that the trade has a name for.
    groups : tuple of (str, tuple of str)
        Names of groups, each with the ids of the inputs and parameters that are not what one sets first.
    together : tuple of str
        Two parameters that are mostly set to the same value, or none.
    loop : tuple of str
        The output that its feedback leaves by and the input by which it comes back, through other modules; or none.
    sources : tuple of str
        Published sources of the method.
    handle : (str, str)
        Parameters that dragging its picture moves: across and upwards; empty where there is none.
    cursors : tuple of str
        Parameters that are places in its sound file.
    network : function
        Of its values by id: names of its parts, and how strongly (0..1) each part (row) acts on each part (column); the
        last row is how loud each is heard. Its picture shows it.
    closes : bool
        What it leaves in ``whole_mix`` is what is heard: everything ends in it.
    sends : "notes", "controller" or "osc"
        What it sends to other instruments and programs, of its outputs (``engine.devices.sending``). Empty: nothing.
    begins : mapping of str to float
        Values of a new module where it would be silent with the defaults.
    keys : bool
        Receives notes played by hand: they wait in its state, as ``catalogue.pitch.keyboard`` tells.
    shows : "response", "spectrum", "wave" or "course"
        What its picture shows: what it does to each frequency, its partials, some milliseconds, or some seconds;
        empty: what its stage shows.
    """

    id: str
    name: str
    stage: str
    sentence: str
    kernel: Callable[..., None]
    outputs: tuple[Output, ...]
    inputs: tuple[Input, ...] = ()
    params: tuple[Param, ...] = ()
    series: tuple[Series, ...] = ()
    state: int = 1
    memory: int = 0
    memory_s: float | Callable[[Mapping[str, float]], float] = 0.0
    face: str = ""
    passes: str = ""
    words: tuple[str, ...] = ()
    presets: tuple[Preset, ...] = ()
    groups: tuple[tuple[str, tuple[str, ...]], ...] = ()
    together: tuple[str, ...] = ()
    loop: tuple[str, ...] = ()
    sources: tuple[str, ...] = ()
    shows: Literal["", "response", "spectrum", "wave", "course"] = ""
    handle: tuple[str, str] = ("", "")
    cursors: tuple[str, ...] = ()
    network: Callable[[Mapping[str, float]], tuple[str, NDArray[np.float64]]] | None = None
    sound: Literal["", "file", "table", "response"] = ""
    warning: Callable[[Given], str] | None = None
    cycle: Cycle = Cycle()
    begins: Mapping[str, float] = field(default_factory=dict)
    keys: bool = False
    lane_end: bool = False
    closes: bool = False
    sends: Literal["", "notes", "controller", "osc"] = ""
    cached: tuple[int, ...] = ()
    rings: int = 0
    rests: int = -1

    def __post_init__(self) -> None:
        if self.stage not in STAGES:
            raise ValueError(f'stage of module "{self.id}" must be one of {STAGES}; got "{self.stage}"')
        ids = [port.id for port in (*self.target_rows, *self.output_rows, *self.series)]
        if len(ids) != len(set(ids)):
            raise ValueError(f'module "{self.id}" declares a port twice: {ids}')
        if unknown := {name for _, names in self.groups for name in names} - set(ids):
            raise ValueError(f'module "{self.id}" groups what it does not have: {unknown}')
        for preset in self.presets:
            preset.numbers(self.params)
            if preset.output and self.output(preset.output) is None:
                raise ValueError(f'preset "{preset.name}" of module "{self.id}": there is no output {preset.output}')

    @property
    def targets(self) -> tuple[Input | Param, ...]:
        """Inputs and parameters, in the order of their rows."""
        return (*self.inputs, *self.params)

    @cached_property
    def target_rows(self) -> tuple[Input | Param, ...]:
        """Inputs and parameters as the kernel gets them: a stereo input twice."""
        return tuple(row for port in self.targets for row in _channels(port, isinstance(port, Input) and port.stereo))

    @cached_property
    def output_rows(self) -> tuple[Output, ...]:
        """Outputs as the kernel gets them: a stereo output twice."""
        return tuple(row for output in self.outputs for row in _channels(output, output.stereo))

    @cached_property
    def series_places(self) -> dict[str, tuple[int, int]]:
        """Where each series begins among all numbers of the module's series, and how many it takes there."""
        places, at = {}, 0
        for series in self.series:
            places[series.id] = (at, 1 + series.most)
            at += 1 + series.most
        return places

    @cached_property
    def passed(self) -> tuple[tuple[int, int], ...]:
        """What a bypassed module passes on: places among ``target_rows`` and ``output_rows``."""
        ids = [port.id for port in self.target_rows]
        if not self.passes:
            return ()
        first = ids.index(self.passes)
        both = self.passes + RIGHT in ids and self.outputs[0].stereo
        return ((first, 0), (first + 1, 1)) if both else ((first, 0),)

    @cached_property
    def asks(self) -> tuple[str, ...]:
        """What the kernel asks for, in its order."""
        return tuple(inspect.signature(self.kernel).parameters)

    @property
    def ends(self) -> bool:
        """Whether sound ends in it: the output of a layer, or the master."""
        return self.lane_end or self.closes

    @property
    def needed(self) -> bool:
        """Whether it works though nobody listens to it: what it is for happens outside the patch, or is heard."""
        return self.ends or bool(self.sends)

    @property
    def hears_mix(self) -> bool:
        """Whether it works when all layers are in the mix: its kernel gets that as ``whole_mix``."""
        return "whole_mix" in self.asks

    @property
    def brings_mix(self) -> bool:
        """Whether it gives the whole mix to what is inserted before the master."""
        return self.hears_mix and not self.closes

    @property
    def can_bypass(self) -> bool:
        """Whether there is something in it to bypass."""
        return not self.lane_end and not self.brings_mix

    @property
    def shows_as(self) -> str:
        """What its picture shows."""
        return self.shows or {"source": "wave", "shape": "response", "space": "course"}.get(self.stage, "course")

    @property
    def stereo(self) -> bool:
        """Stereo by nature: it works on both channels together. All other modules run once for each channel."""
        return any(port.stereo for port in self.inputs) or any(port.stereo for port in self.outputs)

    def param(self, param_id: str) -> Param:
        """The parameter of this id; raises KeyError if there is none."""
        return next((p for p in self.params if p.id == param_id), None) or _missing(self.id, param_id)

    def shown_face(self, values: Mapping[str, float]) -> Param | None:
        """The parameter whose value is on the card; if that one is not in use, the one of the same name that is."""
        if not self.face:
            return None
        face = self.param(self.face)
        same = (param for param in self.params if param.name == face.name and self.counts(param, values))
        return next(same, face)

    def memory_size(self, values: Mapping[str, float], rate: float) -> int:
        """Numbers of its memory at these base values (those that are not given: the defaults) and a rate in Hz."""
        seconds = self.memory_s
        if not isinstance(seconds, (int, float)):
            seconds = seconds({param.id: values.get(param.id, param.default) for param in self.params})
        return self.memory + math.ceil(seconds * rate)

    def target(self, port_id: str) -> Input | Param | None:
        """The input or parameter that a link may end in, or None."""
        ports = (port for port in self.targets if not (isinstance(port, Param) and port.follows))
        return next((port for port in ports if port.id == port_id), None)

    def counts(self, param: Param, values: Mapping[str, float]) -> bool:
        """Whether a parameter does anything at these base values (those that are not given: the defaults)."""
        if param.shown_when is None:
            return True
        name, wanted = param.shown_when
        return round(values.get(name, self.param(name).default)) in wanted

    def output(self, port_id: str) -> Output | None:
        """The output of this id, or None."""
        return next((port for port in self.outputs if port.id == port_id), None)


def _channels(port: Door, stereo: bool) -> tuple[Door, ...]:
    return (port, replace(port, id=port.id + RIGHT, name=f"{port.name}, right")) if stereo else (port,)


def _missing(module: str, param: str) -> NoReturn:
    raise KeyError(f'module "{module}" has no parameter "{param}"')
