"""Feedback loops through long delay lines run by rows: the same bits as sample by sample, also where a line moves."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dunefall.catalogue.space import delay
from dunefall.compiler import parts
from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import run
from dunefall.compiler.program import Program
from dunefall.compiler.records import PHASES, QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.patch.library import find_patch
from dunefall.patch.model import Link, Module, Patch, Place
from rig import patch_of

RAMP = 2880


def linked(patch: Patch, *links: tuple[str, str, float]) -> Patch:
    for k, (source, target, amount) in enumerate(links):
        a, b = source.split("."), target.split(".")
        patch = patch.with_link(Link(f"link-{k}", Place(*a), Place(*b), amount))
    return patch


def echo(**values: float) -> Patch:
    """An impulse into a delay whose echo comes back through a filter and a drive."""
    line = {"time_s": 0.05, "feedback": 0.9, "dry": 0.0, "wet": 1.0, **values}
    modules = (
        Module("clock", "clock", "Clock", {"sync": 1, "period_s": 0.21}), Module("hit", "impulse", "Hit"),
        Module("line", "delay", "Line", line), Module("low", "filter", "Low", {"cutoff_hz": 1800.0}),
        Module("rust", "drive", "Rust", {"drive_db": 9.0}), Module("a-output", "output", "A"),
    )  # fmt: skip
    return linked(
        patch_of(*modules),
        ("clock.gate", "hit.trigger", 1.0), ("hit.out", "line.audio", 1.0), ("line.send", "low.audio", 1.0),
        ("low.low", "rust.audio", 1.0), ("rust.out", "line.back", 1.0), ("line.out", "a-output.audio", 1.0),
    )  # fmt: skip


def crossed() -> Patch:
    """Two delays, each of which feeds the other, and itself through a filter."""
    values = {"time_s": 0.07, "feedback": 0.6, "dry": 0.3}
    modules = (
        Module("hiss", "noise", "Hiss"), Module("one", "delay", "One", values),
        Module("two", "delay", "Two", {**values, "time_s": 0.0913}), Module("low", "filter", "Low"),
        Module("a-output", "output", "A"),
    )  # fmt: skip
    return linked(
        patch_of(*modules),
        ("hiss.out", "one.audio", 0.2), ("one.send", "two.back", 1.0), ("two.send", "low.audio", 1.0),
        ("low.low", "one.back", 0.7), ("two.send", "two.back", -0.3), ("two.out", "a-output.audio", 1.0),
    )  # fmt: skip


def rows_of(program: Program) -> int:
    """The loop that may run by rows; -1: none."""
    found = np.flatnonzero(program.plan.parts[:, 4] >= 0)
    return int(found[0]) if len(found) else -1


def both_ways(patch: Patch, sizes: list[int], edits: dict[int, tuple[str, str, float]]) -> None:
    programs = [compile_patch(patch, rate=48000) for _ in range(2)]
    programs[1].plan.parts[:, 4] = -1
    for k, size in enumerate(sizes):
        if k in edits:
            for program in programs:
                program.set_base(*edits[k])
        outs = [np.zeros((size, 2)) for _ in programs]
        for program, out in zip(programs, outs, strict=True):
            run(program.plan, program.memory, no_traces(), out)
        np.testing.assert_array_equal(outs[0], outs[1])
    assert np.abs(outs[0]).max() > 0.0
    np.testing.assert_array_equal(programs[0].memory.now, programs[1].memory.now)


def runs_by_rows(patch: Patch) -> bool:
    program = compile_patch(patch, rate=48000)
    run(program.plan, program.memory, no_traces(), np.zeros((QUANTUM * 40, 2)))
    s = rows_of(program)
    return s >= 0 and bool(parts._run_by_rows(program.plan, program.memory, s, 0, QUANTUM, RAMP))


SIZES = [QUANTUM * 90, 7, 1, 56, QUANTUM * 40, 33, 31, QUANTUM * 120]
PATCHES = {
    "echo": echo(),
    "between two samples": echo(time_s=0.0512345),
    "sides that answer each other": echo(sides=1.0),
    "two lines": crossed(),
    "rust echo of the demo": find_patch("demo:")[0],
}


@pytest.mark.parametrize("name", PATCHES)
def test_by_rows_gives_the_same_bits_as_sample_by_sample(name: str) -> None:
    patch = PATCHES[name]
    assert name == "rust echo of the demo" or runs_by_rows(patch)
    edits = {} if name == "rust echo of the demo" else {2: ("low", "cutoff_hz", np.log2(700.0))}
    both_ways(patch, SIZES, edits)


def test_the_delay_means_the_same_phases_as_the_loop() -> None:
    assert [PHASES[delay.ASK], PHASES[delay.READ]] == ["ask", "read"]


def test_the_demo_has_such_a_loop() -> None:
    program = compile_patch(PATCHES["rust echo of the demo"], rate=48000)
    assert rows_of(program) >= 0


def test_a_line_that_moves_or_is_too_short_runs_sample_by_sample_for_as_long() -> None:
    swaying = echo(time_s=0.06).with_new_module("a", Module("sway", "lfo", "Sway", {"rate_hz": 9.0}))
    swaying = swaying.with_link(Link("s", Place("sway", "out"), Place("line", "time_s"), 0.2))
    both_ways(swaying, SIZES, {})
    both_ways(echo(), SIZES, {1: ("line", "time_s", np.log2(0.09)), 5: ("line", "feedback", 0.4)})
    assert not runs_by_rows(echo(span=0.0, short_s=0.0012)), "shorter than a quantum"
    both_ways(echo(span=0.0, short_s=0.0012), SIZES, {})


@pytest.mark.parametrize(
    ("source", "target"),
    [
        ("line.out", "low.audio"),
        ("rust.out", "line.audio"),
        ("rust.out", "line.feedback"),
        ("rust.out", "low.cutoff_hz"),
    ],
)
def test_a_round_that_passes_no_line_is_left_as_it_is(source: str, target: str) -> None:
    patch = echo().with_link(Link("more", Place(*source.split(".")), Place(*target.split(".")), 0.1))
    assert rows_of(compile_patch(patch, rate=48000)) < 0


def test_a_bypassed_line_is_left_as_it_is() -> None:
    line = echo().module("line")
    assert rows_of(compile_patch(echo().with_module(replace(line, bypassed=True)), rate=48000)) < 0
