"""When a patch, or a part of it, begins again: from all clocks, divisions and lengths, exactly.

Every module's course has a period: the least common multiple of the periods of its movers, of its own period, and of as
many triggers as it takes to come round. Fractions are exact; what is set in decimals counts as those decimals. What a
module keeps of its past adds up along the way that the sound takes: where that is more than a period, and in feedback
loops, a part only resembles itself.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from fractions import Fraction

from dunefall.base.language import tr, tr_count
from dunefall.base.reach import reached
from dunefall.base.words import listed
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Given, Input, ModuleSpec, Output
from dunefall.catalogue.voicing import per_voice, spreads
from dunefall.patch.model import Link, Module, Patch

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
    by_chance, moved, outside, apart : tuple of str
        Why never: random modules, modules whose speed is moved, what hears the world, and modules that run at another
        speed in each voice.
    noises, free : tuple of str
        What does not repeat though its course does: sounding modules whose sound is random, and waves that nothing
        restarts.
    past : tuple of str
        Why it only resembles itself: modules that keep more than a period, or that feed each other.
    shortest_s : Fraction
        The shortest period of its clocks: a step; 0: there are none.
    """

    seconds: Fraction | None
    by_chance: tuple[str, ...] = ()
    moved: tuple[str, ...] = ()
    outside: tuple[str, ...] = ()
    apart: tuple[str, ...] = ()
    noises: tuple[str, ...] = ()
    free: tuple[str, ...] = ()
    past: tuple[str, ...] = ()
    shortest_s: Fraction = Fraction(0)

    @property
    def exact(self) -> bool:
        """Whether every sample of it comes again."""
        return self.seconds is not None and not (self.noises or self.past or (self.seconds and self.free))

    def told(self, tempo_bpm: float, who: str = "") -> str:
        """What it does, in a sentence: ``It repeats after 280 steps, 11.4 bars, 45.7 s.``, ``It resembles itself every
        4.0 s, because …``, or ``It never repeats, because …``.

        Parameters
        ----------
        tempo_bpm : float
            The tempo that bars are counted at.
        who : str
            Who does it, as a sentence begins with it; empty: ``It``.

        Returns
        -------
        str
        """
        who = who or tr("It")
        if self.seconds is None:
            return tr("{who} never repeats, because {why}.", who=who, why=self._why_never())
        if self.seconds == 0:
            return self._but((), tr("{who} repeats at once: nothing in it moves", who=who))
        steps = self.seconds / self.shortest_s if self.shortest_s else Fraction(0)
        bars = float(self.seconds) * tempo_bpm / 240.0
        parts = [tr("{steps} steps", steps=int(steps))] if steps.denominator == 1 and steps > 1 else []
        after = ", ".join(
            [*parts, tr("{bars:.4g} bars", bars=bars) if bars != 1 else tr("1 bar"), _time(float(self.seconds))]
        )
        if self.past:
            return self._but(self.free, tr_count(
                "{who} resembles itself every {after}, because {names} keeps what was",
                "{who} resembles itself every {after}, because {names} keep what was",
                len(self.past), who=who, after=after, names=_and(self.past),
            ))  # fmt: skip
        return self._but(self.free, tr("{who} repeats after {after}", who=who, after=after))

    def _why_never(self) -> str:
        chance, moved, outside, apart = self.by_chance, self.moved, self.outside, self.apart
        told = (
            tr_count("{names} goes by chance", "{names} go by chance", len(chance), names=_and(chance)),
            tr("the speed of {names} is moved", names=_and(moved)),
            tr_count("{names} hears the world", "{names} hear the world", len(outside), names=_and(outside)),
            tr_count("{names} runs at another speed in each voice", "{names} run at another speed in each voice",
                     len(apart), names=_and(apart)),
        )  # fmt: skip
        why = [text for text, names in zip(told, (chance, moved, outside, apart), strict=True) if names]
        return listed(why) or tr("its periods only meet after a hundred years")

    def _but(self, free: tuple[str, ...], told: str) -> str:
        """The sentence, with what does not come again."""
        parts = [tr("the noise of {names}", names=_and(self.noises))] if self.noises else []
        parts += [tr("the phase of {names}", names=_and(free))] if free else []
        if parts:
            return tr("{told}, but for {parts}.", told=told, parts=listed(parts))
        return tr("{told}.", told=told)

    @property
    def short(self) -> str:
        """For the header: ``never`` or the time."""
        if self.seconds is None:
            return tr("never")
        about = "\u2248 " if self.past else ""
        return about + _time(float(self.seconds)) if self.seconds else tr("at once")


def _and(names: tuple[str, ...]) -> str:
    """Names in a row, the first few of many."""
    if len(names) > NAMED:
        return tr("{names} and {more} more", names=", ".join(names[:NAMED]), more=len(names) - NAMED)
    return listed(names)


def _time(seconds: float) -> str:
    if seconds < 120:
        return tr("{seconds:.1f} s", seconds=seconds)
    if seconds < 7200:
        return tr("{minutes} min {seconds:.0f} s", minutes=int(seconds // 60), seconds=seconds % 60)
    if seconds < 172800:
        return tr("{hours} h {minutes:.0f} min", hours=int(seconds // 3600), minutes=seconds % 3600 / 60)
    return tr("{days:.3g} days", days=seconds / 86400)


def repeat_of_patch(patch: Patch) -> Repeat:
    """When the whole mix begins again."""
    master = [module.id for module in patch.modules() if (spec := spec_for(module)) and spec.closes]
    return _repeat(patch, [*_in_mix(patch), *master])


def _in_mix(patch: Patch) -> list[str]:
    """The outputs of the layers that are heard in the mix."""
    return [m.id for m in patch.modules() if (spec := spec_for(m)) and spec.lane_end and not _muted(patch, m)]


def _muted(patch: Patch, module: Module) -> bool:
    moved = any(link.on and link.target.port == "mute" for link in patch.links_into(module.id))
    return module.params.get("mute", 0.0) >= 1.0 and not moved


def repeat_of_layer(patch: Patch, layer_id: str, voice: bool = False) -> Repeat:
    """When a layer's sound begins again; for one without an output, as Shared, everything in it.

    Parameters
    ----------
    patch : Patch
        The patch.
    layer_id : str
        One of its layers.
    voice : bool
        One of its voices alone.

    Returns
    -------
    Repeat
    """
    layer = patch.layer(layer_id)
    inside = [module.id for module in layer.modules]
    ends = [layer.output_id] if layer.output_id in inside else inside
    return _repeat(patch, ends, layer_id if voice else "")


def _repeat(patch: Patch, ends: Collection[str], alone: str = "") -> Repeat:
    walk = _Walk(patch, ends, alone)
    whole = _lcm([period for end in ends if (period := walk.period(end))])
    never = tuple(walk.by_chance), tuple(walk.moved), tuple(walk.outside), tuple(walk.apart)
    if any(never) or whole > LONGEST_S:
        return Repeat(None, *never, noises=tuple(walk.noises))
    past = walk.past(ends, float(whole)) if whole else ()
    return Repeat(whole, noises=tuple(walk.noises), free=tuple(walk.free), past=past,
                  shortest_s=min(walk.own, default=Fraction(0)))  # fmt: skip


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

    def __init__(self, patch: Patch, ends: Collection[str], alone: str = "") -> None:
        self._patch = patch
        self._known: dict[str, Fraction] = {}
        self._way: list[str] = []
        self.by_chance: list[str] = []
        self.moved: list[str] = []
        self.outside: list[str] = []
        self.apart: list[str] = []
        self.noises: list[str] = []
        self.free: list[str] = []
        self.own: set[Fraction] = set()
        self._keeps: dict[str, float] = {}
        self._in_loops: dict[str, None] = {}
        self._sums: dict[str, float] = {}
        self._into: dict[str, list[tuple[str, str]]] = {}
        for link in patch.links:
            if link.on and (link.amount != 0.0):
                self._into.setdefault(link.target.module, []).append((link.target.port, link.source.module))
        self._modules = {module.id: module for module in patch.modules()}
        for module in patch.modules():
            if (spec := spec_for(module)) and spec.hears_mix:
                self._into.setdefault(module.id, []).extend(("", end) for end in _in_mix(patch))
        self._heard = self._outputs_heard(ends)
        self._in_voices = self._apart_from(alone)

    def _apart_from(self, alone: str) -> set[str]:
        """Modules that run in several voices which are not the same; ``alone``: a layer of which one voice counts."""
        known = {name: spec for name, module in self._modules.items() if (spec := spec_for(module))}
        links = [
            link for link in self._patch.links if link.on and {link.source.module, link.target.module} <= set(known)
        ]
        several = [layer for layer in self._patch.layers if layer.spread and layer.id != alone]
        return {name for layer in several for name in per_voice(layer, known, links)}

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
        if module_id in self._way:
            self._in_loops |= dict.fromkeys(self._way[self._way.index(module_id) :])
            return Fraction(0)
        if module_id not in self._known:
            self._way.append(module_id)
            self._known[module_id] = self._worked_out(self._modules[module_id])
            self._way.pop()
        return self._known[module_id]

    def past(self, ends: Collection[str], period_s: float) -> tuple[str, ...]:
        """Names of what makes it keep more than a period of its past: the modules in loops, those that keep so much by
        themselves, or else the one that keeps most; empty where it does not."""
        if not self._in_loops and max((self._kept(end) for end in ends), default=0.0) <= period_s:
            return ()
        long = [name for name, keeps in self._keeps.items() if name in self._in_loops or keeps > period_s]
        return tuple(self._modules[name].name for name in long or [max(self._keeps, key=self._keeps.__getitem__)])

    def _kept(self, module_id: str) -> float:
        """Seconds of the past that are heard behind a module; only without loops. A module of a type that is not known
        gives nothing, and its loops were not looked for."""
        if module_id not in self._keeps:
            return 0.0
        if module_id not in self._sums:
            before = max((self._kept(source) for _, source in self._into.get(module_id, [])), default=0.0)
            self._sums[module_id] = self._keeps[module_id] + before
        return self._sums[module_id]

    def _worked_out(self, module: Module) -> Fraction:
        spec = spec_for(module)
        into = self._into.get(module.id, [])
        if spec is None:
            return Fraction(0)
        heard = self._heard.get(module.id, set())
        given = Given.of(spec, self._patch, module, frozenset(heard))
        outside = _lcm([self.period(source) for _, source in into])
        self._note_doubts(module, spec, given)
        if _by_chance(spec, given):
            (self.noises if spec.cycle.noise and not self._steers(module.id) else self.by_chance).append(module.name)
        own = self._own(module, spec, given)
        if own and any(output.id in heard and output.role == "gate" for output in spec.outputs):
            self.own.add(own)
        together = _lcm([own, outside]) if own else outside
        return self._rounds(spec, given, into, together)

    def _fires(self, link: Link, way: tuple[str, ...] = ()) -> bool:
        """Whether a gate is sure to give triggers: those of a clock, on a way that nothing resets."""
        module = self._modules[link.source.module]
        spec = spec_for(module)
        if spec is None or link.source.port not in spec.cycle.fires or module.id in way:
            return False
        gates = [port.id for port in spec.inputs if port.role == "gate"]
        into = [x for gate in gates for x in self._patch.links_into(module.id, gate) if x.on and x.amount]
        if spec.cycle.period_s is not None:
            return not into
        return bool(into) and all(x.target.port == gates[0] and self._fires(x, (*way, module.id)) for x in into)

    def _note_doubts(self, module: Module, spec: ModuleSpec, given: Given) -> None:
        cycle = spec.cycle
        self._keeps[module.id] = cycle.memory_s(given) if cycle.memory_s else 0.0
        gates = {port.id for port in spec.inputs if port.role == "gate"}
        into = self._patch.links_into(module.id)
        dead = {x.target.port for x in into if x.target.port in gates and not self._fires(x)}
        if cycle.free and cycle.free(given._replace(linked=given.linked - dead)):
            self.free.append(module.name)
        if cycle.outside:
            self.outside.append(module.name)

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
        if period and module.id in self._in_voices and any(spreads(spec.param(name)) for name in spec.cycle.speed):
            self.apart.append(module.name)
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
