"""What runs in the audio thread: the player with its steps, start and stop, the limiter, the meter, checkpoints.

No locks and no unbounded work: what is to happen arrives in queues that are emptied at the start of a block; new
programs arrive compiled, with the copying of state prepared.
"""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.loudness import ProgrammeLoudness
from dunefall.compiler.program import QUANTUM
from dunefall.dsp.limiter import Limiter
from dunefall.dsp.meter import STATE_SIZE, energies, k_weighting, measure, oversampler, piece_number, short_term_lufs
from dunefall.engine.checkpoints import Checkpoints
from dunefall.engine.shared import SharedState, Status
from dunefall.render.player import Player, Step

__all__ = ["Sounding"]

CORRELATION_S = 0.4
GAIN_FADE_S = 0.03
"""Fade at start and stop."""
_PEAK_FALL = 0.86


class Sounding:
    """The sound of a player on its way to the device.

    Other threads call ``later`` and ``do`` only; ``fill`` is the device's.
    """

    def __init__(self, shared: SharedState, rate: float, frames: int) -> None:
        self.rate = rate
        self.player: Player | None = None
        self.checkpoints = Checkpoints(rate)
        self.limited, self.mono = True, False
        self._shared = shared
        self._queue: deque[tuple[Callable[[], None], bool]] = deque()
        self._gain = self._gain_goal = 0.0
        self._ramp = np.zeros((max(frames, QUANTUM), 1))
        self._limiter = Limiter(rate)
        self._meter, self._programme, self._piece = np.zeros(STATE_SIZE), ProgrammeLoudness(), 0
        self._powers = np.zeros(3)
        self._weights, self._phases = k_weighting(rate), oversampler()
        measure(np.zeros((1, 2)), self._meter, self._weights, self._phases, 1 << 30)
        self._limiter.process(np.zeros((1, 2)))
        shared.status[Status.RATE] = rate
        shared.status[Status.LUFS] = -np.inf
        shared.status[Status.REDUCTION] = 1.0

    def later(self, act: Callable[[], None], *, once_silent: bool = False) -> None:
        """Let the audio thread call ``act`` at the start of a block; in order, after a fade-out if so asked."""
        self._queue.append((act, once_silent))

    def do(self, step: Step) -> None:
        """Change the sound, in order with the rest."""
        self.later(lambda: self._hand_over(step))

    def sound(self, player: Player) -> None:
        """Sound another player from its own position (audio thread)."""
        self.player = player
        self._limiter.reset()

    def set_playing(self, playing: bool) -> None:
        """Fade in or out (audio thread)."""
        if playing and self._gain_goal == 0.0:
            self._programme = ProgrammeLoudness()
        self._gain_goal = 1.0 if playing else 0.0
        self._shared.status[Status.PLAYING] = self._gain_goal

    def let_go(self) -> None:
        """Forget all programs (after the device has stopped)."""
        self._queue.clear()
        self.player = None
        self.checkpoints.forget()

    @property
    def silent(self) -> bool:
        """Whether the fade-out has ended."""
        return self._gain == 0.0 and self._gain_goal == 0.0

    def fill(self, out: NDArray[np.float64]) -> None:
        """Write the next frames (audio thread); ``out`` has at most the frames that were announced."""
        begun = time.perf_counter()
        while self._queue:
            act, once_silent = self._queue[0]
            if once_silent and not self.silent:
                break
            self._queue.popleft()
            act()
        reduction = 1.0
        if self.player is None or self.silent:
            out[:] = 0.0
            if self.player is not None:
                self.player.apply_due()
        else:
            self.checkpoints.offer(self.player)
            self.player.fill(out)
            self._fade(out)
            if self.limited:
                reduction = self._limiter.process(out)
        self._publish(out, begun, reduction)
        if self.mono:
            out[:] = out.mean(axis=1, keepdims=True)

    def _judge(self, out: NDArray[np.float64]) -> None:
        """What is said of both sides together, and of the whole programme."""
        status, powers = self._shared.status, self._powers
        share = min(1.0, len(out) / (CORRELATION_S * self.rate))
        left, right = out[:, 0], out[:, 1]
        now = np.array([left @ left, right @ right, left @ right]) / len(out)
        powers += share * (now - powers)
        both = powers[0] + powers[1]
        status[Status.CORRELATION] = powers[2] / max(float(np.sqrt(powers[0] * powers[1])), 1e-15)
        status[Status.MONO_DB] = 10 * np.log10(max((both + 2 * powers[2]) / max(2 * both, 1e-15), 1e-6))
        piece = piece_number(self._meter)
        if piece != self._piece:
            for energy in energies(self._meter, self._piece):
                if self._gain_goal > 0.0:
                    self._programme.add(energy)
            self._piece = piece
            status[Status.MOMENTARY] = self._programme.momentary
            status[Status.INTEGRATED] = self._programme.integrated
            status[Status.RANGE] = self._programme.range_lu

    def _hand_over(self, step: Step) -> None:
        if self.player is not None:
            self.player.steps.append(step)

    def _fade(self, out: NDArray[np.float64]) -> None:
        if self._gain == self._gain_goal == 1.0:
            return
        step = (1.0 if self._gain_goal > self._gain else -1.0) / (GAIN_FADE_S * self.rate)
        gains = self._ramp[: len(out)]
        gains[:, 0] = np.clip(self._gain + step * np.arange(1, len(out) + 1), 0.0, 1.0)
        out *= gains
        self._gain = float(gains[-1, 0])

    def _publish(self, out: NDArray[np.float64], begun: float, reduction: float) -> None:
        status = self._shared.status
        left, right, true = measure(out, self._meter, self._weights, self._phases, round(self.rate / 10))
        status[Status.PEAK_LEFT] = max(left, status[Status.PEAK_LEFT] * _PEAK_FALL)
        status[Status.PEAK_RIGHT] = max(right, status[Status.PEAK_RIGHT] * _PEAK_FALL)
        status[Status.TRUE_PEAK] = max(true, status[Status.TRUE_PEAK] * _PEAK_FALL)
        status[Status.REDUCTION] = min(reduction, 1.0 - (1.0 - status[Status.REDUCTION]) * _PEAK_FALL)
        status[Status.LUFS] = short_term_lufs(self._meter)
        self._judge(out)
        if self.player is not None:
            memory = self.player.program.memory
            status[Status.POSITION] = memory.position[0]
            self._shared.now[: len(memory.now)] = memory.now[: len(self._shared.now)]
        load = (time.perf_counter() - begun) * self.rate / len(out)
        status[Status.LOAD] += 0.05 * (load - status[Status.LOAD])
        status[Status.BLOCKS] += 1
