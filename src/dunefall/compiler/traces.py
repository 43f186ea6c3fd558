"""What the window shows of a running program: written by the loop into arrays of shared memory."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dunefall.compiler.records import QUANTUM
from dunefall.dsp.maths import larger, smaller

__all__ = [
    "BIN_SAMPLES",
    "PROBES",
    "PROBE_SAMPLES",
    "SENT_SAMPLES",
    "TRACE_BINS",
    "TRACE_QUANTUMS",
    "Traces",
    "no_traces",
    "nothing_sent",
    "span",
    "trace_end",
    "trace_module",
]

TRACE_BINS = 1024
TRACE_QUANTUMS = 8
BIN_SAMPLES = TRACE_QUANTUMS * QUANTUM
PROBES = 16
PROBE_SAMPLES = 1 << 19
SENT_SAMPLES = 1 << 14


class Traces(NamedTuple):
    """Where the loop writes what the window shows; the arrays are in shared memory.

    ``first`` holds, for each module in order of execution and one more, where its entries begin in ``rows`` (what is
    traced) and ``slots`` (its place in ``bins``: slot, bin, lowest and highest). ``counts`` holds: bins written,
    quantums in the present bin, probe samples written. What goes to other instruments is copied from ``sent_rows`` into
    the rings of ``sent`` that ``sent_slots`` names, by the same count as the probes; these are the engine's own.
    """

    first: NDArray[np.int64]
    rows: NDArray[np.int64]
    slots: NDArray[np.int64]
    bins: NDArray[np.float32]
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    probe_rows: NDArray[np.int64]
    probes: NDArray[np.float32]
    counts: NDArray[np.int64]
    sent_rows: NDArray[np.int64]
    sent_slots: NDArray[np.int64]
    sent: NDArray[np.float32]


def no_traces() -> Traces:
    """Traces for a run that nobody watches."""
    return Traces(
        np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros((0, TRACE_BINS, 2), np.float32),
        np.zeros(0), np.zeros(0), np.full(PROBES, -1), np.zeros((PROBES, 0), np.float32), np.zeros(3, np.int64),
        *nothing_sent(),
    )  # fmt: skip


def nothing_sent() -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]:
    """The last three of ``Traces``, for a run of which nothing goes to other instruments."""
    return np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros((0, SENT_SAMPLES), np.float32)


@njit(nogil=True, error_model="numpy")
def span(row: NDArray[np.float64]) -> tuple[float, float]:
    """Lowest and highest value of a row.

    Parameters
    ----------
    row : ndarray [shape=(n,)]
        One number for each sample.

    Returns
    -------
    tuple[float, float]
    """
    low = high = row[0]
    for i in range(row.size):
        low = smaller(low, row[i])
        high = larger(high, row[i])
    return low, high


@njit(nogil=True, error_model="numpy")
def trace_module(rows: NDArray[np.float64], traces: Traces, m: int, start: int, n: int) -> None:
    """What the window shows of a module, taken while its rows are fresh.

    Parameters
    ----------
    rows : ndarray
        All rows.
    traces : Traces
        Where the window reads from.
    m : int
        Place of the module in the order of execution.
    start : int
        First sample within the quantum.
    n : int
        Samples.
    """
    begins = traces.counts[1] == 0 and start == 0
    ends = traces.counts[1] == TRACE_QUANTUMS - 1 and start + n == QUANTUM
    at = traces.counts[0] % TRACE_BINS
    for t in range(traces.first[m], traces.first[m + 1]):
        low, high = span(rows[traces.rows[t] + start : traces.rows[t] + start + n])
        if not begins:
            low, high = min(low, traces.low[t]), max(high, traces.high[t])
        traces.low[t], traces.high[t] = low, high
        if ends:
            traces.bins[traces.slots[t], at, 0] = low
            traces.bins[traces.slots[t], at, 1] = high


@njit(nogil=True, error_model="numpy")
def trace_end(rows: NDArray[np.float64], traces: Traces) -> None:
    """The end of a quantum: count on, and copy what is watched sample by sample, or sent to other instruments.

    Parameters
    ----------
    rows : ndarray
        All rows.
    traces : Traces
        Where the window reads from.
    """
    counts = traces.counts
    ends = counts[1] == TRACE_QUANTUMS - 1
    counts[1] = 0 if ends else counts[1] + 1
    counts[0] += 1 if ends else 0
    size = traces.probes.shape[1]
    if size > 0:
        place = counts[2] % size
        for p in range(traces.probe_rows.size):
            row = traces.probe_rows[p]
            for i in range(QUANTUM):
                traces.probes[p, place + i] = rows[row + i] if row >= 0 else 0.0
    place = counts[2] % SENT_SAMPLES
    for s in range(traces.sent_rows.size):
        row, slot = traces.sent_rows[s], traces.sent_slots[s]
        for i in range(QUANTUM):
            traces.sent[slot, place + i] = rows[row + i]
    counts[2] += QUANTUM
