"""Edits of modules and links: every method is one undo step, or part of one."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace

from dunefall.base.errors import PatchError
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Param
from dunefall.catalogue.joining import Joined, is_trigger, joined, new_link
from dunefall.catalogue.pitch.quantiser import OWN_SCALE
from dunefall.catalogue.story import lowest
from dunefall.engine.devices.keys import PRESSURE, WHEEL
from dunefall.engine.devices.osc import osc_name
from dunefall.patch.compounds import parent_of, with_parts
from dunefall.patch.model import Link, Module, Patch, Place, SoundRef
from dunefall.session.edits import Edits

__all__ = ["ModuleEdits"]

SOFT_S = 0.005
"""A few milliseconds of slew on a level remove its clicks (common practice)."""


class ModuleEdits(Edits):
    """Edits of the open document's modules and links."""

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
            spec = spec_for(found)
            if spec is not None:
                for param, value in changed.items():
                    spec.param(param).check(value, f'"{found.name}" in layer "{patch.layer_of(module).name}"')
            patch = patch.with_module(replace(found, params={**found.params, **changed}))
        name = patch.module(next(iter(values))).name if len(values) == 1 else f"{len(values)} layers"
        merge = ";".join(f"{module}.{','.join(changed)}" for module, changed in values.items())
        self.document.edit(f"Change {name}", patch, merge=merge)

    def set_series(self, module: str, series: Mapping[str, tuple[float, ...]], *, label: str = "Draw in") -> None:
        """Give a module other series; the steps of one movement become one undo step.

        Raises
        ------
        ParameterError
            If there are too many numbers or one is out of range.
        """
        found = self.patch.module(module)
        spec = spec_for(found)
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
        link = new_link(patch, source, target)
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
        a, b = (param.to_domain(param.typed(value, where)) for value in (first, last))
        amount = (b - a) / (high - low)
        base = param.to_domain(target.params.get(param.id, param.default))
        self.change_link(replace(link, amount=amount, offset=a - base - amount * low))
        self.document.end_merge()

    def scale_reach(self, place: Place, factor: float) -> None:
        """Let all that moves a parameter move it so many times as far; one drag becomes one undo step."""
        patch = self.patch
        for link in patch.links_into(place.module, place.port):
            if link.on:
                patch = patch.with_link(replace(link, amount=link.amount * factor, offset=link.offset * factor))
        self.document.edit(f"Reach of {patch.module(place.module).name}", patch, merge=f"reach {place}")

    def _param_of(self, place: Place) -> Param | None:
        spec = spec_for(self.patch.module(place.module))
        target = spec.target(place.port) if spec else None
        return target if isinstance(target, Param) else None

    def _span_of(self, place: Place) -> tuple[float, float]:
        """Lowest and highest value of an output; a pitch counts from C4 by an octave either way."""
        module = self.patch.module(place.module)
        spec = spec_for(module)
        output = spec.output(place.port) if spec else None
        if output is None or output.role == "pitch":
            return 48.0, 72.0
        return lowest(module, output), output.high

    def remove_link(self, link: str) -> None:
        """Take a link away."""
        name = self.patch.module(self.patch.link(link).source.module).name
        self.document.edit(f"Remove link from {name}", self.patch.without_link(link))

    def add_module(self, layer: str, type_id: str, beside: str = "", port: str = "") -> Joined:
        """Add a module of a type to a layer, connected to what is expected beside a selected module or parameter (see
        ``catalogue.joining``)."""
        made = joined(self.patch, layer, type_id, beside, port)
        self.document.edit(f"Add {made.patch.module(made.module).name}", made.patch)
        return made

    def set_sound(self, module: str, sound: SoundRef | None) -> None:
        """Give a module another sound file, or take it away."""
        found = self.patch.module(module)
        self.document.edit(f"Sound of {found.name}", self.patch.with_module(replace(found, sound=sound)))

    def soften(self, module: str) -> str:
        """Put a slew of a few milliseconds behind a module, before everything but triggers that it moves; returns the
        slew's id, or nothing where it moves no such thing."""
        patch = self.patch
        found = patch.module(module)
        spec = spec_for(found)
        first = spec.outputs[0].id if spec else ""
        moved = [
            link
            for link in patch.links_from(module)
            if link.source.port == first and not is_trigger(patch, link.target)
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

    def learn(self, place: Place, controller: int) -> str:
        """Let a MIDI controller (0 to 127) move a value: a Named control's own, or by the Named control that moves the
        value, or by a new one. Returns the control's id."""
        patch, module = self.patch, self.patch.module(place.module)
        sources = [patch.module(link.source.module) for link in patch.links_into(place.module, place.port)]
        control = next((m for m in (module, *sources) if m.type == "named-control"), None)
        if control is None:
            param = self._param_of(place)
            name = f"{param.name if param else place.port} of {module.name}"
            control = Module(patch.free_id("named-control"), "named-control", name[:60])
            patch = patch.with_new_module(patch.layer_of(module.id).id, control)
            home = parent_of(patch, module.id)
            patch = with_parts(patch, home.id, (control.id,)) if home else patch
            patch = patch.with_link(new_link(patch, Place(control.id, "out"), place))
        self.document.edit(
            f"Learn a controller for {module.name}", patch.with_param(control.id, "controller", float(controller))
        )
        return control.id

    def kinds_of_layer(self, layer: str) -> dict[str, list[str]]:
        """Parameters of a layer's modules by their name in words, and which modules have them: those that can be
        gathered under one control."""
        kinds: dict[str, list[str]] = {}
        for module in self.patch.layer(layer).modules:
            spec = spec_for(module)
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
            spec = spec_for(patch.module(module_id))
            param = next(param for param in (spec.params if spec else ()) if param.name == kind)
            target = Place(module_id, param.id)
            changed = changed.with_link(Link(changed.free_id("link"), Place(control.id, "out"), target, param.amount))
        self.document.edit(f"Gather {kind.lower()}", changed)
        return control.id

    def remove_modules(self, modules: Collection[str]) -> None:
        """Remove modules; a sound that passed through them passes on without them."""
        patch, name = self.patch, ""
        for module in modules:
            name = patch.module(module).name
            patch = _healed(patch, module)
        self.document.edit(f"Remove {name if len(modules) == 1 else f'{len(modules)} modules'}", patch)


def _healed(patch: Patch, module: str) -> Patch:
    """A patch without a module: what came into it goes to where its sound went."""
    spec, healed = spec_for(patch.module(module)), patch.without_module(module)
    if spec and spec.passes and spec.outputs[0].role == "audio":
        after = [link for link in patch.links_from(module) if link.source.port == spec.outputs[0].id]
        for before in patch.links_into(module, spec.passes):
            for link in after:
                if before.source.module != module and link.target.module != module:
                    healed = healed.with_link(replace(link, id=healed.free_id("link"), source=before.source))
    return healed
