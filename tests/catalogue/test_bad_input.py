"""Bad input to modules of time and motion: never a stuck clock, never an endless number."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.catalogue import catalogue
from dunefall.compiler.build import compile_patch
from dunefall.patch.model import Module
from dunefall.render.player import Player
from rig import QUANTUM, Rig, patch_of, rises, ticks

MOVED = [spec for spec in catalogue().values() if spec.stage in ("time", "motion", "pitch")]


@pytest.mark.parametrize("spec", MOVED, ids=lambda spec: spec.id)
@pytest.mark.parametrize("amount", [-1e6, 1e6])
def test_links_far_beyond_the_range(spec, amount: float) -> None:  # type: ignore[no-untyped-def]
    """Every parameter and input pushed a million units away: the hard ranges hold, all stays finite."""
    modules = [
        Module("sway", "lfo", "S", {"rate_hz": 7.0}),
        Module("m", spec.id, "M"),
        Module("a-output", "output", "O"),
    ]
    links = [("sway.out", f"m.{port.id}", amount) for port in spec.targets if spec.target(port.id)]
    links.append((f"m.{spec.outputs[0].id}", "a-output.audio", 0.001))
    player, out = Player(compile_patch(patch_of(*modules, links=tuple(links)), rate=48000)), np.zeros((QUANTUM * 60, 2))
    player.fill(out)
    assert np.isfinite(out).all()
    assert not player.program.memory.faults.any() or abs(amount) * 12 > 1e6  # a pitch that far away is told as a fault


@pytest.mark.parametrize("spec", [s for s in MOVED if s.series], ids=lambda spec: spec.id)
def test_the_shortest_and_flattest_series(spec) -> None:  # type: ignore[no-untyped-def]
    """As few numbers as are allowed, all at their lowest: zeros everywhere."""
    flat = {series.id: (float(series.low),) * series.least for series in spec.series}
    inputs = {port.id: ticks(20, QUANTUM) for port in spec.inputs if port.role == "gate"}
    for values in Rig(spec.id, drawn=flat).run(20 * QUANTUM, **inputs).values():
        assert np.isfinite(values).all()


def test_a_clock_goes_on_after_any_period() -> None:
    """Periods that jump between the ends of the range for a second, then an even one again."""
    wild = np.where(np.arange(48_000) // 500 % 2, 0.005, 3600.0)
    period = np.concatenate([wild, np.full(48_000, 0.1)])
    gate = Rig("clock", sync=1).run(96_000, period_s=period)["gate"]
    found = rises(gate)
    assert len(found[found > 48_000]) in (9, 10, 11)


def test_a_divider_by_less_than_one_counts_every_trigger() -> None:
    out = Rig("divider").run(40 * 20, trigger=ticks(20, 40), by_a=np.full(800, 1.0))
    assert len(rises(out["a"])) == 20


def test_a_sequence_without_hits_rests() -> None:
    series = {"gates": (0.0,) * 64}
    out = Rig("step-sequencer", drawn=series).run(100 * 64, clock=ticks(64, 100))
    assert not out["gate"].any()
    assert len(rises(out["refused"])) == 0


def test_a_contour_of_no_length_ends_at_its_last_point() -> None:
    series = {"heights": (0.5, -0.25), "times": (0.0, 0.0), "bends": (0.0, 0.0)}
    out = Rig("contour", drawn=series).run(400, trigger=np.ones(400))["out"]
    assert out[-1] == -0.25


def test_a_tuning_that_only_has_its_period() -> None:
    rig = Rig("quantiser", scale=12, root=0, drawn={"steps_ct": (1200.0,)})
    out = rig.run(8, pitch=np.repeat([59.0, 70.0], 4))["out"]
    assert (out[3], out[7]) == (60.0, 72.0)
    nothing = Rig("quantiser", scale=12, root=0, drawn={"steps_ct": (0.0,)})
    assert nothing.run(8, pitch=np.full(8, 61.3))["out"][-1] == pytest.approx(61.3)
