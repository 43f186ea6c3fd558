"""Story: what a parameter, a module, a layer or a patch does, in plain words, exact, from the document alone."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import PurePath

from dunefall.base.language import inline, tr, tr_count
from dunefall.base.layouts import layout_of
from dunefall.base.units import format_amount, format_value
from dunefall.catalogue.compounds import face_of, face_sentence, output_of, spec_for, target_of
from dunefall.catalogue.declare import Given, ModuleSpec, Param
from dunefall.catalogue.ports import RESETS, Series
from dunefall.catalogue.reach import factor_told, is_place, lowest, unit_of
from dunefall.catalogue.repeats import repeat_of_layer, repeat_of_patch
from dunefall.catalogue.rounds import loops_of
from dunefall.patch.compounds import modules_in
from dunefall.patch.mixing import effect_lanes, mixed_layers
from dunefall.patch.model import Compound, Layer, Link, Module, Patch

__all__ = [
    "cause_story",
    "compound_story",
    "layer_story",
    "link_story",
    "module_story",
    "module_warning",
    "patch_story",
    "port_name",
]

MOST_CAUSES, MOST_POINTS = 6, 16
SLOW_HZ = 0.1
"""Slower rates are told by their period."""


def port_name(patch: Patch, module_id: str, port_id: str) -> str:
    """Name of a port, with its module's: ``Low-pass cutoff`` or just ``Gusts`` for a module with one output."""
    module = patch.module(module_id)
    spec = spec_for(module)
    if spec is None:
        return f"{module.name} {port_id}"
    output = spec.output(port_id)
    if output is not None:
        return module.name if output is spec.outputs[0] else f"{module.name} ({inline(output.name)})"
    target = spec.target(port_id)
    return f"{module.name} {inline(target.name) if target else port_id}"


def link_story(patch: Patch, link: Link) -> str:
    """What one link does to its target: ``Gusts moves it up to 1.50 oct either way``."""
    text = _shaped(link, _offset_told(patch, link, _pull_told(patch, link)))
    return text if link.on else tr("{told} (off)", told=text)


def _pull_told(patch: Patch, link: Link) -> str:
    """How far it moves what it leads to."""
    name = port_name(patch, link.source.module, link.source.port)
    output, target, unit = output_of(patch, link.source), target_of(patch, link.target), unit_of(patch, link)
    if not isinstance(target, Param) and unit == "ratio":
        if link.amount == 1.0:
            return tr("{name} feeds it", name=name)
        return tr("{name} feeds it at {level}", name=name, level=format_amount(link.amount, unit))
    if output is not None and output.role == "pitch":
        return tr("{name} sets its pitch", name=name)
    factor = factor_told(link.amount, isinstance(target, Param) and target.octaves)
    far = format_amount(abs(link.amount), unit).lstrip("+") + (f" ({factor})" if factor else "")
    if _both_ways(patch, link):
        if link.amount < 0:
            return tr("{name} moves it up to {far} either way, turned over", name=name, far=far)
        return tr("{name} moves it up to {far} either way", name=name, far=far)
    if link.amount < 0:
        return tr("{name} lowers it by up to {far}", name=name, far=far)
    return tr("{name} raises it by up to {far}", name=name, far=far)


def _both_ways(patch: Patch, link: Link) -> bool:
    output = output_of(patch, link.source)
    return output is not None and output.role == "control" and lowest(patch.module(link.source.module), output) < 0


def _offset_told(patch: Patch, link: Link, told: str) -> str:
    """And from where it moves it."""
    unit = unit_of(patch, link)
    if is_place(patch, link):
        place = format_value(link.offset, unit)
        if _both_ways(patch, link):
            return tr("{told}, around {place}", told=told, place=place)
        return tr("{told}, from {place}", told=told, place=place)
    if link.offset and (unit != "ratio" or isinstance(target_of(patch, link.target), Param)):
        return tr("{told}, shifted by {offset}", told=told, offset=format_amount(link.offset, unit))
    return told


def _shaped(link: Link, told: str) -> str:
    """And by which curve."""
    match link.curve:
        case "late":
            return tr("{told}, slowly at first", told=told)
        case "early":
            return tr("{told}, fast at first", told=told)
        case "smooth":
            return tr("{told}, gently at both ends", told=told)
    return told


def module_story(patch: Patch, module_id: str) -> str:
    """What a module is set to, what moves each of its parameters, and what it moves."""
    module = patch.module(module_id)
    spec = spec_for(module)
    if spec is None:
        return tr("{name} is of a kind ({type}) that this version does not know: it is kept, and silent.",
                  name=module.name, type=module.type)  # fmt: skip
    parts = [f"{module.name}: {spec.sentence}"]
    if module.bypassed:
        parts.append(tr("It is bypassed."))
    if module.sound:
        parts.append(tr("It plays {name}.", name=PurePath(module.sound.path).name))
    values = {p.id: module.params.get(p.id, p.default) for p in spec.params}
    face = [f"{inline(p.name)} {_value(p, values[p.id])}" for p in _shown(patch, spec, module)]
    if face:
        parts.append(tr("Set to {listed}.", listed=", ".join(face)))
    parts += [f"{s.name}: {drawn}." for s in spec.series if (drawn := _drawn(s, module, values))]
    for port in spec.targets:
        links = patch.links_into(module_id, port.id)
        if links:
            parts.append(f"{port.name}: {'; '.join(link_story(patch, link) for link in links)}.")
    parts += [warning] if (warning := module_warning(patch, module_id)) else []
    targets = [_reached(patch, module_id, link) for link in patch.links_from(module_id)]
    if spec.ends:
        parts.append(tr("It is heard in the mix."))
    if targets:
        parts.append(tr("It reaches {listed}.", listed=", ".join(targets)))
    elif not spec.needed:
        parts.append(tr("Nothing listens to it."))
    return " ".join(parts)


def _reached(patch: Patch, module_id: str, link: Link) -> str:
    """The end of a link, with its layer where that is another one."""
    name, there = port_name(patch, link.target.module, link.target.port), patch.layer_of(link.target.module)
    return name if there.id == patch.layer_of(module_id).id else tr("{name} in {name_2}", name=name, name_2=there.name)


def _value(param: Param, value: float) -> str:
    """A value as it is told: a slow rate by its period."""
    if param.unit == "hz" and 0.0 < value < SLOW_HZ:
        return tr("once in {format_value}", format_value=format_value(1.0 / value, "s"))
    return param.format(value)


def _drawn(series: Series, module: Module, values: Mapping[str, float]) -> str:
    """What was drawn, shortly; empty where nobody drew anything."""
    numbers = module.series.get(series.id)
    if numbers is None:
        return ""
    numbers = numbers[: max(1, round(values[series.used]))] if series.used else numbers
    if len(set(numbers)) == 1:
        return tr("{format} throughout", format=series.format(numbers[0]))
    if len(series.choices) == 2:
        return tr("{choices} at {listed}", choices=series.choices[1], listed=", ".join(str(k) for k,
                  x in enumerate(numbers, 1) if x >= 0.5))  # fmt: skip
    if series.drawn in ("curve", "path") and len(numbers) > MOST_POINTS:
        return tr("{count} points from {format} to {format_2}", count=len(numbers),
                  format=series.format(min(numbers)), format_2=series.format(max(numbers)))  # fmt: skip
    return " ".join(series.format(x).replace(" ", "\u00a0") for x in numbers)


def module_warning(patch: Patch, module_id: str) -> str:
    """What may get out of hand in a module, in a sentence; empty: nothing."""
    module = patch.module(module_id)
    spec = spec_for(module)
    return spec.warning(Given.of(spec, patch, module)) if spec and spec.warning else ""


def layer_story(patch: Patch, layer: Layer) -> str:
    """When a layer begins again, what its compounds show, then all its modules, one line each, in their order."""
    own = {module.id for module in layer.modules}
    lines = [compound_story(patch, x) for x in patch.compounds if own & set(modules_in(patch, (x.id,)))]
    lines += [module_story(patch, module.id) for module in layer.modules]
    if lines:
        whole = repeat_of_layer(patch, layer.id)
        lines.insert(0, whole.told(patch.tempo_bpm))
        lines[1:1] = [loop.told(patch) for loop in loops_of(patch, layer)]
    if lines and layer.voices > 1:
        meet = patch.module(layer.meet).name if layer.meet and patch.has(layer.meet) else tr("the layer's output")
        voice = repeat_of_layer(patch, layer.id, voice=True)
        told = [tr("It has {voices} voices, which meet at {meet}.", voices=layer.voices, meet=meet)]
        told += [voice.told(patch.tempo_bpm, tr("One voice alone"))] if voice != whole else []
        lines.insert(1, " ".join(told))
    return "\n".join([layer.name, *(f"  {line}" for line in lines or [tr("Nothing is in it yet.")])])


def compound_story(patch: Patch, compound: Compound) -> str:
    """What a compound is made of, and what its controls are set to."""
    face = face_of(patch, compound)
    values = [f"{p.name} {p.format(face.params[p.id])}" for p in face.spec.params] if face.spec else []
    return tr("{name}, a compound: {face_sentence} Set to {listed}.", name=compound.name,
              face_sentence=face_sentence(patch, compound), listed=", ".join(values) or tr("nothing"))  # fmt: skip


def patch_story(patch: Patch) -> str:
    """The whole patch: tempo, seed, when it repeats or why it never does, then its layers."""
    layers, lanes, modules = len(mixed_layers(patch)), len(effect_lanes(patch)), len(list(patch.modules()))
    compounds, links = len(patch.compounds), len(patch.links)
    made = [tr_count("{count} layer", "{count} layers", layers)]
    made += [tr_count("{count} effect lane", "{count} effect lanes", lanes)] if lanes else []
    made.append(tr_count("{count} module", "{count} modules", modules))
    made += [tr_count("{count} compound", "{count} compounds", compounds)] if compounds else []
    made.append(tr_count("{count} link", "{count} links", links))
    parts = ", ".join(made)
    if patch.layout == "stereo":
        head = tr("{title}: {parts}, {tempo_bpm:g} BPM, seed {seed:04d}.", title=patch.title, parts=parts,
                  tempo_bpm=patch.tempo_bpm, seed=patch.seed)  # fmt: skip
    else:
        head = tr("{title}: {parts}, {tempo_bpm:g} BPM, seed {seed:04d}, in {layout}.", title=patch.title, parts=parts,
                  tempo_bpm=patch.tempo_bpm, seed=patch.seed,
                  layout=inline(layout_of(patch.layout).name))  # fmt: skip
    head += f" {repeat_of_patch(patch).told(patch.tempo_bpm)}"
    return "\n".join([head, *(layer_story(patch, layer) for layer in patch.layers)])


def cause_story(patch: Patch, module_id: str, port: str = "") -> str:
    """Why a trigger came, or did not: the way that it took, ``Clock 1/8, Divider (every n-th, b) ÷3, Skip, chance 32 %:
    passed``."""
    way, here, output = [], module_id, port
    for _ in range(MOST_CAUSES):
        module = patch.module(here)
        spec = spec_for(module)
        if spec is None:
            break
        way.append(_cause(module, spec, output or spec.outputs[0].id))
        gates = [port.id for port in spec.inputs if port.role == "gate" and port.id not in RESETS]
        links = [link for gate in gates for link in patch.links_into(here, gate) if link.on]
        if not links:
            break
        here, output = links[0].source.module, links[0].source.port
        if here == module_id:
            break
    return ", ".join(reversed(way))


def _cause(module: Module, spec: ModuleSpec, output: str) -> str:
    """A module's part in it: its name and what it lets through."""
    values = {param.id: module.params.get(param.id, param.default) for param in spec.params}
    if spec.id == "chance":
        return tr("{name}, chance {format}: {output}", name=module.name,
                  format=spec.param("probability").format(values["probability"]), output=output)  # fmt: skip
    if spec.id == "divider":
        return f"{module.name} ÷{values[f'by_{output}']:g}"
    if spec.id == "even-spread":
        spread = tr("{name} {hits:g} of {steps:g}", name=module.name, hits=values["hits"], steps=values["steps"])
        return f"{spread}: {tr('rest') if output == 'rest' else tr('hit')}"
    if spec.id == "clock":
        period = spec.param("period_s" if values["sync"] else "period_beats")
        return f"{module.name} {period.format(values[period.id])}"
    told = spec.output(output)
    which = f" ({inline(told.name)})" if told is not None and told is not spec.outputs[0] else ""
    shown = spec.shown_face(values)
    face = f" {shown.format(values[shown.id])}" if shown else ""
    return f"{module.name}{face}{which}"


def _shown(patch: Patch, spec: ModuleSpec, module: Module) -> list[Param]:
    """The values worth telling: the one on the card, and those that were set; none that is idle."""
    face = spec.shown_face(module.params)
    told = [p for p in spec.params if not p.follows and (p is face or p.id in module.params)]
    told = [p for p in told if spec.counts(p, module.params)]
    return [p for p in told if not (p.idle_with and patch.links_into(module.id, p.idle_with))]
