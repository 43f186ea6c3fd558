"""A kernel's arguments are named and typed as its declaration says."""

from __future__ import annotations

import inspect

import pytest

from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import ModuleSpec

OWN_TYPES = {
    "state": "State", "memory": "Memory", "scratch": "Scratch", "rate": "Scalar", "key": "Key", "linked": "Mask",
    "moving": "Mask", "wanted": "Mask", "levels": "Row", "voices": "int", "start": "int", "live": "Row",
    "sound": "Sound", "sound_rows": "int", "sound_rate": "Scalar", "response": "Row", "whole_mix": "Row",
    "bypassed": "Mask", "line_phase": "int",
}  # fmt: skip


def expected(spec: ModuleSpec, name: str) -> str:
    """The type that an argument should have; a port may be called like one of the others."""
    if name in {port.id for port in (*spec.target_rows, *spec.output_rows)}:
        return "Row"
    return "Drawn" if name in spec.series_places else OWN_TYPES[name]


@pytest.mark.parametrize("type_id", sorted(catalogue()))
def test_arguments_have_the_types_of_the_declaration(type_id: str) -> None:
    spec = catalogue()[type_id]
    arguments = inspect.signature(spec.kernel).parameters
    given = {name: argument.annotation for name, argument in arguments.items()}
    assert given == {name: expected(spec, name) for name in arguments}
    assert inspect.signature(spec.kernel).return_annotation == "None"


@pytest.mark.parametrize("type_id", sorted(catalogue()))
def test_ports_come_in_the_order_of_the_declaration(type_id: str) -> None:
    """Inputs and parameters before outputs, so that neighbours of the same type cannot change places unseen."""
    spec = catalogue()[type_id]
    names = [name for name in inspect.signature(spec.kernel).parameters if expected(spec, name) == "Row"]
    order = [port.id for port in (*spec.target_rows, *spec.output_rows)]
    ports = [name for name in names if name in order]
    assert ports == sorted(ports, key=order.index)
