"""No value at an input, however absurd, makes a kernel read or write outside its memory: it would end the program."""

from __future__ import annotations

import os

import numpy as np
import pytest

from dunefall.catalogue import catalogue, spec_of
from rig import Rig

ABSURD = (1e30, -1e30, 1e300, -1e300, 3e9, float("inf"), float("nan"))


def _use(module: str, tell: int) -> None:
    """Feed absurd values into every input, and one into every input for each choice."""
    spec = spec_of(module)
    assert spec is not None
    choices = [{param.id: float(k)} for param in spec.params if param.choices for k in range(1, len(param.choices))]
    for port in spec.inputs:
        for values, fed in [({}, ABSURD), *((choice, ABSURD[:1]) for choice in choices)]:
            for value in fed:
                os.write(tell, f"{port.id} = {value}, {values}\n".encode())
                Rig(module, values=values).run(128, **{port.id: np.full(128, value)})


@pytest.mark.parametrize("module", catalogue())
def test_an_absurd_input_ends_no_program(module: str) -> None:
    """In a process of its own, which such a kernel would end by a signal."""
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        try:
            _use(module, write)
        finally:
            os._exit(0)
    os.close(write)
    told = b""
    while piece := os.read(read, 1 << 16):
        told += piece
    os.close(read)
    status = os.waitpid(child, 0)[1]
    assert status == 0, told.decode().splitlines()[-1:]
