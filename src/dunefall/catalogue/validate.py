"""Whether a patch fits the declarations: ports exist and values are within their ranges."""

from __future__ import annotations

from collections.abc import Mapping

from dunefall.base.errors import ParameterError, PatchError
from dunefall.base.language import tr
from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Input, ModuleSpec, Param
from dunefall.patch.model import Compound, Module, Patch

__all__ = ["check_patch", "check_value"]


def check_patch(patch: Patch) -> None:
    """Check a patch against the catalogue; modules of unknown type are skipped.

    Raises
    ------
    PatchError
        With the place in the file of the first thing that does not fit.
    """
    for i, layer in enumerate(patch.layers):
        for j, module in enumerate(layer.modules):
            _check_module(module, layer.name, f"layers[{i}].modules[{j}]")
    for k, compound in enumerate(patch.compounds):
        _check_compound(patch, compound, f"compounds[{k}]")
    for k, link in enumerate(patch.links):
        source, target = patch.module(link.source.module), patch.module(link.target.module)
        spec = spec_of(source.type)
        if spec and spec.output(link.source.port) is None:
            ports = ", ".join(output.id for output in spec.outputs)
            raise PatchError(tr('"{name}" has no output "{port}"; it has {ports}', name=source.name,
                                port=link.source.port, ports=ports), place=f"links[{k}].from")  # fmt: skip
        spec = spec_of(target.type)
        if spec and spec.target(link.target.port) is None:
            ports = ", ".join(port.id for port in spec.targets if spec.target(port.id))
            raise PatchError(tr('"{name}" has no input or parameter "{port}"; it has {ports}', name=target.name,
                                port=link.target.port, ports=ports), place=f"links[{k}].to")  # fmt: skip


def check_value(patch: Patch, module_id: str, param: str, value: float) -> None:
    """Check one base value of a module; of one that is not there, or of an unknown type, there is nothing to check.

    Parameters
    ----------
    patch : Patch
        The patch.
    module_id, param : str
        Whose value it is.
    value : float
        In the parameter's unit.

    Raises
    ------
    PatchError
        If there is no such parameter, or the value is out of its range.
    """
    module = patch.module(module_id) if patch.has(module_id) else None
    spec = spec_of(module.type) if module else None
    if module and spec:
        _check_values(spec, module, {param: value}, patch.layer_of(module_id).name)


def _check_values(spec: ModuleSpec, module: Module, values: Mapping[str, float], layer: str, place: str = "") -> None:
    known: dict[str, Param] = {param.id: param for param in spec.params if not param.follows}
    for name, value in values.items():
        if name not in known:
            raise PatchError(tr('a {name} has no parameter "{name_2}"; it has {listed}', name=spec.name, name_2=name,
                                listed=", ".join(known) or "none"), place=place)  # fmt: skip
        try:
            known[name].check(value, tr('"{name}" in layer "{layer}"', name=module.name, layer=layer))
        except ParameterError as error:
            raise PatchError(str(error), place=f"{place}.{name}" if place else "") from error


def _check_compound(patch: Patch, compound: Compound, place: str) -> None:
    """Controls are parameters, within their hard range, ports are inputs or outputs; of known types."""
    for port in compound.ports:
        spec = spec_of(patch.module(port.place.module).type)
        name = port.place.port
        if spec and spec.output(name) is None and not isinstance(spec.target(name), Input):
            raise PatchError(
                tr('"{name}" is no input or output: "{place}"', name=port.name, place=port.place),
                place=f"{place}.ports",
            )
    for control in compound.controls:
        module = patch.module(control.place.module)
        spec = spec_of(module.type)
        param = spec.target(control.place.port) if spec else None
        if spec and not isinstance(param, Param):
            raise PatchError(
                tr('"{name}" is no parameter: "{place}"', name=control.name, place=control.place),
                place=f"{place}.controls",
            )


def _check_module(module: Module, layer: str, place: str) -> None:
    spec = spec_of(module.type)
    if spec is None:
        return
    _check_values(spec, module, module.params, layer, f"{place}.params")
    drawn = {series.id: series for series in spec.series}
    for name, values in module.series.items():
        if name not in drawn:
            raise PatchError(tr('a {name} has no series "{name_2}"; it has {listed}', name=spec.name, name_2=name,
                                listed=", ".join(drawn) or "none"), place=f"{place}.series")  # fmt: skip
        try:
            drawn[name].check(values, tr('"{name}" in layer "{layer}"', name=module.name, layer=layer))
        except ParameterError as error:
            raise PatchError(str(error), place=f"{place}.series.{name}") from error
