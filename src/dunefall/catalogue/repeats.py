"""When a patch, or a part of it, begins again: from all clocks, divisions and lengths, exactly.

Every module's course has a period: the least common multiple of the periods of its movers, of its own period, and of as
many triggers as it takes to come round. Fractions are exact; what is set in decimals counts as those decimals.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from fractions import Fraction

from dunefall.base.reach import reached
from dunefall.base.words import listed
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Given, Input, ModuleSpec, Output
from dunefall.patch.model import Module, Patch

__all__ = ["Repeat", "repeat_of_layer", "repeat_of_patch"]

DIGITS = 6
LONGEST_S = 3.2e9
"""A hundred years: what takes longer does not begin again."""
NAMED = 3


@dataclass(frozen=True)
class Repeat:
    """When a course begins again.

    Attributes
    ----------
    seconds : Fraction or None
        The period; 0: nothing in it moves; None: never.
    by_chance, moved : tuple of str
        Why never: random modules, and modules whose speed is moved.
    noises : tuple of str
        Sounding modules whose sound is random, though their course is not.
    shortest_s : Fraction
        The shortest period of its clocks: a step; 0: there are none.
    """

    seconds: Fraction | None
    by_chance: tuple[str, ...] = ()
    moved: tuple[str, ...] = ()
    noises: tuple[str, ...] = ()
    shortest_s: Fraction = Fraction(0)

    def told(self, tempo_bpm: float) -> str:
        """In words: ``after 280 steps, 11.4 bars, 45.7 s``, or ``never, because …``."""
        if self.seconds is None:
            chance = f"{_and(self.by_chance)} go{'es' if len(self.by_chance) == 1 else ''} by chance"
            speeds = f"the speed of {_and(self.moved)} is moved"
            reasons = [text for names, text in ((self.by_chance, chance), (self.moved, speeds)) if names]
            return f"never, because {' and '.join(reasons) or 'its periods only meet after a hundred years'}"
        but = f", but for the noise of {_and(self.noises)}" if self.noises else ""
        if self.seconds == 0:
            return f"at once: nothing in it moves{but}"
        steps = self.seconds / self.shortest_s if self.shortest_s else Fraction(0)
        bars = float(self.seconds) * tempo_bpm / 240.0
        parts = [f"{int(steps)} steps"] if steps.denominator == 1 and steps > 1 else []
        parts += [f"{bars:.4g} bars" if bars != 1 else "1 bar", _time(float(self.seconds))]
        return f"after {', '.join(parts)}{but}"

    @property
    def short(self) -> str:
        """For the header: ``never`` or the time."""
        if self.seconds is None:
            return "never"
        return _time(float(self.seconds)) if self.seconds else "at once"


def _and(names: tuple[str, ...]) -> str:
    """Names in a row, the first few of many."""
    if len(names) > NAMED:
        return f"{', '.join(names[:NAMED])} and {len(names) - NAMED} more"
    return listed(names)


def _time(seconds: float) -> str:
    if seconds < 120:
        return f"{seconds:.1f} s"
    if seconds < 7200:
        return f"{int(seconds // 60)} min {seconds % 60:.0f} s"
    if seconds < 172800:
        return f"{int(seconds // 3600)} h {seconds % 3600 / 60:.0f} min"
    return f"{seconds / 86400:.3g} days"


def repeat_of_patch(patch: Patch) -> Repeat:
    """When the whole mix begins again."""
    ends = [m for m in patch.modules() if (spec := spec_for(m)) and spec.lane_end and not _muted(patch, m)]
    return _repeat(patch, [module.id for module in ends])


def _muted(patch: Patch, module: Module) -> bool:
    moved = any(link.on and link.target.port == "mute" for link in patch.links_into(module.id))
    return module.params.get("mute", 0.0) >= 1.0 and not moved


def repeat_of_layer(patch: Patch, layer_id: str) -> Repeat:
    """When a layer's sound begins again; for one without an output, as Shared, everything in it."""
    layer = patch.layer(layer_id)
    inside = [module.id for module in layer.modules]
    ends = [layer.output_id] if layer.output_id in inside else inside
    return _repeat(patch, ends)


def _repeat(patch: Patch, ends: Collection[str]) -> Repeat:
    walk = _Walk(patch, ends)
    periods = [walk.period(end) for end in ends]
    if walk.by_chance or walk.moved:
        return Repeat(None, tuple(walk.by_chance), tuple(walk.moved), tuple(walk.noises))
    whole = _lcm([period for period in periods if period])
    if whole > LONGEST_S:
        return Repeat(None, noises=tuple(walk.noises))
    return Repeat(whole, (), (), tuple(walk.noises), min(walk.own, default=Fraction(0)))


def _lcm(periods: Collection[Fraction]) -> Fraction:
    """Least common multiple; 0 of nothing."""
    whole = Fraction(0)
    for period in periods:
        if whole == 0:
            whole = period
        elif period:
            top = math.lcm(whole.numerator * period.denominator, period.numerator * whole.denominator)
            whole = Fraction(top, whole.denominator * period.denominator)
    return whole


class _Walk:
    """Periods of modules, each worked out once, from what they are moved by."""

    def __init__(self, patch: Patch, ends: Collection[str]) -> None:
        self._patch = patch
        self._known: dict[str, Fraction] = {}
        self._under_way: set[str] = set()
        self.by_chance: list[str] = []
        self.moved: list[str] = []
        self.noises: list[str] = []
        self.own: set[Fraction] = set()
        self._into: dict[str, list[tuple[str, str]]] = {}
        for link in patch.links:
            if link.on and (link.amount != 0.0):
                self._into.setdefault(link.target.module, []).append((link.target.port, link.source.module))
        self._modules = {module.id: module for module in patch.modules()}
        self._heard = self._outputs_heard(ends)

    def _outputs_heard(self, ends: Collection[str]) -> dict[str, set[str]]:
        """Of each module from which a way leads to the ends, the outputs by which it does."""
        near = reached(ends, {target: [source for _, source in into] for target, into in self._into.items()})
        heard: dict[str, set[str]] = {end: {x.id for x in self._outputs(end)} for end in ends}
        for link in self._patch.links:
            if link.on and link.amount != 0.0 and link.target.module in near:
                heard.setdefault(link.source.module, set()).add(link.source.port)
        return heard

    def _outputs(self, module: str) -> Sequence[Output]:
        spec = spec_for(self._modules[module])
        return spec.outputs if spec else ()

    def period(self, module_id: str) -> Fraction:
        """Period of a module's course; 0: it does not move, or its loop is still being walked."""
        if module_id in self._under_way:
            return Fraction(0)
        if module_id not in self._known:
            self._under_way.add(module_id)
            self._known[module_id] = self._worked_out(self._modules[module_id])
            self._under_way.discard(module_id)
        return self._known[module_id]

    def _worked_out(self, module: Module) -> Fraction:
        spec = spec_for(module)
        into = self._into.get(module.id, [])
        if spec is None:
            return Fraction(0)
        heard = self._heard.get(module.id, set())
        given = Given.of(spec, self._patch, module, frozenset(heard))
        outside = _lcm([self.period(source) for _, source in into])
        if _by_chance(spec, given):
            (self.noises if spec.cycle.noise and not self._steers(module.id) else self.by_chance).append(module.name)
        own = self._own(module, spec, given)
        if own and any(output.id in heard and output.role == "gate" for output in spec.outputs):
            self.own.add(own)
        together = _lcm([own, outside]) if own else outside
        return self._rounds(spec, given, into, together)

    def _steers(self, module_id: str) -> bool:
        """Whether a sound goes anywhere but into sounds: what it does there is a course, held or not."""
        todo, seen = [module_id], {module_id}
        while todo:
            for link in self._patch.links_from(todo.pop()):
                if not link.on or link.amount == 0.0:
                    continue
                spec = spec_for(self._modules[link.target.module])
                port = spec.target(link.target.port) if spec else None
                if not isinstance(port, Input) or port.role != "audio":
                    return True
                if spec and not spec.lane_end and link.target.module not in seen:
                    seen.add(link.target.module)
                    todo.append(link.target.module)
        return False

    def _own(self, module: Module, spec: ModuleSpec, given: Given) -> Fraction:
        if spec.cycle.period_s is None:
            return Fraction(0)
        period = spec.cycle.period_s(given)
        if period and set(spec.cycle.speed) & given.linked:
            self.moved.append(module.name)
        return _exact(period)

    def _rounds(self, spec: ModuleSpec, given: Given, into: list[tuple[str, str]], period: Fraction) -> Fraction:
        """As many triggers as it takes to come round may take several periods."""
        if spec.cycle.steps is None or not period:
            return period
        told, times = spec.cycle.steps(given), 1
        counts = told if isinstance(told, tuple) else (told,) * len(spec.cycle.at)
        for port, source in into:
            clock = self.period(source) if port in spec.cycle.at else Fraction(0)
            if clock:
                count, triggers = counts[spec.cycle.at.index(port)], int(period / clock)
                times = math.lcm(times, count // math.gcd(triggers, count))
        return period * times


def _by_chance(spec: ModuleSpec, given: Given) -> bool:
    if "key" not in spec.asks:
        return False
    return spec.cycle.chance is None or spec.cycle.chance(given)


def _exact(seconds: float) -> Fraction:
    """Seconds as the fraction that somebody typed: note values and rates are small ones."""
    near = Fraction(seconds).limit_denominator(10**DIGITS)
    return (
        near if abs(float(near) - seconds) <= 1e-12 * max(seconds, 1.0) else Fraction(seconds).limit_denominator(10**9)
    )
