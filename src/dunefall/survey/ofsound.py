"""Rules about the sound: clicks, silence, peaks, loudness, creeping levels, what mono loses, offsets."""

from __future__ import annotations

from collections import defaultdict
from itertools import pairwise

import numpy as np

from dunefall.analysis.loudness import OFFSET
from dunefall.base.language import tr, tr_count
from dunefall.base.words import listed, time_told
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Param
from dunefall.catalogue.rounds import loops_of
from dunefall.patch.changes import ParamSet
from dunefall.patch.mixing import master_of
from dunefall.patch.model import Layer
from dunefall.survey.findings import STEP_BINS, Cure, Finding, View, level_cure
from dunefall.survey.pyramid import stretches_of
from dunefall.survey.stretch import ClickHeard

__all__ = ["clicks", "creeping", "loudness", "mono_loss", "offset", "peaks", "quiet"]

MOST_TIMES = 6
LEAP, LEAP_FROM, LEAPS_PER_S = 4.0, 0.01, 0.5
QUIET_LU, SILENT_LUFS, SILENT_FROM_S = 20.0, -60.0, 10.0
"""Nothing happens where it is so much quieter than the whole, or silent."""
AUDIBLE_DB = -60.0
LIFT_DB = 6.0
NEAR_S, GRAVE_DB = 2.0, 9.0
"""Peaks that are nearer to each other are one; one so high is an error though the limiter holds it."""
CREEP_LU, CREEP_FROM_S, CREEP_ORDER, CREEP_FROM_DB = 6.0, 60.0, 0.8, -75.0
PIECES = 24
LOST_DB, LOST_S, HEARD_LUFS = -8.0, 4.0, -50.0
OFFSET_LINEAR, STEADY = 0.01, 2.0
"""A constant part of -40 dBFS is no sound, and takes level from what is, where it stays."""


def _times(samples: list[int]) -> tuple[int, ...]:
    return tuple(samples[:MOST_TIMES])


def clicks(view: View) -> list[Finding]:
    """Isolated steps in a layer's sound, by the module that made them."""
    groups = defaultdict[tuple[str, str], list[ClickHeard]](list)
    for click in view.clicks:
        groups[(click.layer, click.module)].append(click)
    found = []
    for (layer, module), ours in groups.items():
        name = view.patch.layer(layer).name if any(x.id == layer for x in view.patch.layers) else layer
        by = f" ({view.name(module)})" if module else ""
        why = (
            f"{name}: {ours[0].told}."
            if ours[0].told
            else tr("In {name}; no module is known to have made it.", name=name)
        )
        meant = _full_of_onsets(view, layer)
        if meant:
            why = f"{why} {tr('It is full of sudden onsets: this may be meant.')}"
        softens = module and ours[0].softens and view.patch.has(module)
        cure = Cure(tr("Add 5 ms of slew"), softened=module) if softens else None
        modules = (module,) if module else (view.patch.layer(layer).output_id,) if layer else ()
        clicks = tr_count("{count} click", "{count} clicks", len(ours))
        times = _times([c.at for c in ours])
        found.append(Finding("click", clicks + by, why, times, modules=modules, error=not meant, cure=cure))
    return found + _set_back(view, {module for _, module in groups})


def _full_of_onsets(view: View, layer: str) -> bool:
    """Whether a layer's level leaps up all the time, as of an arc or of machines."""
    if layer not in view.courses:
        return False
    level = view.level(layer)
    leaps = (level[1:] > LEAP * level[:-1]) & (level[1:] > LEAP_FROM)
    return float(leaps.sum()) > LEAPS_PER_S * view.seconds


def _set_back(view: View, told: set[str]) -> list[Finding]:
    """Envelopes that are begun anew in the middle, from nothing, and move a level."""
    times = defaultdict[str, list[int]](list)
    for k in sorted(view.rest):
        for module, samples in view.rest[k].set_back.items():
            times[module] += samples
    found = []
    for module, at in times.items():
        if module in told or not view.patch.has(module) or not _moves_a_level(view, module):
            continue
        spec = spec_for(view.patch.module(module))
        begins = next((param for param in spec.params if param.id == "begins"), None) if spec else None
        cure = Cure(tr("Add 5 ms of slew"), softened=module)
        if begins is not None and view.patch.module(module).params.get("begins", begins.default) > 0.5:
            cure = Cure(tr("Begin from the level"), (ParamSet(module, "begins", 0.0),))
        text = tr_count("{count} click ({name})", "{count} clicks ({name})", len(at), name=view.name(module))
        why = tr("{name} falls to nothing and begins anew in the middle of the sound.", name=view.name(module))
        found.append(Finding("click", text, why, _times(at), modules=(module,), cure=cure))
    return found


def _moves_a_level(view: View, module: str) -> bool:
    """Whether it moves how loud something is."""
    for link in view.patch.links_from(module):
        spec = spec_for(view.patch.module(link.target.module))
        port = spec.target(link.target.port) if spec else None
        level = isinstance(port, Param) and port.unit in ("ratio", "db") and not port.choices
        if link.on and level and spec is not None and spec.stage in ("source", "shape", "space"):
            return True
    return False


def quiet(view: View) -> list[Finding]:
    """Long stretches in which nothing happens."""
    if not np.isfinite(view.integrated):
        if view.seconds < min(view.limits.quiet_s, SILENT_FROM_S):
            return []
        return [
            Finding(
                "silent",
                tr("It is silent"),
                tr("Nothing is heard in {time_told}.", time_told=time_told(view.seconds)),
                (view.sample(0),),
            )
        ]
    limit = max(view.integrated - QUIET_LU, SILENT_LUFS)
    least = view.bins_of(view.limits.quiet_s) / STEP_BINS
    runs = [(a, b) for a, b in stretches_of(view.short_term < limit) if b - a >= least]
    found = []
    for a, b in runs:
        first, last = a * STEP_BINS, b * STEP_BINS
        seconds = view.seconds_of(last - first)
        levels = {layer.id: view.mean_db(layer.id, first, last) for layer in view.layers}
        heard = [layer for layer in view.layers if levels[layer.id] > AUDIBLE_DB]
        names = listed([layer.name for layer in heard])
        why = (
            tr("Below {limit:.0f} LUFS: only {names}, and low.", limit=limit, names=names) if heard
            else tr("Below {limit:.0f} LUFS: nothing is heard.", limit=limit)
        ).replace("-", "\u2212")  # fmt: skip
        loudest = max(heard, key=lambda layer: levels[layer.id], default=None)
        cure = level_cure(view.patch, loudest, LIFT_DB) if loudest is not None else None
        text = tr("Quiet for {seconds:.0f} s at {time_told}", seconds=seconds, time_told=time_told(view.time_of(first)))
        modules = (loudest.output_id,) if loudest is not None else ()
        found.append(Finding("quiet", text, why, (view.sample(first),), view.sample(last), modules, cure=cure))
    return found


def peaks(view: View) -> list[Finding]:
    """True peaks that are too high before the limiter, with the layers that were loudest just then."""
    limit = 10.0 ** (view.limits.peak_db / 20.0)
    course = view.peak
    over = np.flatnonzero(course > limit)
    if not len(over):
        return []
    near = view.bins_of(NEAR_S)
    groups = np.split(over, np.flatnonzero(np.diff(over) > near) + 1)
    tops = sorted((int(group[np.argmax(course[group])]) for group in groups), key=lambda at: -float(course[at]))
    top = tops[0]
    peak_db = 20.0 * np.log10(float(course[top]))
    levels = sorted(((float(view.level(layer.id)[top]), layer) for layer in view.layers), key=lambda pair: -pair[0])
    culprits = [layer for level, layer in levels if level >= 0.35 * levels[0][0]][:3]
    names = " + ".join(layer.name for layer in culprits)
    together = tr("{names} at the same moment", names=names) if len(culprits) > 1 else names
    text = tr(
        "True peak {peak_db:+.1f} dBTP at {time_told}", peak_db=peak_db, time_told=time_told(view.time_of(top))
    ).replace("-", "\u2212")
    if len(tops) > 1:
        text = tr("{text}, and {count} more", text=text, count=len(tops) - 1)
    limited = _limits(view)
    after = tr("The limiter holds it down") if limited else tr("Nothing holds it down")
    why = (
        tr("Before the limiter: {together}. {after}.", together=together, after=after)
        if limited
        else f"{together}. {after}."
    )
    lower_db = min(24.0, float(np.ceil(peak_db - view.limits.peak_db)))
    cure = level_cure(view.patch, culprits[0], -lower_db) if culprits else None
    modules, error = tuple(layer.output_id for layer in culprits), not limited or peak_db > GRAVE_DB
    return [Finding("peak", text, why, _times([view.sample(at) for at in tops]), 0, modules, error, cure)]


def _limits(view: View) -> bool:
    """Whether the master's limiter is on; without a master the output's own is."""
    master = master_of(view.patch)
    return master is None or not master.bypassed


def loudness(view: View) -> list[Finding]:
    """Integrated loudness off its target."""
    target = view.limits.target_lufs
    if target is None or not np.isfinite(view.integrated) or view.seconds < 10.0:
        return []
    off = view.integrated - target
    if abs(off) <= view.limits.off_lu:
        return []
    text = tr("{lu:.1f} LU too loud", lu=off) if off > 0 else tr("{lu:.1f} LU too quiet", lu=-off)
    why = tr(
        "It has {integrated:.1f} LUFS where {target:g} are wanted.", integrated=view.integrated, target=target
    ).replace("-", "\u2212")
    return [Finding("loudness", text, why, modules=_master(view), cure=_master_cure(view, -off))]


def _master(view: View) -> tuple[str, ...]:
    master = master_of(view.patch)
    return (master.id,) if master else ()


def _master_cure(view: View, by_db: float) -> Cure | None:
    master = master_of(view.patch)
    if master is None:
        return None
    now = master.params.get("level_db", 0.0)
    changes = (ParamSet(master.id, "level_db", max(-24.0, min(24.0, now + by_db))),)
    up, down = tr("Raise the master {db:.1f} dB", db=by_db), tr("Lower the master {db:.1f} dB", db=-by_db)
    return Cure(up if by_db > 0 else down, changes)


def creeping(view: View) -> list[Finding]:
    """A layer that becomes louder and louder: its level rises by much, and hardly ever falls."""
    if view.seconds < CREEP_FROM_S:
        return []
    found = []
    for layer in view.layers:
        rise = _rise(view, layer)
        if rise is None:
            continue
        loop = _loop_of(view, layer)
        where = tr("a loop through {name} gains", name=view.name(loop)) if loop else tr("its level rises")
        text = tr("{name} rises by {rise:.0f} dB in {time_told}", name=layer.name, rise=rise,
                  time_told=time_told(view.seconds))  # fmt: skip
        found.append(Finding("creeping", text, f"{layer.name}: {where}.", (view.sample(view.bins * 2 // 3),),
                             modules=(loop,) if loop else (layer.output_id,),
                             cure=level_cure(view.patch, layer, -rise / 2)))  # fmt: skip
    return found


def _rise(view: View, layer: Layer) -> float | None:
    """By how many dB a layer rises from its first pieces to its last, where it rises nearly all the time."""
    edges = np.linspace(0, view.bins, PIECES + 1).astype(int)
    levels = np.array([view.mean_db(layer.id, a, b) for a, b in pairwise(edges)])
    third = PIECES // 3
    rise = float(np.median(levels[-third:]) - np.median(levels[:third]))
    if levels[-third:].min() < CREEP_FROM_DB or rise < CREEP_LU:
        return None
    ranks = np.argsort(np.argsort(levels))
    order = float(np.corrcoef(ranks, np.arange(PIECES))[0, 1])
    return rise if order > CREEP_ORDER else None


def _loop_of(view: View, layer: Layer) -> str:
    """A module of a layer that feeds back all of its sound or more, or else one whose sound comes back to it."""
    for one in layer.modules:
        if abs(one.params.get("feedback", 0.0)) >= 1.0:
            return one.id
    rounds = loops_of(view.patch, layer)
    return rounds[0].modules[0] if rounds else ""


def mono_loss(view: View) -> list[Finding]:
    """What is lost where both sides are played by one speaker."""
    wide, mono = (view.in_pieces(course.astype(float), LOST_S) for course in (view.energy, view.folded))
    long, wide, mono = wide.shape[1], wide.mean(axis=1), mono.mean(axis=1)
    heard = OFFSET + 10.0 * np.log10(np.maximum(wide, 1e-12)) > HEARD_LUFS
    loss = 10.0 * np.log10(np.maximum(2.0 * mono, 1e-12) / np.maximum(wide, 1e-12))
    bad = np.flatnonzero(heard & (loss < LOST_DB))
    if not len(bad):
        return []
    first = int(bad[0]) * long
    layer = _loudest(view, first, first + long)
    why = tr("Both sides cancel where they are folded to mono") + (f": {layer.name}." if layer else ".")
    text = tr("Mono loses {loss:.0f} dB at {time_told}", loss=-float(loss[bad].min()),
              time_told=time_told(view.time_of(first)))  # fmt: skip
    modules = (layer.output_id,) if layer else ()
    cure = None
    if layer is not None:
        changes = (ParamSet(layer.output_id, "width", 0.5),)
        cure = Cure(tr("Halve the width of {name}", name=layer.name), changes)
    return [Finding("mono", text, why, _times([view.sample(k * long) for k in bad.tolist()]), 0, modules, cure=cure)]


def _loudest(view: View, first: int, last: int) -> Layer | None:
    """The loudest layer there."""
    return max(view.layers, key=lambda layer: view.mean_db(layer.id, first, last), default=None)


def offset(view: View) -> list[Finding]:
    """A constant part of the sound."""
    pieces = view.in_pieces(view.offset.astype(float), LOST_S)
    if len(pieces) < 3:
        return []
    long, means = pieces.shape[1], pieces.mean(axis=1)
    bad = np.flatnonzero(np.abs(means) > OFFSET_LINEAR)
    constant = float(means.mean())
    if abs(constant) < OFFSET_LINEAR or abs(constant) < STEADY * float(means.std()):
        return []  # what goes up and down is a slow wave
    level = 20.0 * np.log10(abs(constant))
    by_layer = {
        layer.id: float(np.mean([rest.offsets.get(layer.id, 0.0) for rest in view.rest.values()]))
        for layer in view.layers
    }
    worst = max(view.layers, key=lambda layer: abs(by_layer[layer.id]), default=None)
    text = tr("A constant offset of {level:.0f} dBFS", level=level).replace("-", "\u2212")
    if worst is None or abs(by_layer[worst.id]) < OFFSET_LINEAR / 4:
        return [Finding("offset", text, tr("It takes level from the sound."), (view.sample(int(bad[0]) * long),))]
    why = tr("In {name}; put a high-pass of 10 Hz at its end.", name=worst.name)
    return [Finding("offset", text, why, (view.sample(int(bad[0]) * long),), modules=(worst.output_id,))]
