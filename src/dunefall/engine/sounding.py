"""What runs in the audio thread: the player with its steps, start and stop, the limiter, the meter, checkpoints.

No locks and no unbounded work: what is to happen arrives in queues that are emptied at the start of a block; new
programs arrive compiled, with the copying of state prepared.
"""

from __future__ import annotations

import time
import traceback
from collections import deque
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.loudness import ProgrammeLoudness
from dunefall.base.layouts import LAYOUTS, MOST_CHANNELS, layout_of
from dunefall.compiler.loop import NOBODY
from dunefall.compiler.plan import Ints
from dunefall.compiler.records import QUANTUM
from dunefall.dsp.limiter import Limiter
from dunefall.dsp.meter import STATE_SIZE, energies, k_weighting, measure, piece_number, short_term_lufs
from dunefall.dsp.oversampling import oversampler
from dunefall.engine.checkpoints import Checkpoints
from dunefall.engine.devices.clockout import BeatLine
from dunefall.engine.lastminutes import LastMinutes
from dunefall.engine.messages import Monitor
from dunefall.engine.outgoing import Outgoing
from dunefall.engine.shared import SharedState, Status
from dunefall.engine.steady import Steady
from dunefall.patch.take import END
from dunefall.render.known import KnownSound
from dunefall.render.player import NOW, Player, Step

__all__ = ["Sounding"]

CORRELATION_S = 0.4
GAIN_FADE_S = 0.03
"""Fade at start and stop."""
KNOWN_FADE_S = 0.01
LATE_S = 0.001
"""What is played sounds a block and so much later: what a thread may take to hand it over."""
SHARE_ABOVE, ALONE_BELOW = 0.5, 0.15
"""From this load on other threads take part, down to that one."""
_PEAK_FALL = 0.86


class Sounding:
    """The sound of a player on its way to the device.

    Other threads call ``later`` and ``do`` only; ``fill`` is the device's.

    Attributes
    ----------
    last_minutes : LastMinutes
        What was heard, before it is made mono.
    beats : BeatLine
        Where the beats of the patch are, from the present block on.
    outgoing : Outgoing
        What goes to other instruments.
    failure : str
        The error, with its cause, that ended the sound; from then on there is silence.
    """

    def __init__(self, shared: SharedState, rate: float, frames: int, team: Ints = NOBODY) -> None:
        self.rate = rate
        self.player: Player | None = None
        self.checkpoints = Checkpoints(rate)
        self.monitor = Monitor()
        self.failure = ""
        self.beats = BeatLine()
        self.last_minutes = LastMinutes(rate)
        self.outgoing = Outgoing(shared)
        self._shared, self._team, self._together = shared, team, False
        self._known: KnownSound | None = None
        self._leaving: KnownSound | Player | None = None
        self._next: Player | None = None
        self._waiting: list[Step] = []
        self._queue: deque[tuple[Callable[[], None], bool]] = deque()
        self._gain = self._gain_goal = 0.0
        self._fade_s = GAIN_FADE_S
        self._ramp = np.zeros((max(frames, QUANTUM), 1))
        self._before, self._faded = np.zeros((len(self._ramp), MOST_CHANNELS)), 0
        self._mix, self._stereo = np.zeros((len(self._ramp), MOST_CHANNELS)), np.zeros((len(self._ramp), 2))
        self._beats, self._ahead, self._frames = 0.0, Steady(), frames
        self._layout = LAYOUTS[0]
        self._limiter, self._folded = Limiter(rate, channels=MOST_CHANNELS), Limiter(rate)
        self._peaks = np.zeros(MOST_CHANNELS)
        self._meter, self._programme, self._piece = np.zeros(STATE_SIZE), ProgrammeLoudness(), 0
        self._powers = np.zeros(3)
        self._weights, self._phases = k_weighting(rate), oversampler()
        self._measure(self._mix[:1])
        self._limiter.process(self._mix[:1])
        shared.status[Status.RATE] = rate
        shared.status[Status.LUFS] = -np.inf
        shared.status[Status.REDUCTION] = 1.0

    def later(self, act: Callable[[], None], *, after_fade: bool = False) -> None:
        """Let the audio thread call ``act`` at the start of a block; in order, and if so asked not before a fade-out
        that has begun has ended."""
        self._queue.append((act, after_fade))

    def do(self, step: Step, *, after_fade: bool = False) -> None:
        """Change the sound, in order with the rest."""
        self.later(lambda: self._hand_over(step), after_fade=after_fade)

    def play(self, at_s: float, act: Callable[[Player], None]) -> None:
        """Let something happen that was played at a time: a block later, at its own sample, so that what is played
        keeps its distances; at once while the sound rests.

        Parameters
        ----------
        at_s : float
            When it was played, as ``time.monotonic()`` counts.
        act : function of Player
            Does it.
        """
        self.later(lambda: self._hand_over(Step(self._due(at_s), act)))

    def sound(self, player: Player) -> None:
        """Sound another player from its own position (audio thread)."""
        self.player, self._known, self._next = player, None, None
        self._waiting.clear()
        self._beats = player.position / self.rate * player.tempo_bpm / 60.0
        self._limiter.reset()

    def sound_known(self, known: KnownSound) -> None:
        """What was worked out ahead is heard, faded in over the sound of now, until a player goes on from it (audio
        thread)."""
        self._leaving = self._known or self._next or self.player
        self._known, self._next, self._faded = known, None, 0

    def drop_known(self) -> None:
        """What is known is heard no more, as it is not known where one goes next (audio thread)."""
        if self._known is not None:
            self._wait_no_more(self._join())
            self._known = None

    def go_on_with(self, player: Player) -> None:
        """From its own position on a player sounds instead of what is known (audio thread)."""
        if self._known is None:
            self.player = player
        else:
            self._next = player
        self._wait_no_more(player)

    def set_playing(self, playing: bool, fade_s: float = GAIN_FADE_S) -> None:
        """Fade in, for so many seconds, or out (audio thread)."""
        self._fade_s = fade_s if playing else GAIN_FADE_S
        if playing and self._gain_goal == 0.0:
            self._programme = ProgrammeLoudness()
        self._gain_goal = 1.0 if playing else 0.0
        self._shared.status[Status.PLAYING] = self._gain_goal

    def let_go(self) -> None:
        """Forget all programs (after the device has stopped)."""
        self._queue.clear()
        self.last_minutes.end()
        self.player = None
        self.checkpoints.forget()

    def place_s(self, at_s: float) -> float:
        """Where the sound was, or will be, in seconds from the start, while it plays; in the audio thread's blocks.

        Parameters
        ----------
        at_s : float
            When, as ``time.monotonic()`` counts.

        Returns
        -------
        float
        """
        return at_s + self._ahead.seconds

    @property
    def silent(self) -> bool:
        """Whether the fade-out has ended."""
        return self._gain == 0.0 and self._gain_goal == 0.0

    def fill(self, out: NDArray[np.float64]) -> None:
        """Write the next frames (audio thread); ``out`` has at most the frames that were announced."""
        status = self._shared.status
        status[Status.ENTERED] = time.monotonic()
        try:
            if self.failure:
                out[:] = 0.0
            else:
                self._fill(out)
        except Exception:
            out[:] = 0.0
            self.failure = traceback.format_exc()
        status[Status.ENTERED] = 0.0

    def _fill(self, out: NDArray[np.float64]) -> None:
        begun = time.perf_counter()
        while self._queue:
            act, after_fade = self._queue[0]
            if after_fade and self._gain_goal == 0.0 and not self.silent:
                break
            self._queue.popleft()
            act()
        self.outgoing.mark(float(self._shared.status[Status.ENTERED]), self.player is not None and not self.silent)
        reduction, mix = 1.0, self._mix[: len(out)]
        if self.player is None or self.silent:
            mix[:] = 0.0
            if self._known is not None:
                self._join()
            elif self.player is not None:
                self._come_to_rest(self.player, mix)
        else:
            self._make(self.player, mix)
            self._fade(mix)
            if self.monitor.limited:
                reduction = self._limiter.process(mix, self._layout.channels)
        stereo = self._fold(mix)
        self._count_beats(len(out))
        if self.player is not None and not self.silent:
            self.last_minutes.hear(stereo)
        self._publish(mix, stereo, begun, reduction)
        self._deliver(mix, stereo, out)

    def _count_beats(self, frames: int) -> None:
        """The beats of this block; while the sound rests they rest, too."""
        player = self.player
        per_s = 0.0 if player is None or self.silent else player.tempo_bpm / 60.0
        self.beats = BeatLine(float(self._shared.status[Status.ENTERED]), self._beats, per_s)
        self._beats += per_s * frames / self.rate

    def _make(self, player: Player, mix: NDArray[np.float64]) -> None:
        """The next frames: of the player, or what is known of them, then of the player that goes on from there."""
        known, done = self._known, 0
        if known is not None:
            done = known.fill(mix, END if self._next is None else self._next.position)
            self._layout = known.layout
            self._fade_under(mix[:done])
            if self._next is not None and known.position >= self._next.position:
                player = self._join()
        if done < len(mix):
            player.team = self._team if self._shares() else NOBODY
            self.checkpoints.offer(player)
            player.fill(mix[done:])
            self._layout = layout_of(player.program.patch.layout)

    def _shares(self) -> bool:
        """Whether other threads take part: where one has much to do; a light patch leaves them in peace."""
        self._together = bool(self._shared.status[Status.LOAD] > (ALONE_BELOW if self._together else SHARE_ABOVE))
        return self._together

    def _join(self) -> Player:
        """The player that goes on sounds from now on, if it is there."""
        assert self.player is not None
        if self._next is not None:
            self.player, self._known, self._next = self._next, None, None
        return self.player

    def _fade_under(self, mix: NDArray[np.float64]) -> None:
        """Let the sound of before fade out under the first frames of what is known."""
        length = round(KNOWN_FADE_S * self.rate)
        n = min(length - self._faded, len(mix))
        if n <= 0 or self._leaving is None:
            return
        before, weights = self._before[:n], self._ramp[:n]
        self._leaving.fill(before)
        weights[:, 0] = (length - self._faded - np.arange(n)) / length
        before -= mix[:n]
        before *= weights
        mix[:n] += before
        self._faded += n

    def _come_to_rest(self, player: Player, mix: NDArray[np.float64]) -> None:
        """After a stop: run on, unheard, to where another program can take over, and do what is due."""
        left = min(player.until_rest, len(mix))
        if left:
            player.fill(mix[:left])
            mix[:left] = 0.0
        else:
            player.apply_due()
            self.checkpoints.give(player)

    def _fold(self, mix: NDArray[np.float64]) -> NDArray[np.float64]:
        """The mix for two loudspeakers."""
        channels = self._layout.channels
        if channels == 2:
            return mix[:, :2]
        return np.matmul(mix[:, :channels], self._layout.fold, out=self._stereo[: len(mix)])

    def _deliver(self, mix: NDArray[np.float64], stereo: NDArray[np.float64], out: NDArray[np.float64]) -> None:
        """What the device gets: every channel that it has room for, or all of them folded."""
        channels = self._layout.channels
        if not self.monitor.fold and out.shape[1] >= channels:
            out[:, :channels], out[:, channels:] = mix[:, :channels], 0.0
            return
        if channels > 2 and self.monitor.limited:
            self._folded.process(stereo)
        out[:, :2], out[:, 2:] = stereo, 0.0
        if self.monitor.fold == "mono":
            out[:, :2] = out[:, :2].mean(axis=1, keepdims=True)

    def _judge(self, stereo: NDArray[np.float64]) -> None:
        """Messages about both sides together, and about the whole programme."""
        status, powers = self._shared.status, self._powers
        share = min(1.0, len(stereo) / (CORRELATION_S * self.rate))
        left, right = stereo[:, 0], stereo[:, 1]
        now = np.array([left @ left, right @ right, left @ right]) / len(stereo)
        powers += share * (now - powers)
        both = powers[0] + powers[1]
        status[Status.CORRELATION] = powers[2] / max(float(np.sqrt(powers[0] * powers[1])), 1e-15)
        status[Status.MONO_DB] = 10 * np.log10(max((both + 2 * powers[2]) / max(2 * both, 1e-15), 1e-6))
        piece = piece_number(self._meter)
        if piece != self._piece:
            if self._gain_goal > 0.0:
                self._programme.add(energies(self._meter, self._piece))
            self._piece = piece
            status[Status.MOMENTARY] = self._programme.momentary
            status[Status.LOUDEST] = self._programme.loudest_momentary
            status[Status.INTEGRATED] = self._programme.integrated
            status[Status.RANGE] = self._programme.range_lu

    def _due(self, at_s: float) -> int:
        """The sample at which something sounds that was played at a time; never far ahead, wherever one goes (audio
        thread)."""
        if self.player is None or self.silent:
            return NOW
        now = self.player.position if self._known is None else self._known.position
        late = self._frames + round(LATE_S * self.rate)
        return min(max(round(self.place_s(at_s) * self.rate) + late, now), now + 2 * late)

    def _hand_over(self, step: Step) -> None:
        """To what sounds; a note that is played while only what is known sounds waits for the player to come."""
        player = self._next or self.player
        if self._known is not None and self._next is None:
            self._waiting.append(step)
        elif player is not None:
            player.steps.append(step)

    def _wait_no_more(self, player: Player) -> None:
        player.steps.extend(self._waiting)
        self._waiting.clear()

    def _fade(self, out: NDArray[np.float64]) -> None:
        if self._gain == self._gain_goal == 1.0:
            return
        step = (1.0 if self._gain_goal > self._gain else -1.0) / (self._fade_s * self.rate)
        gains = self._ramp[: len(out)]
        gains[:, 0] = np.clip(self._gain + step * np.arange(1, len(out) + 1), 0.0, 1.0)
        out *= gains
        self._gain = float(gains[-1, 0])

    def _measure(self, mix: NDArray[np.float64]) -> float:
        bin_samples, shares = round(self.rate / 100), self._layout.weights
        return float(measure(mix, self._meter, self._weights, self._phases, bin_samples, shares, self._peaks))

    def _publish(self, mix: NDArray[np.float64], stereo: NDArray[np.float64], begun: float, reduction: float) -> None:
        status = self._shared.status
        true = self._measure(mix)
        status[Status.CHANNELS] = self._layout.channels
        shown = status[Status.PEAKS : Status.PEAKS + MOST_CHANNELS]
        np.maximum(self._peaks, shown * _PEAK_FALL, out=shown)
        status[Status.TRUE_PEAK] = max(true, status[Status.TRUE_PEAK] * _PEAK_FALL)
        status[Status.REDUCTION] = min(reduction, 1.0 - (1.0 - status[Status.REDUCTION]) * _PEAK_FALL)
        status[Status.LUFS] = short_term_lufs(self._meter)
        self._judge(stereo)
        if self.player is not None:
            memory = self.player.program.memory
            position = memory.position[0] if self._known is None else self._known.position
            status[Status.POSITION] = position
            self._ahead.follow(float((position - len(mix)) / self.rate - status[Status.ENTERED]))
            self._shared.now[: len(memory.now)] = memory.now[: len(self._shared.now)]
        load = (time.perf_counter() - begun) * self.rate / len(mix)
        status[Status.LOAD] += 0.05 * (load - status[Status.LOAD])
        status[Status.BLOCKS] += 1
