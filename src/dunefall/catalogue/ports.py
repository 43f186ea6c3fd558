"""What a module declares of its doors: inputs, outputs, parameters, and series that the user draws."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.units import UNITS, format_value, range_told

__all__ = ["MIDI_CHANNELS", "Input", "Output", "Param", "Role", "Series"]

Role = Literal["audio", "control", "gate", "pitch"]


MIDI_CHANNELS = tuple(str(k) for k in range(1, 17))
RESETS = frozenset(("reset", "restart", "run"))
"""Ids of gate inputs that begin a module anew, or let it run."""
SETS_BACK = RESETS | {"clear", "take", "lay"}
"""Those, and the ones that empty a module or record into it. Nothing is linked there unasked: it could click."""


@dataclass(frozen=True)
class Input:
    """A port that takes a signal: 0 where nothing is linked, the sum of its links otherwise.

    Attributes
    ----------
    stereo : bool
        Takes both channels: the kernel gets the right one as ``<id>_right``, the same as the left where what comes in
        is mono.
    steers : bool
        It shapes the sound at the other inputs and is not heard itself.
    listens : bool
        Without it the module does nothing: a new one listens to its layer's main trigger by default.
    """

    id: str
    name: str
    role: Role
    help: str = ""
    stereo: bool = False
    listens: bool = False
    steers: bool = False

    @property
    def unit(self) -> str:
        """Unit of what comes in, a key of ``base.units.UNITS``."""
        return "note" if self.role == "pitch" else "ratio"

    @property
    def choices(self) -> tuple[str, ...]:
        """No input is a choice."""
        return ()

    @property
    def starts(self) -> bool:
        """Whether a trigger here makes the module do what it is for, instead of setting it back or switching it."""
        return self.role == "gate" and self.id not in SETS_BACK


@dataclass(frozen=True)
class Output:
    """A port that gives a signal.

    Attributes
    ----------
    low, high : float
        The span that a control output keeps within: -1..1 or 0..1; others draw and tell by role.
    per_voice : bool
        Has a row for each of the layer's voices; the kernel gets them one after the other.
    stereo : bool
        Gives both channels: the kernel writes the right one into ``<id>_right``, if that is wanted.
    seen : bool
        The window shows it, so it is computed though nobody uses it: a place in a sequence, what was refused.
    width : str
        The parameter that makes a stereo output wide: mono while it is 0 and nothing is linked to it. Without one the
        output is as wide as the module's stereo inputs.
    """

    id: str
    name: str
    role: Role
    low: float = -1.0
    high: float = 1.0
    per_voice: bool = False
    stereo: bool = False
    seen: bool = False
    width: str = ""


@dataclass(frozen=True)
class Param:
    """A value that the user sets and that links move.

    Attributes
    ----------
    unit : str
        A key of ``base.units.UNITS``; it also decides the domain in which links add up.
    low, high : float
        Hard range; for a choice, the first and last index.
    choices : tuple of str
        Names of a choice's values. A kernel sees the index as a real number that glides when it changes.
    taper : "even" or "octaves"
        How the rail spreads the values.
    amount : float
        Audible amount of a new link, in the domain's unit per 1.0 of the source.
    follows : "", "tempo", "solo" or "layout"
        Taken from the patch instead of being set by the user: its tempo, how much of this layer the solos leave, or
        the place of its layout among all.
    idle_with : str
        Input that makes this parameter idle while something is linked to it.
    shown_when : (str, tuple of int) or None
        It counts only while the choice of this name has one of these values; else it is not shown.
    whole : bool
        The rail gives whole numbers.
    set_up : bool
        Tells how the module is played or what it stands for, and not how it sounds: chance leaves it alone.
    usual : float or None
        Value at which the kernel has a short way: the code of feedback loops is made for it and for all others apart.
    """

    id: str
    name: str
    unit: str
    low: float
    high: float
    default: float
    help: str = ""
    choices: tuple[str, ...] = ()
    taper: Literal["even", "octaves"] = "even"
    amount: float = 0.0
    follows: Literal["", "tempo", "solo", "layout"] = ""
    idle_with: str = ""
    shown_when: tuple[str, tuple[int, ...]] | None = None
    whole: bool = False
    set_up: bool = False
    usual: float | None = None

    @cached_property
    def octaves(self) -> bool:
        """Whether links add up in octaves."""
        return UNITS[self.unit].octaves

    @cached_property
    def domain(self) -> tuple[float, float]:
        """The hard range in the domain in which links add up."""
        return self.to_domain(self.low), self.to_domain(self.high)

    def to_domain(self, value: float) -> float:
        """Value in the domain in which links add up."""
        return math.log2(value) if self.octaves else value

    def from_domain(self, value: float) -> float:
        """Inverse of ``to_domain``."""
        return 2.0**value if self.octaves else value

    def to_rail(self, value: float) -> float:
        """Place of a value on its rail, 0..1."""
        if self.taper == "octaves":
            return math.log(value / self.low) / math.log(self.high / self.low)
        return (value - self.low) / (self.high - self.low)

    def from_rail(self, place: float) -> float:
        """Inverse of ``to_rail``; a choice, and what counts, gives whole numbers."""
        place = min(1.0, max(0.0, place))
        value = self.low + place * (self.high - self.low)
        if self.taper == "octaves":
            value = float(self.low * (self.high / self.low) ** place)
        return float(round(value)) if self.choices or self.whole else value

    def format(self, value: float) -> str:
        """Text of a value of this parameter."""
        return format_value(value, self.unit, choices=self.choices)

    @property
    def allowed(self) -> str:
        """The hard range in words."""
        if self.choices:
            return ", ".join(self.choices)
        return range_told(self.format(self.low), self.format(self.high))

    def check(self, value: float, where: str) -> float:
        """The value if it is allowed; ``where`` names the module and layer in the error.

        Raises
        ------
        ParameterError
            If the value is outside of the hard range or no whole number for a choice.
        """
        if not self.low <= value <= self.high or (self.choices and value != round(value)):
            given = f"{value:g}" if self.choices else self.format(value)
            raise ParameterError(tr("{name} of {where} must be {allowed}; got {given}", name=self.name, where=where,
                                    allowed=self.allowed, given=given), allowed=self.allowed)  # fmt: skip
        return value

    def typed(self, value: float, where: str) -> float:
        """A typed value if it is allowed; one that reads like an end of the range is that end.

        Raises
        ------
        ParameterError
            As ``check``.
        """
        nearest = min(max(value, self.low), self.high)
        return nearest if self.format(value) == self.format(nearest) else self.check(value, where)


@dataclass(frozen=True)
class Series:
    """Numbers that the user draws: the steps of a sequence, the points of a curve, a list. Links do not move them.

    The kernel gets, by the series' id, how many there are, then the numbers, then zeros up to ``most`` numbers.

    Attributes
    ----------
    unit : str
        A key of ``base.units.UNITS``.
    low, high : float
        Range of each number; for a choice, the first and last index.
    default : tuple of float
        What it is until somebody draws.
    least, most : int
        How many numbers there may be.
    used : str
        The parameter that says how many of them count; empty: all.
    group : str
        Series of the same group have as many numbers and are drawn one over the other.
    drawn : "bars", "curve", "path" or "grid"
        Numbers side by side, or points of a curve over 0..1; or, both series of a group in one field, a way in the
        plane, or notes and hits in eight columns.
    shape : function or None
        Of a number, a place 0..1 and the module's own series: each number is drawn as a small curve of this height,
        0..1.
    across : str
        The series that gives the distance between this one's points.
    """

    id: str
    name: str
    unit: str
    low: float
    high: float
    default: tuple[float, ...]
    help: str = ""
    least: int = 1
    most: int = 64
    choices: tuple[str, ...] = ()
    used: str = ""
    group: str = ""
    drawn: Literal["bars", "curve", "path", "grid"] = "bars"
    shape: Callable[[int, float, Mapping[str, tuple[float, ...]]], float] | None = None
    across: str = ""

    def format(self, value: float) -> str:
        """Text of a number of this series."""
        return format_value(value, self.unit, choices=self.choices)

    @property
    def allowed(self) -> str:
        """The range of its numbers in words."""
        return range_told(self.format(self.low), self.format(self.high))

    def check(self, values: tuple[float, ...], where: str) -> tuple[float, ...]:
        """The numbers if they are allowed; ``where`` names the module and layer in the error.

        Raises
        ------
        ParameterError
            If there are too few or too many, or one is outside of its range or no whole number for a choice.
        """
        if not self.least <= len(values) <= self.most:
            allowed = (
                tr("{least} to {most}", least=self.least, most=self.most) if self.least < self.most else f"{self.most}"
            )
            raise ParameterError(tr("{name} of {where} needs {allowed} numbers; got {count}", name=self.name,
                                    where=where, allowed=allowed, count=len(values)), allowed=allowed)  # fmt: skip
        for k, value in enumerate(values):
            if not self.low <= value <= self.high or (self.choices and value != round(value)):
                raise ParameterError(
                    tr("number {k} of {name} of {where} must be {allowed}; got {value:g}", k=k + 1, name=self.name,
                       where=where, allowed=self.allowed, value=value), allowed=self.allowed,
                )  # fmt: skip
        return values
