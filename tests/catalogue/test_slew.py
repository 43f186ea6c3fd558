"""Slew."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.compiler.loop import run
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.patch.model import Module
from rig import RATE, Rig, patch_of, watch_all


@pytest.mark.parametrize("rate", [44100.0, 48000.0])
def test_slew_times(rate: float) -> None:
    step = np.r_[np.zeros(64), np.ones(round(rate)), np.zeros(round(rate))]
    out = Rig("slew", rate=rate, rise_s=0.13, fall_s=0.4).run(len(step), signal=step)["out"]
    assert out[64 + round(0.13 * rate)] == pytest.approx(0.99, abs=1e-3)
    assert out[64 + round(1.4 * rate)] == pytest.approx(0.01, abs=1e-3)
    tau = 0.13 / np.log(100)
    n = np.arange(1, 2000)
    np.testing.assert_allclose(out[64 : 64 + 1999], 1 - np.exp(-n / (tau * rate)), atol=1e-9)  # first-order step


def test_a_straight_way_chosen_in_the_middle_of_a_rise_goes_on_from_there() -> None:
    """A line from where it is, the rest of the way in 0.2 s (definition)."""
    gate = Module("g", "lfo", "G", {"rate_hz": 0.5, "shape": 3, "polarity": 1})
    patch = patch_of(
        gate, Module("s", "slew", "S", {"rise_s": 0.2, "fall_s": 0.2}), links=(("g.out", "s.signal", 1.0),)
    )
    program = watch_all(patch, rate=RATE)
    found, out = [], np.zeros((QUANTUM, 2))
    for quantum in range(1600):
        if quantum == 1550:  # it rose again after two seconds
            program.set_base("s", "kind", 1.0)
        run(program.plan, program.memory, no_traces(), out)
        row = program.row_at[("s", "out")]
        found.append(program.memory.rows[row : row + QUANTUM].copy())
    sound = np.concatenate(found)
    reached = sound[1550 * QUANTUM - 1]
    assert 0.3 < reached < 0.95
    np.testing.assert_allclose(np.diff(sound[1550 * QUANTUM :]), (1.0 - reached) / 9600, rtol=1e-6)


@pytest.mark.parametrize("kind", [0, 1, 2])
def test_it_glides_only_while_it_may(kind: int) -> None:
    """Two steps: at the first, "slide now" is low and it is there at once; at the second it takes its time."""
    signal = np.repeat([0.0, 0.5, 1.0], 2400)
    slide = np.repeat([0.0, 0.0, 1.0], 2400)
    out = Rig("slew", rise_s=0.04, kind=kind).run(len(signal), signal=signal, slide=slide)["out"]
    assert out[2400] == 0.5
    assert out[4800] < 0.55
    assert 0.6 < out[4800 + 600] < 0.999
    if kind != 2:
        assert out[-1] == pytest.approx(1.0, abs=0.01)
