"""Step sequencer."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from measuring import at_steps, row
from rig import Rig, rises, ticks

STEP = 100


def sequence(steps: int, series: dict[str, tuple[float, ...]], **params: float) -> dict[str, np.ndarray]:
    return Rig("step-sequencer", drawn=series, **params).run(steps * STEP, clock=ticks(steps, STEP))


def test_rows_of_unequal_length_meet_after_their_common_multiple() -> None:
    """Sequences of 5, 7 and 8 steps together repeat after 280 steps (common practice; arithmetic)."""
    out = sequence(561, {}, length_a=5, length_b=7, length_c=8)
    three = list(zip(*(at_steps(out[name]) for name in "abc"), strict=True))
    assert three[:280] == three[280:560]
    assert all(three[:280] != three[k : k + 280] for k in range(1, 280))


@pytest.mark.parametrize(
    ("direction", "expected"),
    [(0, [0, 1, 2, 3, 0, 1]), (1, [3, 2, 1, 0, 3, 2]), (2, [0, 1, 2, 3, 2, 1])],
)
def test_directions(direction: int, expected: list[int]) -> None:
    out = sequence(6, {"row_a": row((60, 61, 62, 63))}, length_a=4, direction_a=direction)
    assert [note - 60 for note in at_steps(out["a"])] == expected


def test_chance_directions() -> None:
    out = sequence(4000, {"row_a": row((60, 61, 62, 63))}, length_a=4, direction_a=3)
    counts = np.bincount(np.array(at_steps(out["a"]), int) - 60)
    assert stats.chisquare(counts).pvalue > 0.01
    wander = np.array(at_steps(sequence(4000, {"row_a": row(tuple(range(8)))}, length_a=8, direction_a=4)["a"]), int)
    moves = np.bincount((np.diff(wander) + 1) % 8, minlength=8)
    assert moves[3:].sum() == 0
    assert stats.chisquare(moves[:3]).pvalue > 0.01


def test_gates_ratchets_and_ties() -> None:
    series = {"gates": row((1, 1, 0, 1)), "ratchets": row((1, 4, 1, 1)), "ties": row((0, 0, 0, 0))}
    out = sequence(12, series, length_a=4, width=0.5)["gate"]
    hits = rises(out)
    second = hits[(hits >= 4 * STEP) & (hits < 8 * STEP)] - 4 * STEP
    np.testing.assert_allclose(second, [0, 100, 125, 150, 175, 300], atol=1)
    tied = sequence(12, {"gates": row((1,)), "ties": row((0, 1, 0, 1))}, length_a=4, width=0.5)["gate"]
    hits = rises(tied)
    np.testing.assert_allclose(hits[hits >= 4 * STEP] - 4 * STEP, [0, 200, 400, 600], atol=1)
    assert tied[4 * STEP : 5 * STEP + 40].all()  # through the tie


def test_chance_of_a_step_and_what_it_refused() -> None:
    out = sequence(4000, {"gates": row((1, 0)), "chances": row((0.25,))}, length_a=2)
    passed = len(rises(out["gate"]))
    assert stats.binomtest(passed, 2000, 0.25).pvalue > 0.001
    assert passed + len(rises(out["refused"])) == 2000


def test_a_row_with_a_clock_of_its_own_and_reset() -> None:
    values = {"row_b": row(tuple(k / 8 for k in range(8)))}
    rig = Rig("step-sequencer", drawn=values)
    reset = np.zeros(1000)
    reset[450] = 1.0
    out = rig.run(1000, clock=ticks(10, 100), clock_b=ticks(5, 200), reset=reset)
    assert [8 * v for v in at_steps(out["b"])] == [0, 0, 1, 1, 2, 2, 0, 0, 1, 1]
    assert at_steps(out["a"])[5] == at_steps(out["a"])[0]


def test_more_rows_of_gates_and_triggers_of_single_steps() -> None:
    gates = {"gates_b": (1, 0, 0, 0) * 16, "gates_c": (0, 1, 0, 1) * 16}
    rig = Rig("step-sequencer", length_a=4, step_1=2, step_2=4, drawn=gates)
    found = rig.run(1600, clock=ticks(16, 100))
    first = {name: rises(found[name])[:4].tolist() for name in ("gate_b", "gate_c", "at_1", "at_2")}
    assert first == {"gate_b": [0, 400, 800, 1200], "gate_c": [100, 300, 500, 700], "at_1": [100, 500, 900, 1300],
                     "at_2": [300, 700, 1100, 1500]}  # fmt: skip
