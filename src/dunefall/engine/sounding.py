"""What runs in the audio thread: the playing program, edits while it sounds, fades, and the meter.

No locks and no unbounded work: edits arrive in a queue that the audio thread empties at the start of a block; new
programs arrive compiled, with the copying of state prepared.
"""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dunefall.compiler.loop import Traces
from dunefall.compiler.program import QUANTUM, Program
from dunefall.compiler.takeover import Takeover
from dunefall.dsp.meter import STATE_SIZE, k_weighting, measure, oversampler, short_term_lufs
from dunefall.engine.shared import SharedState, Status
from dunefall.render.offline import Player

__all__ = ["FADE_S", "Sounding"]

FADE_S = 0.01
"""Cross-fade from one program to the next."""
GAIN_FADE_S = 0.03
"""Fade at start and stop."""
_PEAK_FALL = 0.86


class Sounding:
    """The sound of the playing program.

    Other threads call ``later`` only; ``fill`` is the device's.
    """

    def __init__(self, shared: SharedState, rate: float, frames: int) -> None:
        self.rate = rate
        self.player: Player | None = None
        self._shared = shared
        self._queue: deque[tuple[Callable[[], None], bool]] = deque()
        self._gain = self._gain_goal = 0.0
        self._old: Player | None = None
        self._old_left = 0
        self._old_piece = np.zeros((max(frames, QUANTUM), 2))
        self._ramp = np.zeros((max(frames, QUANTUM), 1))
        self._meter = np.zeros(STATE_SIZE)
        self._weights, self._phases = k_weighting(rate), oversampler()
        self._input_ends = np.zeros(0, np.int64)
        measure(np.zeros((1, 2)), self._meter, self._weights, self._phases, 1 << 30)
        shared.status[Status.RATE] = rate
        shared.status[Status.LUFS] = -np.inf

    def later(self, edit: Callable[[], None], *, once_silent: bool = False) -> None:
        """Let the audio thread call ``edit`` at the start of a block; in order, after a fade-out if so asked."""
        self._queue.append((edit, once_silent))

    def swap(self, program: Program, traces: Traces, takeover: Takeover | None) -> None:
        """Go on with another program (audio thread): state taken over, 10 ms of cross-fade."""
        if self.player is not None and takeover is not None:
            takeover.apply()
            # Both give the same until the old one's last quantum is used up: the fade begins there.
            self._old, self._old_left = self.player, round(FADE_S * self.rate) + self.player.left_over
            self._old.traces = None
        self.player = Player(program, traces)
        self.player.follow(self._old)
        inputs = program.plan.inputs
        self._input_ends = inputs["row"] + QUANTUM - 1

    def set_playing(self, playing: bool) -> None:
        """Fade in or out (audio thread)."""
        self._gain_goal = 1.0 if playing else 0.0
        self._shared.status[Status.PLAYING] = self._gain_goal

    def let_go(self) -> None:
        """Forget all programs (after the device has stopped)."""
        self._queue.clear()
        self.player = self._old = None

    @property
    def silent(self) -> bool:
        """Whether the fade-out has ended."""
        return self._gain == 0.0 and self._gain_goal == 0.0

    def fill(self, out: NDArray[np.float64]) -> None:
        """Write the next frames (audio thread); ``out`` has at most the frames that were announced."""
        begun = time.perf_counter()
        while self._queue and self._old is None:  # edits wait until a cross-fade has ended
            edit, once_silent = self._queue[0]
            if once_silent and not self.silent:
                break
            self._queue.popleft()
            edit()
        if self.player is None or self.silent:
            out[:] = 0.0
            self._old = None  # nobody would hear the cross-fade
        else:
            self.player.fill(out)
            self._cross_fade(out)
            self._fade(out)
        self._publish(out, begun)

    def _cross_fade(self, out: NDArray[np.float64]) -> None:
        if self._old is None:
            return
        n = min(len(out), self._old_left)
        total = round(FADE_S * self.rate)
        old, weight = self._old_piece[:n], self._ramp[:n]
        self._old.fill(old)
        weight[:, 0] = np.arange(self._old_left, self._old_left - n, -1)
        weight /= total
        np.minimum(weight, 1.0, out=weight)
        out[:n] += (old - out[:n]) * weight
        self._old_left -= n
        if self._old_left == 0:
            self._old = None

    def _fade(self, out: NDArray[np.float64]) -> None:
        if self._gain == self._gain_goal == 1.0:
            return
        step = (1.0 if self._gain_goal > self._gain else -1.0) / (GAIN_FADE_S * self.rate)
        gains = self._ramp[: len(out)]
        gains[:, 0] = np.clip(self._gain + step * np.arange(1, len(out) + 1), 0.0, 1.0)
        out *= gains
        self._gain = float(gains[-1, 0])

    def _publish(self, out: NDArray[np.float64], begun: float) -> None:
        status = self._shared.status
        left, right, true = measure(out, self._meter, self._weights, self._phases, round(self.rate / 10))
        status[Status.PEAK_LEFT] = max(left, status[Status.PEAK_LEFT] * _PEAK_FALL)
        status[Status.PEAK_RIGHT] = max(right, status[Status.PEAK_RIGHT] * _PEAK_FALL)
        status[Status.TRUE_PEAK] = max(true, status[Status.TRUE_PEAK] * _PEAK_FALL)
        status[Status.LUFS] = short_term_lufs(self._meter)
        if self.player is not None:
            memory = self.player.program.memory
            status[Status.POSITION] = memory.position[0]
            self._shared.now[: len(self._input_ends)] = memory.rows[self._input_ends]
        load = (time.perf_counter() - begun) * self.rate / len(out)
        status[Status.LOAD] += 0.05 * (load - status[Status.LOAD])
        status[Status.BLOCKS] += 1
        status[Status.HEARTBEAT] = time.monotonic()
