"""The limiter at the output: keeps true peaks under a ceiling, looking ahead so that nothing is cut off.

Method: the gain that each sample needs is held as a minimum over the time of looking ahead, let go slowly, and
smoothed by a moving mean of the same length, so that it has arrived when the peak does. Peaks between samples are
those of ``dsp.oversampling``. Where nothing is too loud, the sound passes bit for bit, later by
``latency`` samples.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from dunefall.base.arrays import Grid, Row, State
from dunefall.dsp.cache import cached_njit
from dunefall.dsp.oversampling import CENTRE, HEADROOM, TAPS, between, oversampler

__all__ = ["CEILING_DB", "Limiter"]

CEILING_DB = -1.0
LOOK_AHEAD_S = 0.0015
RELEASE_S = 0.12
MARGIN_DB = 0.25
"""What the gain moves within the filter's length."""
EDGES = 2.0
"""What lies at half the sample rate counts by so much more than it measures."""
LET_GO = 0.9999
"""From here on the gain is 1 again: the last step is 80 dB below the sound."""
AT, MEAN, BELOW, RELEASED, FIRST, LAST, LOUD, FIELDS = range(8)


class Limiter:
    """Works on blocks of frames (n, channels) in place; n may be anything. One gain holds for all channels.

    Parameters
    ----------
    rate : float
        Sample rate in Hz.
    channels : int
        What a block holds.
    ceiling_db : float [-24, 0]
        Highest true peak in dBTP.
    """

    def __init__(self, rate: float, ceiling_db: float = CEILING_DB, channels: int = 2) -> None:
        self._window = max(8, round(LOOK_AHEAD_S * rate))
        self.latency = self._window + CENTRE
        """Samples by which the sound comes out later."""
        self._ceiling = 10 ** ((ceiling_db - MARGIN_DB) / 20)
        self._letting_go = 1.0 - math.exp(-1.0 / (RELEASE_S * rate))
        self._phases = oversampler()
        self._state = np.zeros(FIELDS)
        self._line = np.zeros((self.latency + 1, channels))
        self._gains = np.ones(self._window)
        self._queue = np.zeros((self._window + 1, 2))
        self._recent = np.zeros((channels, 2 * TAPS))  # each sample twice, so that the last ones stand in a row
        self.reset()

    def reset(self) -> None:
        """Silence in the line, no reduction."""
        self._state[:] = 0.0
        self._state[MEAN] = self._window
        self._state[RELEASED] = 1.0
        self._line[:], self._gains[:], self._recent[:] = 0.0, 1.0, 0.0

    def process(self, block: NDArray[np.float64], used: int = 0) -> float:
        """Limit a block in place; returns the lowest gain in it, 1.0 where nothing was reduced. Of its channels the
        first ``used`` hold sound (0: all of them): the others pass unchanged."""
        return float(
            _limit(
                block, used or block.shape[1], self._state, self._line, self._gains, self._queue, self._recent,
                self._phases, self._ceiling, self._letting_go,
            )
        )  # fmt: skip


@cached_njit()
def _limit(
    block: Grid, used: int, state: State, line: Grid, gains: Row, queue: Grid, recent: Grid, phases: Row,
    ceiling: float, letting_go: float,
) -> float:  # fmt: skip
    window, size, lowest = gains.size, line.shape[0], 1.0
    at, mean, below, released = int(state[AT]), state[MEAN], int(state[BELOW]), state[RELEASED]
    first, last, loud = int(state[FIRST]), int(state[LAST]), int(state[LOUD])
    for i in range(block.shape[0]):
        here = at % TAPS
        loud -= 1
        for c in range(used):
            recent[c, here] = recent[c, here + TAPS] = block[i, c]
            loud = TAPS if abs(block[i, c]) * HEADROOM > ceiling else loud
        needed = 1.0
        if loud > 0:
            needed = min(1.0, ceiling / max(between(recent, here + 1, used, phases, EDGES), 1e-12))
        # The lowest of the last ``window`` gains: a queue in which each is lower than those behind it.
        while last > first and queue[(last - 1) % (window + 1), 0] >= needed:
            last -= 1
        queue[last % (window + 1), 0], queue[last % (window + 1), 1] = needed, at
        last += 1
        while queue[first % (window + 1), 1] <= at - window:
            first += 1
        held = queue[first % (window + 1), 0]
        released = held if held < released else released + (held - released) * letting_go
        released = 1.0 if released > LET_GO and held == 1.0 else released
        before = gains[at % window]
        below += (1 if released != 1.0 else 0) - (1 if before != 1.0 else 0)
        mean = float(window) if below == 0 else mean + released - before
        gains[at % window] = released
        gain = min(mean / window, 1.0)
        lowest = min(lowest, gain)
        place = at % size
        for c in range(used):
            line[place, c] = block[i, c]
            block[i, c] = line[(at + 1) % size, c] * gain
        at += 1
    state[AT], state[MEAN], state[BELOW], state[RELEASED] = at, mean, below, released
    state[FIRST], state[LAST], state[LOUD] = first, last, max(loud, 0)
    return lowest
