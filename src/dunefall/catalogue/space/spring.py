"""Spring: three springs of wire; high partials run behind the low ones."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, ringing
from dunefall.dsp.lines import read_ring
from dunefall.dsp.maths import exp2, fma
from dunefall.dsp.onepole import one_pole_share, share_for
from dunefall.dsp.reading import get, put
from dunefall.dsp.saturation import saturate
from dunefall.dsp.strike import TO_60_DB

__all__ = ["MODULE"]

WRITE, HIGH, DULL, LOW, ROUND = range(5)
SPRINGS, LANES, ROWS = 3, 4, 60
STATE = ROUND + SPRINGS
ROUNDS_S = (0.0371, 0.0443, 0.0533)
SIDES = (-0.8, 0.0, 0.8)
LONGEST_S, WIDEST_S = 0.13, 0.0003
LOW_HZ, HIGH_HZ, MIDDLE_HZ, LATE_HZ = 70.0, 4200.0, 700.0, 4000.0
KNEE = 1.0


def kernel(
    audio: Row, decay_s: Row, tension: Row, splash: Row, tone: Row, width: Row, dry: Row, wet: Row, out: Row,
    out_right: Row, state: State, memory: Memory, rate: Scalar, moving: Mask,
) -> None:  # fmt: skip
    """State: place of writing, the tone filters, what each spring holds back of the high partials. Memory: for each
    spring a ring, and one for each of its all-passes.

    Each spring is a row of all-passes stretched over some samples, of which the low frequencies come out first, with
    what has come out of it going in again, weaker and turned over, a way to and fro later. The tone is that of what
    goes in, so that what goes round loses as much as the decay says and nothing beside.
    """
    write = int(state[WRITE])
    stretch, size = max(int(WIDEST_S / 3 * rate), 2), int(LONGEST_S * rate)
    at_rows = SPRINGS * size
    low_share = one_pole_share(LOW_HZ, rate)
    turn, step = write % size, write % stretch
    for i in range(out.size):
        if i == 0 or moving & 0b001000:
            high_share = one_pole_share(HIGH_HZ * exp2(2.0 * tone[i] - 1.0), rate)
        if i == 0 or moving & 0b00110:
            slack = exp2(1.0 - 2.0 * tension[i])
            pace = -TO_60_DB / decay_s[i]
        if i == 0 or moving & 0b01010:
            smears = _smearing_s(0.8 * splash[i], MIDDLE_HZ, stretch, rate)
            late = max(_smearing_s(0.8 * splash[i], LATE_HZ, stretch, rate) - smears, 0.0)
            kept = share_for(exp2(2.0 * pace * late), LATE_HZ, rate)  # these take longer for a round
        if i == 0 or moving & 0b01110:
            gain_0 = exp2(pace * (ROUNDS_S[0] * slack + smears))
            gain_1 = exp2(pace * (ROUNDS_S[1] * slack + smears))
            gain_2 = exp2(pace * (ROUNDS_S[2] * slack + smears))
        state[HIGH] = fma(high_share, audio[i] - state[HIGH], state[HIGH])
        state[DULL] = fma(high_share, state[HIGH] - state[DULL], state[DULL])
        state[LOW] = fma(low_share, state[DULL] - state[LOW], state[LOW])
        toned = state[DULL] - state[LOW]
        first = _turned(0, toned, kept, slack, gain_0, turn, size, memory, state, rate)
        second = _turned(1, toned, kept, slack, gain_1, turn, size, memory, state, rate)
        third = _turned(2, toned, kept, slack, gain_2, turn, size, memory, state, rate)
        first, second, third = _dispersed(first, second, third, 0.8 * splash[i], memory, at_rows, step)
        memory[turn], memory[size + turn], memory[2 * size + turn] = first, second, third
        a = b = 0.0
        for s in range(SPRINGS):
            x = first if s == 0 else second if s == 1 else third
            side = SIDES[s] * width[i]
            a, b = fma(0.5 - 0.5 * side, x, a), fma(0.5 + 0.5 * side, x, b)
        out[i], out_right[i] = fma(audio[i], dry[i], a * wet[i]), fma(audio[i], dry[i], b * wet[i])
        turn, step = turn + 1 if turn + 1 < size else 0, step + 1 if step + 1 < stretch else 0
    state[WRITE] = (write + out.size) % (size * stretch)


@njit(error_model="numpy")
def _smearing_s(factor: float, hz: float, stretch: int, rate: float) -> float:
    """Seconds that the row of all-passes delays a frequency (group delay of an all-pass, textbook)."""
    turn = math.cos(2.0 * math.pi * hz * stretch / rate)
    return ROWS * stretch / rate * (1.0 - factor * factor) / (1.0 + 2.0 * factor * turn + factor * factor)


@njit(error_model="numpy", forceinline=True)
def _turned(
    s: int, toned: float, kept: float, slack: float, gain: float, turn: int, size: int, memory: Memory, state: State,
    rate: float,
) -> float:  # fmt: skip
    """What goes into a spring: the sound, and what came out of it a way to and fro ago, turned over."""
    x = read_ring(memory, s * size, size, turn, min(ROUNDS_S[s] * slack * rate, size - 5.0))
    state[ROUND + s] = fma(kept, x - state[ROUND + s], state[ROUND + s])
    return toned - saturate(gain * state[ROUND + s], KNEE)


@njit(error_model="numpy", forceinline=True)
def _dispersed(
    a: float, b: float, c: float, factor: float, memory: Memory, first: int, step: int
) -> tuple[float, float, float]:
    """A sample through the all-passes of all three springs side by side, as each alone waits for itself: their inputs
    and outputs of that time are stored beside each other."""
    d = 0.0
    at = first + 2 * LANES * ROWS * step
    for _ in range(ROWS):
        w = fma(factor, a - get(memory, at + 4), get(memory, at))
        x = fma(factor, b - get(memory, at + 5), get(memory, at + 1))
        y = fma(factor, c - get(memory, at + 6), get(memory, at + 2))
        z = fma(factor, d - get(memory, at + 7), get(memory, at + 3))
        put(memory, at, a)
        put(memory, at + 1, b)
        put(memory, at + 2, c)
        put(memory, at + 3, d)
        put(memory, at + 4, w)
        put(memory, at + 5, x)
        put(memory, at + 6, y)
        put(memory, at + 7, z)
        a, b, c, d = w, x, y, z
        at += 2 * LANES
    return a, b, c


MODULE = ModuleSpec(
    id="spring",
    name="Spring",
    stage="space",
    sentence="Spring reverb: three springs in which each reflection smears into a chirp.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("decay_s", "Decay", "s", 0.2, 10, 2.4, "Decay time (RT60).", taper="octaves",
              amount=1.0),
        Param("tension", "Tension", "ratio", 0, 1, 0.5, "Tighter springs echo sooner.", amount=0.3),
        Param("splash", "Splash", "ratio", 0, 1, 0.8, "Dispersion: how far low frequencies run ahead of high ones.",
              amount=0.2),
        Param("tone", "Tone", "ratio", 0, 1, 0.5, "From dull to bright.", amount=0.3),
        Param("width", "Width", "ratio", 0, 1, 0.7, "Stereo spread of the springs.", amount=0.3),
        Param("dry", "Dry", "ratio", 0, 1, 0.8, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", 0, 1, 0.5, "How much of the springs.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True, width="width"),),
    state=STATE,
    memory=4096,
    memory_s=SPRINGS * LONGEST_S + LANES * ROWS * 2 * WIDEST_S,
    cycle=Cycle(memory_s=lambda g: ringing(g, "decay_s")),
    face="decay_s",
    passes="audio",
    words=("reverb", "twang", "boing", "coil", "splash", "amplifier"),
    sources=("Abel, Berners, Costello and Smith 2006, Spring reverb emulation using dispersive allpass filters "
             "(from memory)",),
)  # fmt: skip
