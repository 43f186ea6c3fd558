"""The formats at the bottom: the records of a flat program, as compiled code reads them.

Every signal is a row of one quantum (``QUANTUM`` samples). Every input and parameter has a row that is gathered from
its base value and its links before its module runs; every output has a row that its module writes.
"""

from __future__ import annotations

import numpy as np

__all__ = [
    "AMOUNT", "BASE", "CONTEXT", "INPUT", "LINK", "MODULE", "MOST_THREADS", "PHASES", "PLACES", "QUANTUM", "RAMP_S",
    "SCRATCH", "STRANDS", "VOICE", "word",
]  # fmt: skip

QUANTUM = 64
"""Samples that are computed at a time, whatever the device asks for."""
SCRATCH = 32 * QUANTUM
"""Numbers that every kernel may use while it runs."""
STRANDS = 8
"""Each layer belongs to one of so many strands, each of which one thread runs at a time."""
MOST_THREADS = 4
"""So many threads run one program at most: more than there are strands have nothing to do."""
CONTEXT = 512
"""Room for where the arrays of a run are, in words of 8 bytes."""
RAMP_S = 0.06
"""Time in which a changed value glides to its new place."""

MODULE = np.dtype(
    [(name, np.int64) for name in (
        "address", "bypassed", "input_first", "input_last", "port_first", "output_first", "port_last",
        "state_at", "state_size", "memory_at", "memory_size", "series_at", "linked", "passes", "passes_right",
        "voice", "level_first", "level_count", "lane_end", "stem", "moved_first", "moved_last", "wanted",
        "wakes", "line", "sound", "sound_size", "sound_rows", "sound_rate",
    )] + [("key", np.uint64)]
)  # fmt: skip
"""A module: its kernel, whether it is bypassed (2: and sees to that itself), its inputs, ports, state, memory and
series; ``passes`` and ``passes_right`` are ports or -1; ``voice`` the voice that it belongs to or -1; ``level_first``
and ``level_count`` the voices of its layer; ``lane_end`` the number, from 1 on, of a layer's end, whose outputs go into
the mix; ``stem`` the number, from 1 on, of the stem that they go into as well, or 0, and -1 for what works on the whole
mix and so on each stem; its linked inputs in ``moved``; which outputs somebody uses; ``wakes`` 1 where it gives notes
to the voices; ``line`` 1 where it is a delay line of a loop that may run by rows; address, samples, rows and rate of
the sound that it plays."""
VOICE = np.dtype([(name, np.int64) for name in ("gate", "rest_first", "rest_last", "meet_first", "meet_last")])
"""A voice: the row of its gate (-1: it never rests), its places in ``rests`` and ``meets``."""
INPUT = np.dtype(
    [(name, np.int64) for name in ("row", "link_first", "link_last", "octaves")]
    + [(name, np.float64) for name in ("low", "high")]
)
"""An input or parameter: its row, its links, its domain and hard range in that domain."""
LINK = np.dtype([(name, np.int64) for name in ("row", "delayed", "bounded", "curve")])
"""A link: the row that it reads, by how many samples late, whether bent above the loop's ceiling, its curve."""
BASE = np.dtype(
    [("start", np.float64), ("goal", np.float64), ("left", np.int64), ("stale", np.int64), ("pool", np.int64)]
)
"""A base value, gliding from start to goal for ``left`` more samples; stale: the row of a constant in a loop must be
filled; ``pool``: the row of this very constant that all inputs share, or -1."""
AMOUNT = np.dtype(
    [(name, np.float64) for name in ("amount_start", "amount_goal", "offset_start", "offset_goal")]
    + [("left", np.int64)]
)
"""A link's amount and offset, gliding likewise."""


PLACES = ("rows", "states", "memories", "scratch", "levels", "links", "amounts", "live", "series", "mix", "line_phase")
"""Arrays whose addresses compiled code finds in ``Plan.places``, and which of ``PHASES`` a delay line is asked
for."""
PHASES = ("whole", "ask", "read", "write")
"""A delay line in a feedback loop is asked whether all that it gives in this quantum was written before (it leaves 1 or
0 in ``scratch[0]``), then only reads, and when the loop has run it writes; elsewhere it does all at once."""


def word(record: np.dtype[np.void], field: str, index: int = 0) -> int:
    """Place of a field, in words of 8 bytes, in a row of records.

    Parameters
    ----------
    record : dtype
        Kind of record.
    field : str
        Name of the field.
    index : int
        Which record.

    Returns
    -------
    int

    Examples
    --------
    >>> word(MODULE, "address"), word(MODULE, "address", 1) * 8 == MODULE.itemsize
    (0, True)
    """
    fields = record.fields
    assert fields is not None
    return int(index * record.itemsize + fields[field][1]) // 8
