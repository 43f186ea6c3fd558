"""Spring: three springs of wire; high partials run behind the low ones."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, ringing
from dunefall.dsp.lanefilters import CHAIN, CHAINS, all_pass_chains, all_pass_four
from dunefall.dsp.lanes import LANES, copy_four
from dunefall.dsp.lines import read_ring, read_ring_run, write_run
from dunefall.dsp.maths import exp2, fma
from dunefall.dsp.onepole import one_pole_share, share_for
from dunefall.dsp.reading import get, put
from dunefall.dsp.saturation import saturate_row
from dunefall.dsp.strike import TO_60_DB

__all__ = ["MODULE"]

WRITE, HIGH, DULL, LOW, ROUND = range(5)
SPRINGS, ROWS = CHAINS, 20 * CHAIN
STATE = ROUND + SPRINGS
ROUNDS_S = (0.0371, 0.0443, 0.0533)
SIDES = (-0.8, 0.0, 0.8)
LONGEST_S, STRETCH_S = 0.13, 0.0001
LOW_HZ, HIGH_HZ, MIDDLE_HZ, LATE_HZ = 70.0, 4200.0, 700.0, 4000.0
KNEE = 1.0
ROOM = 96
"""Numbers of a row of samples under way, with those before it."""
OF_SPRING = 3 * ROOM


def kernel(
    audio: Row, decay_s: Row, tension: Row, splash: Row, tone: Row, width: Row, dry: Row, wet: Row, out: Row,
    out_right: Row, state: State, memory: Memory, rate: Scalar, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: place of writing, the tone filters, what each spring holds back of the high partials. Memory: for each
    spring a ring; then, for each spring and each place between its all-passes, the last samples.

    Each spring is a row of all-passes stretched over some samples, of which the low frequencies come out first, with
    what has come out of it going in again, weaker and turned over, a way to and fro later. The tone is that of what
    goes in, so that what goes round loses as much as the decay says and nothing beside.
    """
    n, write = out.size, int(state[WRITE])
    stretch, size = max(int(STRETCH_S * rate), 2), int(LONGEST_S * rate)
    turn = write % size
    toned, factors, rows = scratch[:n], scratch[64 : 64 + n], scratch[128:]
    low_share = one_pole_share(LOW_HZ, rate)
    for i in range(n):
        if i == 0 or moving & 0b001000:
            high_share = one_pole_share(HIGH_HZ * exp2(2.0 * tone[i] - 1.0), rate)
        state[HIGH] = fma(high_share, audio[i] - state[HIGH], state[HIGH])
        state[DULL] = fma(high_share, state[HIGH] - state[DULL], state[DULL])
        state[LOW] = fma(low_share, state[DULL] - state[LOW], state[LOW])
        toned[i], factors[i] = state[DULL] - state[LOW], 0.8 * splash[i]
    _turned(toned, factors, decay_s, tension, rows, stretch, turn, size, memory, state, rate, moving)
    _dispersed(rows, factors, n, stretch, write % stretch, memory, SPRINGS * size)
    first, second, third = rows[stretch:], rows[OF_SPRING + stretch :], rows[2 * OF_SPRING + stretch :]
    for s in range(SPRINGS):
        came = rows[OF_SPRING * s + stretch : OF_SPRING * s + stretch + n]
        write_run(memory[s * size : (s + 1) * size], turn, came)
    for i in range(n):
        a = b = 0.0
        for s in range(SPRINGS):
            x = first[i] if s == 0 else second[i] if s == 1 else third[i]
            side = SIDES[s] * width[i]
            a, b = fma(0.5 - 0.5 * side, x, a), fma(0.5 + 0.5 * side, x, b)
        out[i], out_right[i] = fma(audio[i], dry[i], a * wet[i]), fma(audio[i], dry[i], b * wet[i])
    state[WRITE] = (write + n) % (size * stretch)


@njit(error_model="numpy")
def _smearing_s(factor: float, hz: float, stretch: int, rate: float) -> float:
    """Seconds that the row of all-passes delays a frequency (group delay of an all-pass, textbook)."""
    turn = math.cos(2.0 * math.pi * hz * stretch / rate)
    return ROWS * stretch / rate * (1.0 - factor * factor) / (1.0 + 2.0 * factor * turn + factor * factor)


@njit(error_model="numpy", forceinline=True)
def _turned(
    toned: Row, factors: Row, decay_s: Row, tension: Row, rows: Row, stretch: int, turn: int, size: int, memory: Memory,
    state: State, rate: float, moving: Mask,
) -> None:  # fmt: skip
    """What goes into each spring: the sound, and what came out of it a way to and fro ago, turned over."""
    n = toned.size
    slacks, paces, smears = _free(rows, 0, 1, n), _free(rows, 0, 2, n), _free(rows, 1, 1, n)
    kept, gains = _free(rows, 1, 2, n), _free(rows, 2, 1, n)
    for i in range(n):
        if i == 0 or moving & 0b01110:
            slack, pace = exp2(1.0 - 2.0 * tension[i]), -TO_60_DB / decay_s[i]
            smear = _smearing_s(factors[i], MIDDLE_HZ, stretch, rate)
            late = max(_smearing_s(factors[i], LATE_HZ, stretch, rate) - smear, 0.0)
            keeps = share_for(exp2(2.0 * pace * late), LATE_HZ, rate)  # these take longer for a round
        slacks[i], paces[i], smears[i], kept[i] = slack, pace, smear, keeps
    for s in range(SPRINGS):
        into = rows[OF_SPRING * s + stretch : OF_SPRING * s + stretch + n]
        for i in range(n):
            if i == 0 or moving & 0b01110:
                gain = exp2(paces[i] * (ROUNDS_S[s] * slacks[i] + smears[i]))
            gains[i] = gain
        if moving & 0b00100:
            for i in range(n):
                here = turn + i if turn + i < size else turn + i - size
                into[i] = read_ring(memory, s * size, size, here, min(ROUNDS_S[s] * slacks[i] * rate, size - 5.0))
        else:
            read_ring_run(into, memory, s * size, size, turn, min(ROUNDS_S[s] * slacks[0] * rate, size - 5.0))
        held = state[ROUND + s]
        for i in range(n):
            held = fma(kept[i], into[i] - held, held)
            into[i] = gains[i] * held
        state[ROUND + s] = held
        saturate_row(into, KNEE)
        for i in range(n):
            into[i] = toned[i] - into[i]


@njit(error_model="numpy", forceinline=True)
def _free(rows: Row, s: int, k: int, n: int) -> Row:
    """A row of a spring that holds nothing yet."""
    first = OF_SPRING * s + ROOM * k
    return rows[first : first + n]


@njit(error_model="numpy", forceinline=True)
def _dispersed(rows: Row, factors: Row, n: int, stretch: int, step: int, memory: Memory, first: int) -> None:
    """The samples of all springs through their all-passes: where these are stretched over four samples (up to 49 kHz),
    some after each other at a time; else two, the second four samples behind, so that they need not wait for each
    other. Each row of samples begins with the last ``stretch`` ones before:
    what goes into two all-passes, what lies between, and what comes out."""
    of_spring, after = (ROWS + 1) * stretch, (step + n) % stretch
    if n < LANES:
        for i in range(n):
            _one(rows, stretch + i, factors[i], stretch, (step + i) % stretch, memory, first)
        return
    if stretch == LANES and step == 0 and n % LANES == 0 and n >= CHAIN * LANES:
        for k in range(0, ROWS, CHAIN):
            all_pass_chains(rows, stretch, OF_SPRING, factors, n // LANES, memory, first + stretch * k, of_spring)
        for s in range(SPRINGS):
            copy_four(memory, first + of_spring * s + stretch * ROWS, rows, OF_SPRING * s + n)
        return
    for s in range(SPRINGS):
        _take(rows, OF_SPRING * s, memory, first + of_spring * s, stretch, step)
    fours = n // LANES if stretch >= LANES else 0
    x, y, z = 0, ROOM, 2 * ROOM
    for k in range(0, ROWS, 2):
        for s in range(SPRINGS):
            at, own = first + of_spring * s + stretch * k, OF_SPRING * s
            _take(rows, y + own, memory, at + stretch, stretch, step)
            _take(rows, z + own, memory, at + 2 * stretch, stretch, step)
            _keep(memory, at, rows, x + own + n, stretch, after)
        for four in range(fours + 1):
            i = LANES * four
            for s in range(SPRINGS):
                own = OF_SPRING * s + i
                if four < fours:
                    all_pass_four(rows, x + own, y + own, stretch, factors, i)
                if four > 0:
                    all_pass_four(rows, y + own - LANES, z + own - LANES, stretch, factors, i - LANES)
        for s in range(SPRINGS):
            own = OF_SPRING * s
            for i in range(LANES * fours, n):
                _pass(rows, x + own + i, y + own + i, stretch, get(factors, i))
                _pass(rows, y + own + i, z + own + i, stretch, get(factors, i))
            _keep(memory, first + of_spring * s + stretch * (k + 1), rows, y + own + n, stretch, after)
        x, z = z, x
    for s in range(SPRINGS):
        _keep(memory, first + of_spring * s + stretch * ROWS, rows, x + OF_SPRING * s + n, stretch, after)


@njit(error_model="numpy", forceinline=True)
def _pass(rows: Row, x: int, y: int, stretch: int, factor: float) -> None:
    """One sample through an all-pass."""
    put(rows, y + stretch, fma(factor, get(rows, x + stretch) - get(rows, y), get(rows, x)))


@njit(error_model="numpy", forceinline=True)
def _one(rows: Row, i: int, factor: float, stretch: int, step: int, memory: Memory, first: int) -> None:
    """One sample of all springs through their all-passes, side by side, as each alone waits for itself."""
    a, b, c = rows[i], rows[OF_SPRING + i], rows[2 * OF_SPRING + i]
    second, third = (ROWS + 1) * stretch, 2 * (ROWS + 1) * stretch
    at = first + step
    for _ in range(ROWS):
        x = fma(factor, a - get(memory, at + stretch), get(memory, at))
        y = fma(factor, b - get(memory, at + second + stretch), get(memory, at + second))
        z = fma(factor, c - get(memory, at + third + stretch), get(memory, at + third))
        put(memory, at, a)
        put(memory, at + second, b)
        put(memory, at + third, c)
        a, b, c, at = x, y, z, at + stretch
    memory[at], memory[at + second], memory[at + third] = a, b, c
    rows[i], rows[OF_SPRING + i], rows[2 * OF_SPRING + i] = a, b, c


@njit(error_model="numpy", forceinline=True)
def _take(rows: Row, at: int, memory: Memory, first: int, stretch: int, step: int) -> None:
    """The last samples, of which the oldest stands at ``step`` of a ring, in order."""
    _copy(rows, at, memory, first + step, stretch - step)
    if step > 0:
        _copy(rows, at + stretch - step, memory, first, step)


@njit(error_model="numpy", forceinline=True)
def _keep(memory: Memory, first: int, rows: Row, at: int, stretch: int, step: int) -> None:
    """The other way round."""
    _copy(memory, first + step, rows, at, stretch - step)
    if step > 0:
        _copy(memory, first, rows, at + stretch - step, step)


@njit(error_model="numpy", forceinline=True)
def _copy(to: Row, at: int, source: Row, first: int, count: int) -> None:
    end = first + count
    while first + LANES <= end:
        copy_four(to, at, source, first)
        at, first = at + LANES, first + LANES
    if first < end:
        put(to, at, get(source, first))
    if first + 1 < end:
        put(to, at + 1, get(source, first + 1))
    if first + 2 < end:
        put(to, at + 2, get(source, first + 2))


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
    memory_s=SPRINGS * (LONGEST_S + (ROWS + 1) * STRETCH_S),
    cycle=Cycle(memory_s=lambda g: ringing(g, "decay_s")),
    face="decay_s",
    passes="audio",
    words=("reverb", "twang", "boing", "coil", "splash", "amplifier"),
    sources=("Abel, Berners, Costello and Smith 2006, Spring reverb emulation using dispersive allpass filters "
             "(from memory)",),
)  # fmt: skip
