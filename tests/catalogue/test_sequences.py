"""Sequences and pitches against counting, the theory of music and tuning files."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from dunefall.catalogue.pitch.quantiser import OWN_SCALE
from dunefall.patch.tuning import parse_tuning
from rig import Rig, rises, ticks

STEP = 100


def row(values: tuple[float, ...], length: int = 64) -> tuple[float, ...]:
    return tuple(values[k % len(values)] for k in range(length))


def sequence(steps: int, series: dict[str, tuple[float, ...]], **params: float) -> dict[str, np.ndarray]:
    return Rig("step-sequencer", drawn=series, **params).run(steps * STEP, clock=ticks(steps, STEP))


def at_steps(signal: np.ndarray) -> list[float]:
    return signal[STEP // 4 :: STEP].tolist()


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


def test_curve_sequencer_plays_its_curves() -> None:
    series = {"curves_a": row((1, 2)), "curves_b": row((0,)), "heights": row((1.0, 0.5)), "lengths": row((1.0, 2.0))}
    rig = Rig("curve-sequencer", sync=1, period_s=0.1, steps=2, drawn=series)
    out = rig.run(3 * 4800)
    np.testing.assert_allclose(out["a"][:4700], (np.arange(4700) + 1) / 4800, atol=2e-3)
    np.testing.assert_allclose(out["a"][4900:14_300], 0.5 * (1 - (np.arange(4900, 14_300) - 4800) / 9600), atol=2e-3)
    assert (rises(out["step"])[:2] - [0, 4799]).max() <= 1
    both = Rig("curve-sequencer", sync=1, period_s=0.1, steps=2, blend=0.5, drawn=series).run(4000)
    np.testing.assert_allclose(both["out"], 0.5 * (both["a"] + both["b"]), atol=1e-12)


def test_curve_sequencer_at_a_clock_both_ways() -> None:
    series = {"drawn_1": (0.0, 1.0), "curves_a": row((13,)), "heights": row((1.0,))}
    out = Rig("curve-sequencer", span=0, steps=4, drawn=series).run(10 * 200, clock=ticks(10, 200))["out"]
    np.testing.assert_allclose(out[1000:1190], -1 + 2 * np.arange(190) / 200, atol=0.02)


def test_grid_is_walked_by_two_clocks() -> None:
    """3 by 4 fields, clocks of 2 and 3: at time t it stands on column t/2 mod 3 of row t/3 mod 4 (arithmetic)."""
    notes = {"notes": tuple(float(k) for k in range(64)), "hits": (1.0,) * 64}
    rig = Rig("grid-sequencer", columns=3, rows=4, drawn=notes)
    out = rig.run(14_400, clock_x=ticks(72, 200), clock_y=ticks(48, 300))["out"]
    assert out[50::100].tolist() == [8.0 * (t // 3 % 4) + t // 2 % 3 for t in range(144)]


def test_grid_refuses_rests() -> None:
    hits = {"hits": (1.0, 0.0) * 32}
    out = Rig("grid-sequencer", columns=4, drawn=hits).run(8 * 400, clock_x=ticks(8, 400))
    assert (rises(out["gate"]) == 400 * np.arange(0, 8, 2)).all()
    assert (rises(out["refused"]) == 400 * np.arange(1, 8, 2)).all()


@pytest.mark.parametrize(
    ("order", "expected"),
    [
        (0, [50, 55, 60, 62, 67, 72]),
        (1, [72, 67, 62, 60, 55, 50]),
        (2, [50, 55, 60, 62, 67, 72, 67, 62]),
        (3, [60, 50, 55, 72]),
    ],
)
def test_note_list_orders(order: int, expected: list[int]) -> None:
    rig = Rig("note-list", order=order, octaves=2, drawn={"notes": (60.0, 50.0, 55.0)})
    out = rig.run(len(expected) * 100, clock=ticks(len(expected), 100))["out"]
    assert at_steps(out) == expected


def test_held_keys_take_the_place_of_the_list() -> None:
    from dunefall.render.player import play_note

    rig = Rig("note-list", octaves=1, drawn={"notes": (40.0,)})
    assert at_steps(rig.run(200, clock=ticks(2, 100))["out"]) == [40, 40]
    for note in (64.0, 60.0, 67.0):
        play_note(rig.program, "m", note, 0.8)
    assert sorted(at_steps(rig.run(320, clock=ticks(3, 100))["out"])[:3]) == [60, 64, 67]
    for note in (64.0, 60.0, 67.0):
        play_note(rig.program, "m", note, 0.0)
    assert at_steps(rig.run(320, clock=ticks(3, 100))["out"])[:3] == [40, 40, 40]


def test_quantiser_ways_and_weights() -> None:
    pitch = np.repeat([61.2, 62.9, 64.4], 4)

    def played(**params: float) -> list[float]:
        series = params.pop("series", None)
        return Rig("quantiser", root=0, hold_st=0, drawn=series, **params).run(12, pitch=pitch)["out"][3::4].tolist()

    assert played(scale=1) == [62, 62, 64]  # C major
    assert played(scale=1, way=1) == [62, 64, 65]
    assert played(scale=1, way=2) == [60, 62, 64]
    assert played(scale=1, pull=1.0, series={"weights": (1.0, 0, 0, 0, 1.0, 0, 0)}) == [60, 60, 67]
    assert played(scale=1, pull=1.0, series={"weights": (0.0,)}) == pytest.approx([61.2, 62.9, 64.4])


def test_a_tuning_of_one_s_own() -> None:
    """Pure fifth 701.955 cents (music theory), by a scale of fifths and octaves."""
    _, cents = parse_tuning("pure\n2\n3/2\n2/1\n")
    assert cents[0] == pytest.approx(701.955, abs=1e-3)
    rig = Rig("quantiser", scale=OWN_SCALE, root=0, hold_st=0, drawn={"steps_ct": cents})
    out = rig.run(8, pitch=np.repeat([59.0, 66.5], 4))["out"]
    assert out[3] == pytest.approx(60.0)
    assert out[7] == pytest.approx(60.0 + 7.01955, abs=1e-4)


def test_transpose_glide_and_chord() -> None:
    note = np.repeat([60.0, 72.0], 9600)
    assert Rig("transpose", octaves=-1, semitones=7, cents=50).run(4, pitch=note[:4])["out"][0] == 60 - 12 + 7.5
    even = Rig("glide", time_s=0.1).run(len(note), pitch=note)
    np.testing.assert_allclose(even["out"][9600:14_400], 60 + 12 * np.arange(1, 4801) / 4800, atol=1e-6)
    assert even["gliding"].sum() == pytest.approx(4800, abs=2)
    speed = Rig("glide", time_s=0.1, kind=1).run(len(note), pitch=np.repeat([60.0, 66.0], 9600))["out"]
    assert speed[9600 + 2400] == pytest.approx(66.0, abs=1e-3)
    legato = Rig("glide", time_s=0.1).run(len(note), pitch=note, gate=np.zeros(len(note)))["out"]
    assert legato[9600] == 72.0
    out = Rig("chord", kind=3, inversion=1).run(4, pitch=np.full(4, 60.0))  # C major, first inversion
    assert sorted(out[f"note_{x}"][0] for x in "abcd") == [64, 67, 72, 72]


def test_a_random_melody_keeps_its_scale_weights_and_range() -> None:
    trigger = ticks(6000, 4)
    weights = (1.0, 0.0, 0.5, 0.0, 0.5, 0.0, 0.0)
    rig = Rig("random-melody", scale=1, root=0, low=48, high=71, leaps=1, repeats=1, drawn={"weights": weights})
    notes = rig.run(len(trigger), trigger=trigger)["out"][3::4].astype(int)
    degrees = np.bincount(notes % 12, minlength=12)
    assert degrees[[1, 2, 3, 5, 6, 8, 9, 10, 11]].sum() == 0
    assert stats.chisquare(degrees[[0, 4, 7]], 6000 * np.array([0.5, 0.25, 0.25])).pvalue > 0.01
    assert notes.min() >= 48
    assert notes.max() <= 71
    steps = Rig("random-melody", leaps=0, repeats=0).run(len(trigger), trigger=trigger)["out"][3::4]
    assert (np.diff(steps) != 0).all()
    wide = Rig("random-melody", leaps=1, repeats=0).run(len(trigger), trigger=trigger)["out"][3::4]
    assert np.abs(np.diff(steps)).mean() < 0.6 * np.abs(np.diff(wide)).mean()


def test_a_scale_without_notes_keeps_the_note() -> None:
    rig = Rig("random-melody", low=50, high=50, scale=11, root=0, drawn={"weights": (0.0,)})
    out = rig.run(400, trigger=ticks(4, 100))["out"]
    assert np.isfinite(out).all()
    assert len(set(out)) == 1


@pytest.mark.parametrize(
    ("priority", "expected"), [(1, [60, 67, 64, 67, 67]), (2, [60, 67, 67, 67, 67]), (3, [60, 60, 60, 64, 67])]
)
def test_one_voice_for_all_keys(priority: int, expected: list[int]) -> None:
    """Press 60, 67, 64, let go of 60 and 64: which one sounds after each."""
    from dunefall.render.player import play_note

    rig, heard = Rig("keyboard", priority=priority), []
    for note, force in ((60, 1.0), (67, 1.0), (64, 1.0), (60, 0.0), (64, 0.0)):
        play_note(rig.program, "m", float(note), force)
        out = rig.run(64)
        heard.append(out["pitch"][-1])
        assert out["gate"][-1] == 1.0
    if priority == 1:
        expected = [60, 67, 64, 64, 67]
    assert heard == expected
    play_note(rig.program, "m", 67.0, 0.0)
    assert rig.run(64)["gate"][-1] == 0.0
