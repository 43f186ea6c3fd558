"""Joins the document and the engine: what window and command line talk to."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from dunefall.base.errors import ParameterError, PatchError
from dunefall.base.layouts import layout_of
from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Input, Param
from dunefall.catalogue.pitch.quantiser import OWN_SCALE
from dunefall.catalogue.story import lowest
from dunefall.catalogue.validate import check_patch
from dunefall.engine.client import EngineClient
from dunefall.engine.devices.keys import PRESSURE, WHEEL
from dunefall.engine.devices.osc import OscInput, osc_name
from dunefall.engine.messages import EngineOptions
from dunefall.patch import mixing
from dunefall.patch.changes import apply_changes, difference
from dunefall.patch.document import Document
from dunefall.patch.files import save_patch
from dunefall.patch.library import find_patch
from dunefall.patch.model import MOST_VOICES, SHARED_ID, UNTITLED, Layer, Link, Module, Patch, Place, SoundRef
from dunefall.patch.take import Edit, Take
from dunefall.patch.takefiles import load_take

__all__ = ["Session", "open_patch", "open_take"]

MAX_PINS = 4
SOFT_S = 0.005
"""A few milliseconds of slew on a level remove its clicks (common practice)."""


def open_patch(name: str) -> tuple[Patch, Path | None]:
    """Patch and file of a name that a user gave, checked against the catalogue.

    Raises
    ------
    PatchError, StorageError
        With one clear sentence.
    """
    patch, path = find_patch(name)
    check_patch(patch)
    return patch, path


def open_take(path: Path) -> Take:
    """Take of a file, its patches checked against the catalogue at the start and after each change.

    Raises
    ------
    PatchError, StorageError
        With one clear sentence.
    """
    take = load_take(path)
    patch = take.start
    check_patch(patch)
    for entry in take.entries:
        if isinstance(entry.what, Edit):
            patch = apply_changes(patch, entry.what.changes)
            try:
                check_patch(patch)
            except PatchError as error:
                raise PatchError(f"after the change at sample {entry.at}: {error}") from error
    return take


class Session:
    """The open document, sounding. Every method that edits is one undo step, or part of one."""

    def __init__(self, patch: Patch, path: Path | None, options: EngineOptions) -> None:
        self.engine = EngineClient(options)
        self.document = Document(patch, path)
        self.document.changed.connect(self._sound)
        self.engine.set_patch(patch)
        self.osc: OscInput | None = None

    @property
    def options(self) -> EngineOptions:
        """Device, rate and block of now."""
        return self.engine.options

    @property
    def patch(self) -> Patch:
        """The patch as it is now."""
        return self.document.patch

    def replace_document(self, patch: Patch, path: Path | None) -> None:
        """Open another patch: it begins at its start, stopped or playing as the old one was."""
        listeners = self.document.changed
        self.document = Document(patch, path)
        self.document.changed = listeners
        self.engine.open(patch)

    def close(self) -> None:
        """End the engine, and listen to no other program any more."""
        if self.osc is not None:
            self.osc.close()
            self.osc = None
        self.engine.close()

    def _sound(self, _before: Patch, after: Patch) -> None:
        self.engine.set_patch(after)

    # -- edits --------------------------------------------------------------------------------------------------

    def set_param(self, module: str, param: str, value: float) -> None:
        """Set one base value; see ``set_params``."""
        self.set_params(module, {param: value})

    def set_params(self, module: str, values: Mapping[str, float]) -> None:
        """Set base values of a module; see ``set_together``."""
        self.set_together({module: values})

    def set_together(self, values: Mapping[str, Mapping[str, float]]) -> None:
        """Set base values of modules; the steps of one movement become one undo step (see ``Document.end_merge``).

        Raises
        ------
        ParameterError
            If a value is out of range.
        """
        patch = self.patch
        for module, changed in values.items():
            found = patch.module(module)
            spec = spec_of(found.type)
            if spec is not None:
                for param, value in changed.items():
                    spec.param(param).check(value, f'"{found.name}" in layer "{patch.layer_of(module).name}"')
            patch = patch.with_module(replace(found, params={**found.params, **changed}))
        name = patch.module(next(iter(values))).name if len(values) == 1 else f"{len(values)} layers"
        merge = ";".join(f"{module}.{','.join(changed)}" for module, changed in values.items())
        self.document.edit(f"Change {name}", patch, merge=merge)

    def set_group(self, layer: str, group: str) -> None:
        """Put a layer's row into a group of this name, or into none."""
        found = self.patch.layer(layer)
        label = f"Group {found.name} with {group}" if group else f"Ungroup {found.name}"
        self.document.edit(label, self.patch.with_layer(replace(found, group=group[:60])))

    def set_series(self, module: str, series: Mapping[str, tuple[float, ...]], *, label: str = "Draw in") -> None:
        """Give a module other series; the steps of one movement become one undo step.

        Raises
        ------
        ParameterError
            If there are too many numbers or one is out of range.
        """
        found = self.patch.module(module)
        spec = spec_of(found.type)
        for declared in spec.series if spec else ():
            if declared.id in series:
                declared.check(series[declared.id], f'"{found.name}"')
        changed = self.patch.with_series(module, series)
        self.document.edit(f"{label} {found.name}", changed, merge=f"{module} {','.join(series)}")

    def set_tuning(self, module: str, cents: tuple[float, ...]) -> None:
        """Let a quantiser use a tuning of the user's own."""
        patch = self.patch.with_series(module, {"steps_ct": cents}).with_param(module, "scale", float(OWN_SCALE))
        self.document.edit(f"Tune {patch.module(module).name}", patch)

    def add_link(self, source: Place, target: Place) -> str:
        """Link an output to a port with an audible amount; returns the link's id. The same link twice is refused.

        Raises
        ------
        PatchError
            If this link is there already.
        """
        patch = self.patch
        if any(link.source == source and link.target == target for link in patch.links):
            raise PatchError(f"{patch.module(source.module).name} moves this already: change its amount instead")
        spec, source_spec = spec_of(patch.module(target.module).type), spec_of(patch.module(source.module).type)
        port = spec.target(target.port) if spec else None
        output = source_spec.output(source.port) if source_spec else None
        amount, offset = (port.amount or 1.0, 0.0) if isinstance(port, Param) else (1.0, 0.0)
        if isinstance(port, Param) and output and output.role == "pitch" and port.unit == "note":
            amount, offset = 1.0, -60.0  # a pitch is counted from C4
        link = Link(patch.free_id("link"), source, target, amount, offset)
        self.document.edit(f"Link {patch.module(source.module).name}", patch.with_link(link))
        return link.id

    def change_link(self, link: Link) -> None:
        """Give a link other values."""
        name = self.patch.module(link.source.module).name
        self.document.edit(f"Change link from {name}", self.patch.with_link(link), merge=f"link {link.id}")

    def link_range(self, link: Link) -> tuple[float, float] | None:
        """Values to which a link alone moves its parameter, in the parameter's unit: at the lowest and at the highest
        of its source; None for an input."""
        param, (low, high) = self._param_of(link.target), self._span_of(link.source)
        if param is None:
            return None
        base = param.to_domain(self.patch.module(link.target.module).params.get(param.id, param.default))
        ends = (base + link.offset + link.amount * low, base + link.offset + link.amount * high)
        return param.from_domain(max(ends[0], -1000.0)), param.from_domain(min(ends[1], 1000.0))

    def set_link_range(self, link: Link, first: float, last: float) -> None:
        """Let a link move its parameter from one value to another, in the parameter's unit, as its source goes from its
        lowest to its highest.

        Raises
        ------
        ParameterError
            If a value is out of the parameter's range.
        """
        param, (low, high) = self._param_of(link.target), self._span_of(link.source)
        if param is None:
            return
        target = self.patch.module(link.target.module)
        where = f'"{target.name}" in layer "{self.patch.layer_of(target.id).name}"'
        a, b = (param.to_domain(param.check(value, where)) for value in (first, last))
        amount = (b - a) / (high - low)
        base = param.to_domain(target.params.get(param.id, param.default))
        self.change_link(replace(link, amount=amount, offset=a - base - amount * low))
        self.document.end_merge()

    def _param_of(self, place: Place) -> Param | None:
        spec = spec_of(self.patch.module(place.module).type)
        target = spec.target(place.port) if spec else None
        return target if isinstance(target, Param) else None

    def _span_of(self, place: Place) -> tuple[float, float]:
        """Lowest and highest value of an output; a pitch counts from C4 by an octave either way."""
        module = self.patch.module(place.module)
        spec = spec_of(module.type)
        output = spec.output(place.port) if spec else None
        if output is None or output.role == "pitch":
            return 48.0, 72.0
        return lowest(module, output), output.high

    def remove_link(self, link: str) -> None:
        """Take a link away."""
        name = self.patch.module(self.patch.link(link).source.module).name
        self.document.edit(f"Remove link from {name}", self.patch.without_link(link))

    def add_module(self, layer: str, type_id: str) -> str:
        """Add a module of a type to a layer, not yet linked; returns its id."""
        spec = spec_of(type_id)
        assert spec is not None
        patch = self.patch
        names = {module.name for module in patch.modules()}
        name, number = spec.name, 2
        while name in names:
            name, number = f"{spec.name} {number}", number + 1
        module = Module(patch.free_id(type_id), type_id, name)
        self.document.edit(f"Add {name}", patch.with_new_module(layer, module))
        return module.id

    def set_sound(self, module: str, sound: SoundRef | None) -> None:
        """Give a module another sound file, or take it away."""
        found = self.patch.module(module)
        self.document.edit(f"Sound of {found.name}", self.patch.with_module(replace(found, sound=sound)))

    def soften(self, module: str) -> str:
        """Put a slew of a few milliseconds behind a module, before everything but triggers that it moves; returns the
        slew's id, or nothing where it moves no such thing."""
        patch = self.patch
        found = patch.module(module)
        spec = spec_of(found.type)
        first = spec.outputs[0].id if spec else ""
        moved = [
            link for link in patch.links_from(module) if link.source.port == first and not self._is_trigger(link.target)
        ]
        if not moved:
            return ""
        slew = Module(patch.free_id("slew"), "slew", f"Soft {found.name}"[:60], {"rise_s": SOFT_S, "fall_s": SOFT_S})
        changed = patch.with_new_module(patch.layer_of(module).id, slew)
        for link in moved:
            changed = changed.with_link(replace(link, source=Place(slew.id, "out")))
        into = Link(changed.free_id("link"), Place(module, first), Place(slew.id, "signal"))
        self.document.edit(f"Soften {found.name}", changed.with_link(into))
        return slew.id

    def _is_trigger(self, place: Place) -> bool:
        spec = spec_of(self.patch.module(place.module).type)
        target = spec.target(place.port) if spec else None
        return isinstance(target, Input) and target.role == "gate"

    def turn_control(self, module: str, share: float) -> None:
        """Let a Named control stand at a share of its range, 0 to 1; what turns on merges into one undo step."""
        name = self.patch.module(module).name
        changed = self.patch.with_param(module, "value", min(max(share, 0.0), 1.0))
        self.document.edit(f"Move {name}", changed, merge=f"control {module}")

    def turn_named(self, name: str, share: float) -> bool:
        """Let all Named controls of a name as in an address stand at a share of their range; whether there is one."""
        found = [m for m in self.patch.modules() if m.type == "named-control" and osc_name(m.name) == name]
        for module in found:
            self.turn_control(module.id, share)
        return bool(found)

    def turn_controller(self, controller: int, place: float) -> None:
        """A MIDI controller moved: Named controls that hang on it follow; wheel and pressure go to the keyboards."""
        ports = {WHEEL: "wheel", PRESSURE: "pressure"}
        changed = self.patch
        for module in self.patch.modules():
            if module.type == "named-control" and module.params.get("controller", -1.0) == controller:
                changed = changed.with_param(module.id, "value", min(max(place, 0.0), 1.0))
            elif module.type == "keyboard" and controller in ports:
                changed = changed.with_param(module.id, ports[controller], place)
        self.document.edit("Move a controller", changed, merge=f"controller {controller}")

    def kinds_of_layer(self, layer: str) -> dict[str, list[str]]:
        """Parameters of a layer's modules by their name in words, and which modules have them: those that can be
        gathered under one control."""
        kinds: dict[str, list[str]] = {}
        for module in self.patch.layer(layer).modules:
            spec = spec_of(module.type)
            for param in spec.params if spec and not spec.lane_end and module.type != "named-control" else ():
                if not param.choices and not param.follows and param.amount:
                    kinds.setdefault(param.name, []).append(module.id)
        return kinds

    def gather(self, layer: str, kind: str) -> str:
        """Put all parameters of a kind in a layer under a new Named control, at rest; returns its id."""
        patch = self.patch
        found = patch.layer(layer)
        control = Module(patch.free_id("named-control"), "named-control", f"{kind} of {found.name}"[:60])
        changed = patch.with_new_module(layer, control)
        for module_id in self.kinds_of_layer(layer)[kind]:
            spec = spec_of(patch.module(module_id).type)
            param = next(param for param in (spec.params if spec else ()) if param.name == kind)
            target = Place(module_id, param.id)
            changed = changed.with_link(Link(changed.free_id("link"), Place(control.id, "out"), target, param.amount))
        self.document.edit(f"Gather {kind.lower()}", changed)
        return control.id

    def remove_module(self, module: str) -> None:
        """Remove a module; a sound that passed through it passes on without it."""
        patch = self.patch
        gone = patch.module(module)
        spec = spec_of(gone.type)
        healed = patch.without_module(module)
        if spec and spec.passes and spec.outputs[0].role == "audio":
            into = patch.links_into(module, spec.passes)
            after = [link for link in patch.links_from(module) if link.source.port == spec.outputs[0].id]
            for before in into:
                for link in after:
                    joined = replace(link, id=healed.free_id("link"), source=before.source)
                    healed = healed.with_link(joined)
        self.document.edit(f"Remove {gone.name}", healed)

    def add_layer(self, name: str) -> str:
        """Add an empty layer with its output; returns the output's id, to be selected."""
        patch = self.patch
        layer_id = patch.free_id("layer")
        layer = Layer(layer_id, name)
        layer = replace(layer, modules=(Module(layer.output_id, "output", name),))
        self.document.edit(f"Add layer {name}", patch.with_layer(layer))
        return layer.output_id

    # -- the mix --------------------------------------------------------------------------------------------------

    def set_send(self, layer: str, lane: str, gain: float, *, before: bool = False) -> None:
        """Let a layer send so much, linear, to an effect lane; 0 takes the send away."""
        a, b = self.patch.layer(layer), self.patch.layer(lane)
        changed = mixing.with_send(self.patch, a, b, gain, before=before)
        self.document.edit(f"Send {a.name} to {b.name}", changed, merge=f"send {layer} {lane}")

    def set_key(self, layer: str, source: Place | None) -> None:
        """Let a layer make way for an output, or for nothing."""
        found = self.patch.layer(layer)
        self.document.edit(f"Duck {found.name}", mixing.with_key(self.patch, found, source))

    def add_effect_lane(self, name: str, types: tuple[str, ...]) -> None:
        """Add a shared effect lane of modules in a row.

        Raises
        ------
        PatchError
            If there are as many as there can be.
        """
        self.document.edit(f"Add effect lane {name}", mixing.with_effect_lane(self.patch, name, types))

    def set_master(self, values: Mapping[str, float]) -> None:
        """Set values of the master, which is added if it is not there.

        Raises
        ------
        ParameterError
            If a value is out of range.
        """
        patch = mixing.with_master(self.patch)
        master, spec = mixing.master_of(patch), spec_of("master")
        assert master is not None
        assert spec is not None
        for name, value in values.items():
            patch = patch.with_param(master.id, name, spec.param(name).check(value, '"Master"'))
        self.document.edit("Change Master", patch, merge=f"master {','.join(values)}")

    def move_layer(self, layer: str, by: int) -> None:
        """Move a layer up or down among its neighbours."""
        name = self.patch.layer(layer).name
        self.document.edit(f"Move {name}", mixing.with_moved_layer(self.patch, layer, by))

    def move_along(self, layer: str, loop: Sequence[tuple[float, float, float]]) -> None:
        """Let a layer go round a drawn loop of (seconds, degrees, metres)."""
        found = self.patch.layer(layer)
        self.document.edit(f"Loop of {found.name}", mixing.with_loop(self.patch, found, loop))

    def remove_layer(self, layer: str) -> None:
        """Remove a layer with everything in it; Shared stays."""
        if layer != SHARED_ID:
            name = self.patch.layer(layer).name
            self.document.edit(f"Remove layer {name}", self.patch.without_layer(layer))

    def set_voices(self, layer: str, voices: int, spread: float, meet: str) -> None:
        """Give a layer 1 to ``MOST_VOICES`` voices, a spread of 0 to 1, and the module where they meet ("": its end).

        Raises
        ------
        ParameterError
            If a number is out of range.
        """
        if not 1 <= voices <= MOST_VOICES or not 0 <= spread <= 1:
            raise ParameterError(f"a layer has 1 to {MOST_VOICES} voices with a spread of 0 to 100 %; got {voices}")
        found = self.patch.layer(layer)
        changed = replace(found, voices=voices, spread=spread, meet=meet)
        self.document.edit(f"Voices of {found.name}", self.patch.with_layer(changed))

    def rename(self, module: str, name: str) -> None:
        """Rename a module; the name of a layer's output is the layer's."""
        patch, name = self.patch, name.strip()[:60]
        if not name:
            return
        layer = patch.layer_of(module)
        changed = patch.with_module(replace(patch.module(module), name=name))
        if module == layer.output_id:
            changed = changed.with_layer(replace(changed.layer(layer.id), name=name))
        self.document.edit(f"Rename {patch.module(module).name}", changed)

    def set_title(self, title: str) -> None:
        """Rename the patch."""
        title = title.strip()[:60]
        if title:
            self.document.edit("Rename the patch", replace(self.patch, title=title))

    def toggle_bypass(self, module: str) -> None:
        """Bypass a module, or use it again."""
        found = self.patch.module(module)
        changed = self.patch.with_module(replace(found, bypassed=not found.bypassed))
        self.document.edit(f"{'Use' if found.bypassed else 'Bypass'} {found.name}", changed)

    def toggle_fold(self, layer: str) -> None:
        """Fold a lane, or open it."""
        found = self.patch.layer(layer)
        label = f"{'Open' if found.folded else 'Fold'} {found.name}"
        self.document.edit(label, self.patch.with_layer(replace(found, folded=not found.folded)))

    def toggle_pin(self, module: str) -> None:
        """Pin a module's first output in Watch, or take it away; the oldest of four goes for a fifth."""
        patch = self.patch
        spec = spec_of(patch.module(module).type)
        if spec is None:
            return
        place = Place(module, spec.outputs[0].id)
        pins = tuple(pin for pin in patch.pins if pin != place)
        pins = pins if place in patch.pins else (*pins, place)[-MAX_PINS:]
        self.document.edit(f"Pin {patch.module(module).name}", replace(patch, pins=pins))

    def set_tempo(self, bpm: float) -> None:
        """Set the tempo in BPM."""
        self.document.edit("Change tempo", replace(self.patch, tempo_bpm=bpm), merge="tempo")

    def set_layout(self, layout: str) -> None:
        """Mix for other loudspeakers; nothing moves."""
        name = layout_of(layout).name
        self.document.edit(f"Mix for {name}", replace(self.patch, layout=layout))

    def reroll(self) -> None:
        """Take another seed, of four digits."""
        self.set_seed(random.randrange(10_000))

    def set_seed(self, seed: int) -> None:
        """Take this seed."""
        self.document.edit("Change seed", replace(self.patch, seed=seed))

    # -- what sounds ----------------------------------------------------------------------------------------------

    @property
    def seconds(self) -> float:
        """Where the sound stands."""
        return self.engine.position / self.options.rate

    def seek(self, seconds: float) -> None:
        """Go to a time of the take: sound and patch are as they were there; the patch comes back by undo."""
        then = self.engine.seek(round(seconds * self.options.rate))
        changed = apply_changes(self.patch, difference(self.patch, then))
        self.document.edit(f"Go to {seconds:.1f} s", changed)

    # -- files --------------------------------------------------------------------------------------------------

    def save(self, path: Path) -> None:
        """Save the patch; raises StorageError and leaves the old file whole if it cannot be written.

        A patch that has no title yet takes the file's name.
        """
        if self.patch.title == UNTITLED:
            self.set_title(path.stem)
        save_patch(self.patch, path)
        self.document.mark_saved(path)
