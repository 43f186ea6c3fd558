"""Engines with a fault, as processes: what a wrong module, a full memory or a wrong line would do to a real one.

Each is the real engine of which one function is replaced; ``EngineClient`` starts it in the place of ``run_engine``.
"""

from __future__ import annotations

import resource
import time
from multiprocessing.connection import Connection

import numpy as np
from numpy.typing import NDArray

from dunefall.compiler.program import Program
from dunefall.engine.host import _Host, run_engine
from dunefall.engine.messages import Act, EngineOptions
from dunefall.patch.model import Patch
from dunefall.render.player import Player

__all__ = ["allocating", "broken_block", "broken_message", "hanging", "slow_to_compile"]

GOOD_BLOCKS = 100
COMPILE_S = 0.5
MEMORY = 1 << 28


def _with(act: object) -> None:
    """Do something in the audio thread at every block after the first hundred."""
    fill, blocks = Player.fill, [0]

    def filled(self: Player, out: NDArray[np.float64]) -> None:
        blocks[0] += 1
        if blocks[0] > GOOD_BLOCKS:
            act()  # type: ignore[operator]
        fill(self, out)

    Player.fill = filled  # type: ignore[method-assign]


def hanging(pipe: Connection, name: str, options: EngineOptions, program: str) -> None:
    """A kernel that does not end, as in a loop of compiled code: it does not hold Python's lock."""
    _with(lambda: time.sleep(60.0))
    run_engine(pipe, name, options, program)


def broken_block(pipe: Connection, name: str, options: EngineOptions, program: str) -> None:
    """An error in the audio thread."""
    _with(lambda: [][1])
    run_engine(pipe, name, options, program)


def allocating(pipe: Connection, name: str, options: EngineOptions, program: str) -> None:
    """Something that asks for more and more memory until there is none."""
    held = []

    def more() -> None:
        if not held:
            used = int(open("/proc/self/statm").read().split()[0]) * resource.getpagesize()  # noqa: SIM115
            resource.setrlimit(resource.RLIMIT_AS, (used + MEMORY, used + MEMORY))
        held.append(np.ones(MEMORY // 80))

    _with(more)
    run_engine(pipe, name, options, program)


def broken_message(pipe: Connection, name: str, options: EngineOptions, program: str) -> None:
    """An error in an answer to the window."""

    def fails(self: _Host, message: Act) -> None:
        raise ZeroDivisionError("no answer")

    _Host._act = fails  # type: ignore[method-assign]
    run_engine(pipe, name, options, program)


def slow_to_compile(pipe: Connection, name: str, options: EngineOptions, program: str) -> None:
    """A machine that is busy whenever a program is compiled."""
    compiled = _Host._compile

    def slowly(self: _Host, patch: Patch) -> Program:
        time.sleep(COMPILE_S)
        return compiled(self, patch)

    _Host._compile = slowly  # type: ignore[method-assign]
    run_engine(pipe, name, options, program)
