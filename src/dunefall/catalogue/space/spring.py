"""Spring: three springs of wire; high partials run behind the low ones."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, ringing
from dunefall.dsp.lines import read_ring
from dunefall.dsp.maths import exp2, fma
from dunefall.dsp.onepole import one_pole_share, share_for
from dunefall.dsp.saturation import saturate
from dunefall.dsp.strike import TO_60_DB

__all__ = ["MODULE"]

WRITE, HIGH, DULL, LOW, ROUND = range(5)
SPRINGS, ROWS = 3, 60
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
        state[HIGH] = fma(high_share, audio[i] - state[HIGH], state[HIGH])
        state[DULL] = fma(high_share, state[HIGH] - state[DULL], state[DULL])
        state[LOW] = fma(low_share, state[DULL] - state[LOW], state[LOW])
        toned = state[DULL] - state[LOW]
        a = b = 0.0
        for s in range(SPRINGS):
            way = ROUNDS_S[s] * slack
            x = read_ring(memory, s * size, size, turn, min(way * rate, size - 5.0))
            state[ROUND + s] = fma(kept, x - state[ROUND + s], state[ROUND + s])
            x = toned - saturate(exp2(pace * (way + smears)) * state[ROUND + s], KNEE)
            x = _dispersed(x, 0.8 * splash[i], memory, at_rows + 2 * ROWS * (s * stretch + step))
            memory[s * size + turn] = x
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
def _dispersed(x: float, factor: float, memory: Memory, at: int) -> float:
    """A sample through the all-passes of a spring: their inputs and outputs of that time are stored side by side from
    ``at``."""
    for k in range(ROWS):
        y = fma(factor, x - memory[at + 2 * k + 1], memory[at + 2 * k])
        memory[at + 2 * k], memory[at + 2 * k + 1] = x, y
        x = y
    return x


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
    memory_s=SPRINGS * (LONGEST_S + ROWS * 2 * WIDEST_S),
    cycle=Cycle(memory_s=lambda g: ringing(g, "decay_s")),
    face="decay_s",
    passes="audio",
    words=("reverb", "twang", "boing", "coil", "splash", "amplifier"),
    sources=("Abel, Berners, Costello and Smith 2006, Spring reverb emulation using dispersive allpass filters "
             "(from memory)",),
)  # fmt: skip
