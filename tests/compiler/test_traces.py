"""Traces and probes: what the window shows is what the rows held."""

from __future__ import annotations

import numpy as np

from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import (
    BIN_SAMPLES,
    SENT_SAMPLES,
    TRACE_BINS,
    TRACE_QUANTUMS,
    Traces,
    trace_end,
    trace_module,
)

PROBED = 4 * QUANTUM


def traces_of_two_modules() -> Traces:
    """The first module shows one row, the second two; row 0 is probed by the first probe, nothing by the second; the
    last row is sent, into the second ring."""
    return Traces(
        np.array([0, 1, 3]), np.array([0, 2 * QUANTUM, QUANTUM]), np.array([2, 0, 1]),
        np.zeros((3, TRACE_BINS, 2), np.float32), np.zeros(3), np.zeros(3), np.array([0, -1]),
        np.full((2, PROBED), 9.0, np.float32), np.zeros(3, np.int64),
        np.array([2 * QUANTUM]), np.array([1]), np.full((2, SENT_SAMPLES), 9.0, np.float32),
    )  # fmt: skip


def run(traces: Traces, quantums: int, split: int = QUANTUM) -> np.ndarray:
    """Random rows through the traces, each quantum in two parts; all samples of the three rows."""
    dice, kept = np.random.default_rng(5), []
    for _ in range(quantums):
        rows = dice.uniform(-1, 1, 3 * QUANTUM)
        for start, n in ((0, split), (split, QUANTUM - split)):
            for module in range(2):
                if n:
                    trace_module(rows, traces, module, start, n)
        trace_end(rows, traces)
        kept.append(rows.reshape(3, QUANTUM))
    return np.concatenate(kept, axis=1)


def test_bins_hold_the_lowest_and_the_highest_and_go_round() -> None:
    for split in (QUANTUM, 17):
        traces = traces_of_two_modules()
        bins = TRACE_BINS + 3
        signals = run(traces, bins * TRACE_QUANTUMS, split).reshape(3, bins, BIN_SAMPLES)
        assert traces.counts[0] == bins
        assert traces.counts[1] == 0
        for row, slot in ((0, 2), (2, 0), (1, 1)):
            at = np.arange(bins - TRACE_BINS, bins)
            np.testing.assert_array_equal(traces.bins[slot, at % TRACE_BINS, 0], signals[row, at].min(1).astype("f4"))
            np.testing.assert_array_equal(traces.bins[slot, at % TRACE_BINS, 1], signals[row, at].max(1).astype("f4"))


def test_probes_keep_the_last_samples_and_silence_where_nothing_is_watched() -> None:
    traces = traces_of_two_modules()
    signals = run(traces, 6)
    assert traces.counts[2] == 6 * QUANTUM
    np.testing.assert_array_equal(np.roll(traces.probes[0], -2 * QUANTUM), signals[0, 2 * QUANTUM :].astype("f4"))
    assert (traces.probes[1] == 0).all()


def test_what_is_sent_goes_round_in_its_own_ring() -> None:
    traces = traces_of_two_modules()
    signals = run(traces, SENT_SAMPLES // QUANTUM + 3)[2].astype("f4")
    np.testing.assert_array_equal(traces.sent[1, : 3 * QUANTUM], signals[SENT_SAMPLES:])
    np.testing.assert_array_equal(traces.sent[1, 3 * QUANTUM :], signals[3 * QUANTUM : SENT_SAMPLES])
    assert (traces.sent[0] == 9.0).all()


def test_a_bin_is_shown_when_it_is_full() -> None:
    for split in (QUANTUM, 17):
        traces = traces_of_two_modules()
        run(traces, TRACE_QUANTUMS - 1, split)
        assert traces.counts[0] == 0
        assert (traces.bins == 0).all(), "nothing of a bin that still fills"
        run(traces, 1, split)
        assert traces.counts[0] == 1
        assert (traces.bins[:, 0] != 0).all()
