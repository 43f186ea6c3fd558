"""What every module promises, whatever it is: bypass is transparent, stereo stays stereo, the first trigger plays the
first step, nothing happens at the start without a cause."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.declare import ModuleSpec
from dunefall.compiler.loop import run
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.patch.model import Module
from rig import RATE, Rig, patch_of, pulses, watch_all

MIDDLE = 0.5**0.5
"""What a layer's output gives to each side of a sound in the middle."""
SPECS = [spec for name in catalogue() if (spec := spec_of(name)) is not None]


def _works_on_sound(spec: ModuleSpec) -> bool:
    passed = next((port for port in spec.inputs if port.id == spec.passes), None)
    return passed is not None and passed.role == "audio" and spec.outputs[0].role == "audio" and not spec.lane_end


EFFECTS = [spec for spec in SPECS if _works_on_sound(spec)]


def heard(spec: ModuleSpec, width: float, *, bypassed: bool, quantums: int = 20) -> np.ndarray:
    """Left and right of a noise, and what a layer with the module gives, shape (4, samples)."""
    noise = Module("n", "noise", "N", {"width": width})
    module = Module("m", spec.id, "M", dict(spec.begins), bypassed=bypassed)
    links = [("n.out", f"m.{spec.passes}", 1.0), (f"m.{spec.outputs[0].id}", "o.audio", 1.0)]
    extra = []
    for port in spec.inputs:  # what would be silent without them
        if port.role == "gate":
            extra.append(Module(f"g-{port.id}", "clock", "G", {"sync": 1, "period_s": 0.05}))
            links.append((f"g-{port.id}.gate", f"m.{port.id}", 1.0))
        elif port.role == "audio" and port.id != spec.passes:
            links.append(("n.out", f"m.{port.id}", 1.0))
    patch = patch_of(noise, *extra, module, Module("o", "output", "O", {"level_db": 0.0}), links=tuple(links))
    program, out = watch_all(patch), np.zeros((QUANTUM, 2))
    found: list[list[np.ndarray]] = [[], [], [], []]
    left = program.row_at[("n", "out")]
    rows = (left, program.row_at.get(("n", "out_right"), left), *(program.row_at[("o", x)] for x in ("left", "right")))
    for _ in range(quantums):
        run(program.plan, program.memory, no_traces(), out)
        for values, row in zip(found, rows, strict=True):
            values.append(program.memory.rows[row : row + QUANTUM].copy())
    return np.array([np.concatenate(values) for values in found])


@pytest.mark.parametrize("spec", EFFECTS, ids=lambda spec: spec.id)
@pytest.mark.parametrize("width", [0.0, 1.0], ids=["mono", "stereo"])
def test_a_bypassed_module_is_as_if_it_were_not_there(spec: ModuleSpec, width: float) -> None:
    """Spring, plate and position silenced the right channel of a mono sound, and made one channel of two."""
    left, right, out_left, out_right = heard(spec, width, bypassed=True)
    np.testing.assert_allclose(out_left, MIDDLE * left, atol=1e-9)
    np.testing.assert_allclose(out_right, MIDDLE * right, atol=1e-9)


@pytest.mark.parametrize("spec", EFFECTS, ids=lambda spec: spec.id)
def test_what_comes_in_stereo_leaves_in_stereo(spec: ModuleSpec) -> None:
    """The filter pair made one channel of two."""
    _, _, left, right = heard(spec, 1.0, bypassed=False, quantums=200)
    assert np.abs(left[-8000:]).max() > 1e-4
    assert np.corrcoef(left[-8000:], right[-8000:])[0, 1] < 0.99


def test_the_first_trigger_plays_the_first_step() -> None:
    """Definition: whatever plays steps begins with its first, also when the clock begins late."""
    for start in (0.0, 0.5):
        ticks = pulses([start + 0.25 * k for k in range(4)], 2.0)
        at = [round((start + 0.25 * k + 0.1) * RATE) for k in range(4)]
        steps = Rig("step-sequencer", drawn={"row_a": tuple(range(40, 104))}).run(len(ticks), clock=ticks)["a"]
        assert [steps[k] for k in at] == [40, 41, 42, 43]
        switch = Rig("sequential-switch", drawn={"order": (0, 0, 1, 2)})
        ways = {way: np.full(len(ticks), level) for way, level in zip("abc", (0.1, 0.2, 0.3), strict=True)}
        order = switch.run(len(ticks), trigger=ticks, **ways)["out"]
        assert [order[k] for k in at] == pytest.approx([0.1, 0.1, 0.2, 0.3])
        curves = Rig("curve-sequencer", steps=4, drawn={"curves_a": (0,) * 64, "heights": (0.1, 0.2, 0.3, 0.4) * 16})
        assert [curves.run(len(ticks), clock=ticks)["a"][k] for k in at] == pytest.approx([0.1, 0.2, 0.3, 0.4])


def test_after_a_reset_the_next_trigger_is_the_first() -> None:
    ticks, reset = pulses([0.0, 0.25, 0.5, 0.75], 1.0), pulses([0.6], 1.0)
    switch = Rig("sequential-switch", drawn={"order": (0, 1, 2)})
    ways = {way: np.full(len(ticks), level) for way, level in zip("abc", (0.1, 0.2, 0.3), strict=True)}
    order = switch.run(len(ticks), trigger=ticks, reset=reset, **ways)["out"]
    assert [order[round(at * RATE)] for at in (0.1, 0.3, 0.55, 0.65, 0.8)] == pytest.approx([0.1, 0.2, 0.3, 0.1, 0.1])


def test_without_a_cause_nothing_is_triggered() -> None:
    """A module that waits for a trigger has not fired before there was one."""
    nothing = np.zeros(4800)
    for spec in SPECS:
        gates = [output.id for output in spec.outputs if output.role == "gate" and not output.per_voice]
        waits = [port.id for port in spec.inputs if port.role == "gate"]
        if not gates or not waits or spec.sound:
            continue
        found = Rig(spec.id).run(4800, **dict.fromkeys(waits, nothing))
        for gate in gates:
            assert found[gate].max() <= 0.5 or (spec.id, gate) in HIGH_AT_REST, (spec.id, gate)


HIGH_AT_REST = {("logic", "inverse"), ("phase-locked-loop", "locked")}
"""What is high because nothing is there."""


LOOPED = [spec for spec in EFFECTS if any(param.id == "feedback" for param in spec.params)]


@pytest.mark.parametrize("spec", LOOPED, ids=lambda spec: spec.id)
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_an_inner_loop_is_bounded_and_rings_out_whatever_moves(spec: ModuleSpec, seed: int) -> None:
    """Noise for half a second with everything but the feedback moved at 300 Hz over its range; then silence: no
    more than 12 dB over full scale on the way, as in any loop, and 20 dB down in the end."""
    dice, samples = np.random.default_rng(seed), 8 * 48_000
    values, moved = {"feedback": 0.9, "dry": 0.0, "wet": 1.0, "mix": 1.0}, {}
    for param in spec.params:
        if param.follows or param.id in ("freeze", "decay_s", *values) or param.choices:
            continue
        place = float(dice.uniform(0.2, 0.8))
        if param.id in ("predelay_s", "delay_s", "time_s", "size_s"):  # short, so that there are many rounds
            values[param.id] = param.from_rail(float(dice.uniform(0.0, 0.4)))
        elif param.amount:
            sway = place + 0.2 * np.sin(2 * np.pi * 300 * np.arange(samples) / RATE + dice.uniform(0, 6))
            moved[param.id] = np.array([param.from_rail(x) for x in sway[:160]])[np.arange(samples) % 160]
    sound = np.zeros(samples)
    sound[:24_000] = np.clip(dice.normal(0, 0.2, 24_000), -0.5, 0.5)
    port, known = spec.outputs[0].id, {param.id for param in spec.params}
    rig = Rig(spec.id, values={name: value for name, value in values.items() if name in known}, watched=(port,))
    out = rig.run(samples, **{spec.passes: sound}, **moved)[port]
    assert np.abs(out).max() < 4.0
    assert np.sqrt((out[-24_000:] ** 2).mean()) < 0.1 * np.sqrt((out[:24_000] ** 2).mean()) + 1e-9
