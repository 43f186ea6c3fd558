"""Rules about what the patch does: layers that are never heard, notes off the scale, what stands still, covering."""

from __future__ import annotations

from collections import Counter, defaultdict

import numpy as np

from dunefall.analysis.masking import AUDIBLE_DB, BANDS_HZ, LEAST_SHARE, MARGIN_DB, OWN_DB
from dunefall.base.language import tr, tr_count
from dunefall.base.units import note_name
from dunefall.base.words import listed, time_told
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Input
from dunefall.catalogue.pitch.quantiser import OWN_SCALE, SCALES
from dunefall.catalogue.ports import Series
from dunefall.patch.changes import ParamSet, SeriesSet
from dunefall.patch.model import Layer, Module, Patch
from dunefall.survey.findings import Cure, Finding, View, level_cure
from dunefall.survey.listening import NoteHeard
from dunefall.survey.places import Step, step_of_note
from dunefall.survey.stretch import STRETCH

__all__ = ["covered", "faults", "idle_sequences", "never_heard", "never_reached", "off_scale", "opposed", "unlinked"]

SILENT = 1e-4
FROM_S = 30.0
"""What did not happen in less is not called missing."""
OFF_CENTS = 20.0
STRANGE_SHARE = 0.17
"""A note on no other's pitch class that comes more rarely than this is off."""
OPPOSED = -0.8
MOVES = 1e-6


def faults(view: View) -> list[Finding]:
    """Modules that gave no numbers, and what cannot be known in advance."""
    found = []
    if view.faulty:
        names = listed([view.name(name) for name in view.faulty])
        text = tr_count("{names} was silenced", "{names} were silenced", len(view.faulty), names=names)
        found.append(Finding("fault", text, tr("Invalid numbers came out of it."), modules=view.faulty))
    if view.deaf:
        found.append(
            Finding(
                "live", tr("The live input is not known"), tr("What listens to it hears silence here."), error=False
            )
        )
    return found


def _still(view: View, module: str) -> bool:
    """Whether a module's first output never moved."""
    span = view.spans.get(module)
    return span is not None and span[1] - span[0] < MOVES


def never_heard(view: View) -> list[Finding]:
    """Layers that give nothing, and the module at which their sound ends."""
    if view.seconds < FROM_S:
        return []
    found = []
    for layer in view.layers:
        if float(view.level(layer.id).max(initial=0.0)) > SILENT:
            continue
        end = view.patch.module(layer.output_id)
        if end.params.get("mute", 0.0) >= 1.0 or _soloed_away(view.patch, layer):
            continue  # that is meant
        module, why = _stopped_at(view, layer)
        text = tr("{name} is never heard", name=layer.name)
        cure = None
        if module == end.id and end.params.get("level_db", 0.0) < -60.0:
            cure = Cure(tr("Set {name} to \u221212 dB", name=layer.name), (ParamSet(end.id, "level_db", -12.0),))
        found.append(Finding("never heard", text, why, (0,), modules=(module, end.id), cure=cure))
    return found


def _soloed_away(patch: Patch, layer: Layer) -> bool:
    solos = [m for m in patch.modules() if m.type == "output" and m.params.get("solo", 0.0) >= 1.0]
    return bool(solos) and all(m.id != layer.output_id for m in solos)


def _stopped_at(view: View, layer: Layer) -> tuple[str, str]:
    """From a layer's end back: the first module that is silent though sound goes in, and why."""
    here, seen = layer.output_id, set[str]()
    while here not in seen:
        seen.add(here)
        sources = [
            link.source.module
            for link in view.patch.links_into(here)
            if link.on and _is_audio(view.patch.module(here), link.target.port)
        ]
        if not sources:
            return here, tr("Nothing sounds into {name}.", name=view.name(here))
        loud = [source for source in sources if not _silent(view, source)]
        if loud:
            return _by_what(view, here)
        here = sources[0]
        if _is_source(view.patch.module(here)):
            return _by_what(view, here)
    return here, tr("{name} gives nothing.", name=view.name(here))


def _is_audio(module: Module, port: str) -> bool:
    spec = spec_for(module)
    target = spec.target(port) if spec else None
    return isinstance(target, Input) and target.role == "audio"


def _is_source(module: Module) -> bool:
    spec = spec_for(module)
    return spec is not None and not any(port.role == "audio" for port in spec.inputs)


def _silent(view: View, module: str) -> bool:
    span = view.spans.get(module)
    return span is not None and max(-span[0], span[1]) < SILENT


def _by_what(view: View, module: str) -> tuple[str, str]:
    """Why a module gives nothing: something that moves it stands still, or its own value."""
    name = view.name(module)
    for link in view.patch.links_into(module):
        if link.on and _still(view, link.source.module) and not _is_audio(view.patch.module(module), link.target.port):
            gate = _never_fires(view, link.source.module)
            if gate:
                return link.source.module, tr(
                    "{name} is never triggered by {name_2}.", name=view.name(link.source.module), name_2=view.name(gate)
                )
            return module, tr(
                "{name}, which moves {name_2}, stands still.", name=view.name(link.source.module), name_2=name
            )
    return module, tr("{name} lets nothing through.", name=name)


def _never_fires(view: View, module: str) -> str:
    """What triggers a module and never does, or nothing."""
    for link in view.patch.links_into(module):
        spec = spec_for(view.patch.module(module))
        port = spec.target(link.target.port) if spec else None
        span = view.spans.get(link.source.module)
        if link.on and isinstance(port, Input) and port.role == "gate" and span is not None and span[1] <= 0.5:
            return link.source.module
    return ""


# -- notes ----------------------------------------------------------------------------------------------------------


def _scale_of(patch: Patch) -> tuple[set[int], str] | None:
    """The pitch classes that the scales in a patch allow together, and their name; None where it has none."""
    allowed, names = set[int](), list[str]()
    for module in patch.modules():
        spec = spec_for(module)
        if spec is None or not any(param.id == "scale" and param.unit == "choice" for param in spec.params):
            continue
        values = {param.id: module.params.get(param.id, param.default) for param in spec.params}
        which, root = round(values["scale"]), round(values["root"])
        if which >= OWN_SCALE or any(link.on for link in patch.links_into(module.id, "root")):
            return None
        scale = list(SCALES)[which]
        if scale in ("chromatic",):
            continue
        allowed |= {(root + note) % 12 for note in SCALES[scale]}
        names.append(f"{spec.param('root').choices[root]} {scale}")
    return (allowed, listed(list(dict.fromkeys(names)))) if allowed else None


def off_scale(view: View) -> list[Finding]:
    """Notes that are no notes of the patch's scale, or stand beside the tuning of the others."""
    notes = view.notes
    if len(notes) < 4:
        return []
    scale = _scale_of(view.patch)
    tuning = _tuning_cents(notes)
    groups = defaultdict[tuple[str, float], list[NoteHeard]](list)
    for note in notes:
        groups[(note.place.module, round(note.note, 2))].append(note)
    classes = Counter(round(note.note - tuning / 100.0) % 12 for note in notes)
    found = []
    for (module, value), ours in groups.items():
        cents = 100.0 * (value - tuning / 100.0 - round(value - tuning / 100.0))
        which = round(value - tuning / 100.0) % 12
        if abs(cents) > OFF_CENTS:
            why = tr("{cents:+.0f} cents beside the others", cents=cents).replace("-", "\u2212")
        elif scale is not None and which not in scale[0]:
            why = tr("{note_name} is not in {scale}", note_name=note_name(value), scale=scale[1])
        elif scale is None and _stranger(classes, which, len(notes)):
            why = tr("no other note is near {note_name} in the scale of the rest", note_name=note_name(value))
        else:
            continue
        found.append(_note_finding(view, module, value, ours, why))
    return [one for one in found if one is not None][:8]


def _tuning_cents(notes: list[NoteHeard]) -> float:
    """How far most notes stand beside equal temperament, -50..50."""
    cents = np.array([100.0 * (note.note - round(note.note)) for note in notes])
    turn = np.exp(2j * np.pi * cents / 100.0).mean()
    return float(np.angle(turn) * 100.0 / (2.0 * np.pi)) if abs(turn) > 0.3 else 0.0


def _stranger(classes: Counter[int], which: int, total: int) -> bool:
    """Whether a pitch class is rare, and fits no scale of seven notes with the others, which do by themselves."""
    if classes[which] > STRANGE_SHARE * total:
        return False
    common = {name for name in classes if name != which}
    return any(common <= scale for scale in _SEVEN) and not any(common | {which} <= scale for scale in _SEVEN)


_SEVEN = [{(root + step) % 12 for step in SCALES[name]} for name in ("major", "harmonic minor") for root in range(12)]


def _note_finding(view: View, module: str, value: float, ours: list[NoteHeard], why: str) -> Finding | None:
    layers = {note.layer for note in ours}
    names = listed([view.patch.layer(layer).name for layer in sorted(layers)])
    step = step_of_note(view.patch, module, value)
    text = tr_count("{note} in {names} is off, {count} time", "{note} in {names} is off, {count} times", len(ours),
                    note=note_name(value), names=names)  # fmt: skip
    times = tuple(note.at for note in ours[:6])
    if step is None:
        return Finding("off scale", text, f"{view.name(module)}: {why}.", times, modules=(module,))
    where, series, place = step.module, step.series, step.number
    spec = spec_for(view.patch.module(where))
    default = next(s.default for s in spec.series if s.id == series) if spec else ()
    numbers = list(view.patch.module(where).series.get(series, default))
    lower = float(np.ceil(numbers[place]) - 1.0)
    numbers[place] = float(round(value)) if abs(value - round(value)) > 0.05 else lower
    cure = Cure(
        tr("Set step {place} to {note_name}", place=place + 1, note_name=note_name(numbers[place])),
        (SeriesSet(where, series, tuple(numbers)),),
    )
    told = tr("Step {place} of {name}: {why}.", place=place + 1, name=view.name(where), why=why)
    return Finding("off scale", text, told, times, modules=(where, module), step=step, cure=cure)


def idle_sequences(view: View) -> list[Finding]:
    """Sequences that stand still though they are meant to move: nothing clocks them."""
    if view.seconds < FROM_S:
        return []
    found = []
    for layer in view.patch.layers:
        for module in layer.modules:
            spec = spec_for(module)
            if spec is None or module.bypassed or spec.cycle.steps is None or not _still(view, module.id):
                continue
            gate = _never_fires(view, module.id)
            if gate:
                text = tr("{name} stands still", name=module.name)
                why = tr("{name} never gives it a trigger.", name=view.name(gate))
                found.append(Finding("idle", text, why, (0,), modules=(module.id, gate), error=False))
    return found


def never_reached(view: View) -> list[Finding]:
    """Steps that a sequence never comes to: in the later half of what is known it went through the same ones again."""
    if view.seconds < 2 * FROM_S:
        return []
    known = sorted(view.rest)
    halves = known[: len(known) // 2], known[len(known) // 2 :]
    found = []
    for layer in view.patch.layers:
        for module in layer.modules:
            first, then = (
                frozenset[float]().union(*(view.rest[k].steps.get(module.id, ()) for k in half)) for half in halves
            )
            spec = spec_for(module)
            series = spec.series[0] if spec and spec.series else None
            if series is None or len(then) < 2 or not then <= first:
                continue
            count = _used(module, series)
            reached = {round(place * count) for place in first}
            stands = all(abs(place * count - round(place * count)) < 0.02 for place in first)
            missing = [k for k in range(count) if k not in reached]
            if stands and missing:
                found.append(_missing_steps(view, layer, module, series.id, missing))
    return found


def _used(module: Module, series: Series) -> int:
    """How many numbers of a series a module uses."""
    values = module.series.get(series.id, series.default)
    spec = spec_for(module)
    if not series.used or spec is None:
        return len(values)
    return round(module.params.get(series.used, spec.param(series.used).default))


def _missing_steps(view: View, layer: Layer, module: Module, series: str, missing: list[int]) -> Finding:
    told = (
        listed([str(k + 1) for k in missing])
        if len(missing) <= 4
        else tr("{missing} to {missing_2}", missing=missing[0] + 1, missing_2=missing[-1] + 1)
    )
    text = tr_count("Step {steps} of {name} never sounds", "Steps {steps} of {name} never sound", len(missing),
                    steps=told, name=module.name)  # fmt: skip
    back = next((link.source.module for link in view.patch.links_into(module.id, "reset") if link.on), "")
    why = (
        tr("{name} sends it back before.", name=view.name(back))
        if back
        else tr("In {name}: it never comes there.", name=layer.name)
    )
    return Finding(
        "never reached", text, why, (0,), modules=(module.id, *([back] if back else [])),
        error=False, step=Step(module.id, series, missing[0]),
    )  # fmt: skip


def unlinked(view: View) -> list[Finding]:
    """Modules that do nothing: they stand still though something moves them."""
    if view.seconds < FROM_S:
        return []
    found = []
    for layer in view.patch.layers:
        for module in layer.modules:
            spec = spec_for(module)
            if spec is None or module.bypassed or spec.stage != "motion" or spec.cycle.steps is not None:
                continue
            if _still(view, module.id) and not _never_fires(view, module.id) and view.patch.links_from(module.id):
                if spec.id in ("named-control", "control-mix", "scale-offset"):
                    continue  # those stand still until somebody moves them
                text = tr("{name} never moves", name=module.name)
                found.append(
                    Finding("still", text, tr("In {name}: its output stays where it is.", name=layer.name), (0,),
                            modules=(module.id,), error=False)
                )  # fmt: skip
    return found


# -- layers beside each other -----------------------------------------------------------------------------------------


def covered(view: View) -> list[Finding]:
    """Layers that are hardly ever heard, as others cover them in the thirds of an octave where they sound."""
    powers = defaultdict[str, list[np.ndarray]](list)
    for k in sorted(view.rest):
        for name, looks in view.rest[k].powers.items():
            powers[name].extend(looks)
    names = [layer for layer in view.layers if layer.id in powers]
    count = min((len(powers[layer.id]) for layer in names), default=0)
    if len(names) < 2 or count < 8:
        return []
    levels = {layer.id: 10.0 * np.log10(np.maximum(np.stack(powers[layer.id][:count]), 1e-14)) for layer in names}
    found = []
    for layer in names:
        own = levels[layer.id]
        sounds = (own > AUDIBLE_DB) & (own > own.max(axis=1, keepdims=True) - OWN_DB)
        others = {other.id: levels[other.id] for other in names if other is not layer}
        above = np.max(np.stack(list(others.values())), axis=0)
        hidden = (above > own + MARGIN_DB) & sounds
        heard_looks = sounds.any(axis=1)
        if heard_looks.sum() < max(4, LEAST_SHARE * count):
            continue
        share = hidden[heard_looks].sum() / sounds[heard_looks].sum()
        if share < 0.9:
            continue
        by = max(others, key=lambda other: float(((others[other] > own + MARGIN_DB) & sounds).sum()))
        cover = view.patch.layer(by).name
        need = float(np.median((above - own)[hidden])) if hidden.any() else 6.0
        bands = BANDS_HZ[hidden.any(axis=0)]
        why = tr("{cover} is {need:.0f} dB louder from {bands:.0f} to {bands_2:.0f} Hz, where {name} sounds.",
                 cover=cover, need=need, bands=bands[0], bands_2=bands[-1], name=layer.name)  # fmt: skip
        cure = level_cure(view.patch, layer, min(12.0, np.ceil(need)))
        text = tr("{name} is covered by {cover}", name=layer.name, cover=cover)
        found.append(Finding("covered", text, why, (0,), modules=(layer.output_id,), error=False, cure=cure))
    return found


def opposed(view: View) -> list[Finding]:
    """Two layers that cancel each other: the one moves against the other."""
    sums = defaultdict[tuple[str, str], list[float]](list)
    for rest in view.rest.values():
        for pair, value in rest.alike.items():
            sums[pair].append(value)
    found = []
    known = {layer.id: layer for layer in view.layers}
    for (a, b), values in sums.items():
        if a not in known or b not in known or float(np.median(values)) > OPPOSED:
            continue
        text = tr("{name} and {name_2} cancel each other", name=known[a].name, name_2=known[b].name)
        why = tr("They move against each other (correlation {median:.2f})", median=np.median(values)).replace(
            "-", "\u2212"
        )
        at = next(k for k, rest in sorted(view.rest.items()) if rest.alike.get((a, b), 0.0) < OPPOSED)
        time = time_told(at * STRETCH / view.rate_hz)
        found.append(Finding("opposed", text, tr("{why}, from {time} on.", why=why, time=time), (at * STRETCH,),
                             modules=(known[b].output_id, known[a].output_id)))  # fmt: skip
    return found
