"""Compounds as they are seen: a closed one behaves like any module, with its own ports, values and links.

``Seeing`` makes the patch that the lanes and the inspector show: in it a closed compound is a ``Face``, a module with
its own declaration, whose ports are named after the places inside, ``module.port``.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace

from dunefall.base.language import tr
from dunefall.base.words import listed
from dunefall.catalogue import spec_of
from dunefall.catalogue.controls import Scale, scale_of, shown_value
from dunefall.catalogue.declare import STAGES, Input, ModuleSpec, Output, Param
from dunefall.patch.compounds import compound_of, modules_in, parents
from dunefall.patch.model import Compound, Control, Layer, Link, Module, Patch, Place, Port

__all__ = [
    "Face",
    "Seeing",
    "control_of",
    "face_of",
    "face_sentence",
    "inner_param",
    "outermost",
    "output_of",
    "port_of",
    "proposed",
    "spec_for",
    "target_of",
]

COMPOUND = "compound"
"""The type of a face: no module of a file has it."""
MOST_PROPOSED = 6


@dataclass(frozen=True)
class Face(Module):
    """A closed compound as a module; its values and locks are those of its contents, by place.

    Attributes
    ----------
    scales : mapping of str to Scale
        Values shown in the scale of a Named control inside, whose own value is a share of it.
    """

    spec: ModuleSpec | None = None
    scales: Mapping[str, Scale] = field(default_factory=dict)

    @property
    def output(self) -> Place | None:
        """The place inside of its first output; None if it has none."""
        return Place(self.id, self.spec.outputs[0].id).inner if self.spec and self.spec.outputs else None

    def shown(self, port: str, value: float) -> float:
        """A value inside, converted to what the compound shows."""
        return self.scales[port].at(value) if port in self.scales else value

    def taken(self, values: Mapping[str, float]) -> dict[str, dict[str, float]]:
        """Values as shown, converted to those of the modules inside."""
        taken: dict[str, dict[str, float]] = {}
        for port, value in values.items():
            place = Place(self.id, port).inner
            own = self.scales[port].share(value) if port in self.scales else value
            taken.setdefault(place.module, {})[place.port] = own
        return taken


def spec_for(module: Module) -> ModuleSpec | None:
    """The declaration of a module, or of a closed compound; None for a kind that this version does not know."""
    return module.spec if isinstance(module, Face) else spec_of(module.type)


def _nothing() -> None:
    """A compound has no kernel."""


# -- ports and controls ----------------------------------------------------------------------------------------------


def target_of(patch: Patch, place: Place) -> Input | Param | None:
    """The input or parameter that a link ends in; None for a kind that this version does not know."""
    spec = spec_for(patch.module(place.module))
    return spec.target(place.port) if spec else None


def output_of(patch: Patch, place: Place) -> Output | None:
    """The output that a link begins at; None for a kind that this version does not know."""
    spec = spec_for(patch.module(place.module))
    return spec.output(place.port) if spec else None


def port_of(patch: Patch, place: Place) -> Port:
    """An input or output as a compound shows it by default."""
    module, found = patch.module(place.module), output_of(patch, place) or target_of(patch, place)
    return Port(place, f"{module.name}: {found.name}" if found else module.name)


def control_of(patch: Patch, place: Place) -> Control | None:
    """A parameter as a compound shows it by default: in its whole range; None if it is none."""
    param = inner_param(patch, place)
    if param is None:
        return None
    module = patch.module(place.module)
    name = module.name if module.type == "named-control" else f"{module.name}: {param.name}"
    return Control(place, name, param.low, param.high)


def inner_param(patch: Patch, place: Place) -> Param | None:
    """A parameter inside, as the compound shows it: a Named control's value in its own scale and unit."""
    module, target = patch.module(place.module), target_of(patch, place)
    if module.type == "named-control" and place.port == "value":
        return shown_value(patch, module)
    return target if isinstance(target, Param) else None


def proposed(patch: Patch, parts: Collection[str]) -> tuple[tuple[Control, ...], tuple[Port, ...]]:
    """What a new compound of these parts shows: what links from outside move, Named controls and the values on its
    cards; the inputs and outputs that lead out, or those of its ends where nothing does."""
    inside = modules_in(patch, parts)
    into = [x.target for x in patch.links if x.target.module in inside and x.source.module not in inside]
    out = [x.source for x in patch.links if x.source.module in inside and x.target.module not in inside]
    moved = [place for place in into if isinstance(target_of(patch, place), Param)]
    named = [Place(m, "value") for m in inside if patch.module(m).type == "named-control"]
    faces = [Place(m, spec.face) for m in inside if (spec := spec_of(patch.module(m).type)) and spec.face]
    faces.sort(key=lambda place: bool(getattr(target_of(patch, place), "choices", ())))  # what is turned comes first
    places = list(dict.fromkeys([*named, *moved, *faces]))[:MOST_PROPOSED]
    inputs = [place for place in into if isinstance(target_of(patch, place), Input)]
    last = patch.module(inside[-1])
    spec = spec_of(last.type)
    outputs = out or ([Place(last.id, spec.outputs[0].id)] if spec else [])
    outputs.sort(key=lambda place: found.role != "audio" if (found := output_of(patch, place)) else True)
    controls = tuple(control for place in places if (control := control_of(patch, place)))
    return controls, tuple(port_of(patch, place) for place in dict.fromkeys([*inputs, *outputs]))


# -- faces -----------------------------------------------------------------------------------------------------------


def face_of(patch: Patch, compound: Compound) -> Face:
    """A compound as a module. What links reach though it is not among its controls and ports is shown beside them."""
    inside = set(modules_in(patch, (compound.id,)))
    known = compound.names()
    crossing = [
        place
        for link in patch.links
        if (link.source.module in inside) != (link.target.module in inside)
        for place in (link.source, link.target)
        if place.module in inside and place not in known
    ]
    controls, ports = list(compound.controls), list(compound.ports)
    for place in dict.fromkeys(crossing):
        control = control_of(patch, place)
        if control is not None:
            controls.append(control)
        else:
            ports.append(port_of(patch, place))
    spec = _spec(patch, compound, controls, ports)
    modules = {str(x.place): patch.module(x.place.module) for x in controls}
    inner = {str(x.place): target for x in controls if isinstance(target := target_of(patch, x.place), Param)}
    face = Face(
        compound.id, COMPOUND, compound.name, bypassed=compound.bypassed, spec=spec,
        locked=frozenset(name for name, param in inner.items() if param.id in modules[name].locked),
        scales={
            name: scale_of(patch, modules[name])
            for name, param in inner.items()
            if inner_param(patch, Place("", name).inner) is not param
        },
    )  # fmt: skip
    now = {name: modules[name].params.get(param.id, param.default) for name, param in inner.items()}
    return replace(face, params={name: face.shown(name, value) for name, value in now.items()})


def _spec(patch: Patch, compound: Compound, controls: list[Control], ports: list[Port]) -> ModuleSpec:
    inputs, outputs, params = [], [], []
    for port in ports:
        name, target, output = str(port.place), target_of(patch, port.place), output_of(patch, port.place)
        if output is not None:
            outputs.append(replace(output, id=name, name=port.name))
        elif isinstance(target, Input):
            inputs.append(replace(target, id=name, name=port.name))
    for control in controls:
        param = inner_param(patch, control.place)
        if param is not None:
            module, named = patch.module(control.place.module), param is not target_of(patch, control.place)
            sign = param.name.removeprefix(module.name) if named else ""
            low, high = max(control.low, param.low), min(control.high, param.high)
            low, high = (low, high) if low < high else (param.low, param.high)
            params.append(replace(
                param, id=str(control.place), name=f"{control.name}{sign}", low=low, high=high,
                default=min(max(param.default, low), high), shown_when=None, idle_with="",
            ))  # fmt: skip
    takes = next((port.id for port in inputs if port.role == "audio"), "")
    sounds = bool(outputs) and outputs[0].role == "audio"
    return ModuleSpec(
        id=COMPOUND, name=tr("Compound"), stage=_stage(patch, compound, outputs),
        sentence=face_sentence(patch, compound), kernel=_nothing,
        outputs=tuple(outputs), inputs=tuple(inputs), params=tuple(params),
        face=params[0].id if params else "", passes=takes if sounds else "", sources=("definition",),
    )  # fmt: skip


def _stage(patch: Patch, compound: Compound, outputs: list[Output]) -> str:
    """The stage of the module that gives its first output; a sound that nothing leads to has its source inside."""
    inside = modules_in(patch, (compound.id,))
    last = Place("", outputs[0].id).inner.module if outputs else inside[-1]
    stages = [spec.stage for m in inside if (spec := spec_of(patch.module(m).type))]
    spec = spec_of(patch.module(last).type)
    if outputs and outputs[0].role == "audio" and "source" in stages:
        return "source"
    return spec.stage if spec else STAGES[0]


def face_sentence(patch: Patch, compound: Compound) -> str:
    """What a compound is: the user's own sentence, and what it is made of."""
    names = [x.name if (x := compound_of(patch, part)) else patch.module(part).name for part in compound.parts]
    return tr("{about} Made of {names}.", about=compound.about, names=listed(names)).strip()


# -- the patch as it is seen -----------------------------------------------------------------------------------------


def outermost(patch: Patch, opened: Collection[str]) -> dict[str, str]:
    """For each module and compound inside a closed compound, the outermost one, which is shown instead."""
    within = parents(patch)
    shown: dict[str, str] = {}
    for part in within:
        here = part
        while here in within:
            here = within[here].id
            if here not in opened:
                shown[part] = here
    return shown


def _seen_place(place: Place, shown: Mapping[str, str]) -> Place:
    return Place(shown[place.module], str(place)) if place.module in shown else place


class Seeing:
    """The patch as it is shown; only what has changed is rebuilt."""

    def __init__(self) -> None:
        self._before: tuple[Patch, frozenset[str]] | None = None
        self._seen = Patch()
        self._links: tuple[tuple[Link, ...], dict[str, str], tuple[Link, ...]] = ((), {}, ())
        self._layers: dict[str, tuple[Layer, tuple[Face, ...], Layer]] = {}

    def seen(self, patch: Patch, opened: Collection[str] = ()) -> Patch:
        """A patch in which each closed compound is one module; those that are opened show their parts."""
        if not patch.compounds:
            return patch
        before = (patch, frozenset(opened))
        if self._before is None or self._before[0] is not patch or self._before[1] != before[1]:
            self._seen = self._make(patch, before[1])
            self._before = before
        return self._seen

    def _make(self, patch: Patch, opened: frozenset[str]) -> Patch:
        shown = {part: name for part, name in outermost(patch, opened).items() if patch.has(part)}
        faces = {x.id: face_of(patch, x) for x in patch.compounds if x.id in shown.values()}
        layers = tuple(self._layer(layer, shown, faces) for layer in patch.layers)
        return replace(patch, layers=layers, links=self._seen_links(patch.links, shown))

    def _layer(self, layer: Layer, shown: Mapping[str, str], faces: Mapping[str, Face]) -> Layer:
        modules: dict[str, Module] = {}
        for module in layer.modules:
            name = shown.get(module.id, module.id)
            modules[name] = faces.get(name, module)
        here = tuple(faces[name] for name in modules if name in faces)
        if not here:
            return layer
        kept = self._layers.get(layer.id)
        if kept is None or kept[0] is not layer or kept[1] != here:
            self._layers[layer.id] = (layer, here, replace(layer, modules=tuple(modules.values())))
        return self._layers[layer.id][2]

    def _seen_links(self, links: tuple[Link, ...], shown: dict[str, str]) -> tuple[Link, ...]:
        if self._links[0] is not links or self._links[1] != shown:
            ends = [(link, _seen_place(link.source, shown), _seen_place(link.target, shown)) for link in links]
            made = tuple(
                replace(link, source=source, target=target)
                for link, source, target in ends
                if source.module != target.module or source.module not in shown.values()
            )
            self._links = (links, shown, made)
        return self._links[2]
