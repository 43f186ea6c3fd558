"""Reverb: a room of any size, from a cupboard to a sluice hall that never falls silent."""

from __future__ import annotations

import math
from math import inf

from numba import njit

from dunefall.base.arrays import Drawn, Memory, Row, Scalar, Scratch, Sound, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Preset, Series, ringing
from dunefall.dsp.maths import exp2, floor, fma, nearest
from dunefall.dsp.network import (
    BANDS,
    BLOCK,
    LINES,
    RATIOS,
    SECTIONS_SIZE,
    fill_row,
    keep_gains,
    mix_rows,
    set_sections,
    swing,
    weaken,
)

__all__ = ["MODULE"]

WRITE, PHASE, BEGUN, FED, FED_TO, GAIN, GAIN_TO, PRE, PRE_TO, SPREAD, SPREAD_TO, STATE = range(12)
SOUND_M_PER_S = 343.0
LARGEST_M, LONGEST_PRE_S = 60.0, 1.0
LINE_S, EARLY_S, PRE_S, DIFFUSER_S = 0.18, 0.2, 1.01, 0.036
DEEPEST_S, SWINGS_S_HZ = 0.0004, 0.00016
"""How far the lines move; where they move fast, no farther than this by the rate, so that they bend no tone by more
than 2 cents on its way (1200 log2(1 + 2 pi times this))."""
SLOWLY = 1.0055
"""By what factor the decay of an octave may change within a quantum: six octaves a second."""
SLIDE, CREEP = 12.0, 0.6
"""Samples by which a line, and its movement, may change within a quantum."""
FIRST_TAPS = (0.211, 0.307, 0.389, 0.467, 0.541, 0.631, 0.719, 0.823)
SECOND_TAPS = (0.233, 0.283, 0.421, 0.443, 0.569, 0.607, 0.761, 0.797)
TAPS = len(FIRST_TAPS)
"""Early reflections to the left and to the right, as shares of the way through the room and back."""
DIFFUSERS_S = (
    0.00477, 0.00360, 0.01273, 0.00931, 0.02171, 0.03313, 0.00463, 0.00377, 0.01241, 0.00967, 0.02293, 0.03109,
)  # fmt: skip
DIFFUSION = (0.7, 0.7, 0.7, 0.7, 0.7, 0.7)
SIX = len(DIFFUSION)
RINGS_OUT, WHOLE_M = -25.0, 20.0
"""An all-pass rings at most for a third of the decay; in smaller rooms than this the long ones do less."""
SET, OF_LINE = 0, SECTIONS_SIZE
DELAY, DELAY_TO, MOVED, BASE = OF_LINE, OF_LINE + LINES, OF_LINE + 2 * LINES, OF_LINE + 3 * LINES
WANTED = OF_LINE + 4 * LINES
FACTORS = WANTED + len(BANDS)
ROWS = FACTORS + SIX
TURNED = ROWS + (LINES + 2) * BLOCK
FIXED = TURNED + LINES * BLOCK


def kernel(
    audio: Row, audio_right: Row, decay_s: Row, size_m: Row, timing: Row, predelay_s: Row, predelay_beats: Row,
    tempo_bpm: Row, early: Row, motion: Row, motion_hz: Row, freeze: Row, width: Row, dry: Row, wet: Row, bands: Drawn,
    out: Row, out_right: Row, state: State, memory: Memory, rate: Scalar, start: int, scratch: Scratch,
) -> None:  # fmt: skip
    """State: place of writing, phase of the movement, whether begun, then what is let in, the late part's gain,
    pre-delay and size, each at the quantum's begin and end. Memory: the weakening; of each line its length at the
    quantum's begin and end, its movement and its length without it; the decay of each octave; factors of the
    diffusers; rows of the samples under way, and room for them turned; rings of the lines, of the diffusers, of the
    early part and of the pre-delay.

    Everything but dry, wet and width is looked at at the begin of each quantum of 64 samples, and goes evenly to it.
    """
    n, write = out.size, int(state[WRITE])
    line, early_size = _ring(LINE_S, rate), _ring(EARLY_S, rate)
    pre_size, diffuser = _ring(PRE_S, rate), _ring(DIFFUSER_S, rate)
    at_lines = FIXED
    at_diffusers = at_lines + LINES * line
    at_early = at_diffusers + 2 * SIX * diffuser
    at_pre = at_early + 2 * early_size
    in_line, in_early, in_pre, in_diffuser = write % line, write % early_size, write % pre_size, write % diffuser
    if start == 0:
        seconds = predelay_s[0] if nearest(timing[0]) == 0.0 else predelay_beats[0] * 60.0 / tempo_bpm[0]
        _begin_quantum(state, memory, decay_s[0], size_m[0], min(seconds, LONGEST_PRE_S), motion[0], motion_hz[0],
                       freeze[0], bands, rate)  # fmt: skip
    sides = ROWS + LINES * BLOCK
    for side in range(2):
        sound, row = (audio, scratch[:n]) if side == 0 else (audio_right, scratch[64 : 64 + n])
        _pass(sound, row, memory, at_pre + side * pre_size, pre_size, in_pre, state[PRE], state[PRE_TO], start,
              scratch[128:])  # fmt: skip
        here = memory[sides + BLOCK * side : sides + BLOCK * side + n]
        _early(row, here, memory, at_early + side * early_size, early_size, in_early, side, state, start, rate,
               scratch[128:])  # fmt: skip
        for k in range(SIX):
            _diffuse(row, memory, at_diffusers + (SIX * side + k) * diffuser, diffuser, in_diffuser,
                     int(DIFFUSERS_S[SIX * side + k] * rate), memory[FACTORS + k])  # fmt: skip
    for k in range(LINES):
        row = memory[ROWS + BLOCK * k : ROWS + BLOCK * k + n]
        fill_row(row, memory, at_lines + k * line, line, in_line, memory[DELAY + k], memory[DELAY_TO + k], start,
                 scratch[128:])  # fmt: skip
    fed, loud = state[FED], state[GAIN]
    if fed > 0.0 or state[FED_TO] > 0.0:
        weaken(memory, SET, ROWS, n, start, TURNED)
    mix_rows(memory, ROWS, n)
    fed_slope = (state[FED_TO] - fed) * (1.0 / BLOCK)
    for k in range(LINES):
        row, place = memory[ROWS + BLOCK * k : ROWS + BLOCK * k + n], at_lines + k * line + in_line
        into, ring = scratch[64 * (k % 2) : 64 * (k % 2) + n], memory[place : place + n]
        sign = 0.25 if k % 4 < 2 else -0.25
        for i in range(n):
            ring[i] = fma(fma(fed_slope, start + i, fed) * sign, into[i], 0.25 * row[i])
    gain_slope = (state[GAIN_TO] - loud) * (1.0 / BLOCK)
    for i in range(n):
        gain = fma(gain_slope, start + i, loud)
        a = fma(early[i], memory[sides + i], gain * memory[ROWS + BLOCK + i])
        b = fma(early[i], memory[sides + BLOCK + i], gain * memory[ROWS + 2 * BLOCK + i])
        middle, side_part = 0.5 * (a + b), 0.5 * width[i] * (a - b)
        out[i] = fma(audio[i], dry[i], (middle + side_part) * wet[i])
        out_right[i] = fma(audio_right[i], dry[i], (middle - side_part) * wet[i])
    state[WRITE] = (write + n) % (BLOCK * 1048576)


@njit(error_model="numpy", forceinline=True)
def _ring(seconds: float, rate: float) -> int:
    """Numbers of a ring: whole quantums, so that none goes over its end."""
    return int(seconds * rate) // BLOCK * BLOCK + BLOCK


@njit(error_model="numpy")
def _begin_quantum(
    state: State, memory: Memory, decay: float, size: float, pre: float, motion: float, hz: float, freeze: float,
    bands: Row, rate: float,
) -> None:  # fmt: skip
    """Where everything that moves shall be at the end of this quantum."""
    first = state[BEGUN] == 0.0
    state[BEGUN] = 1.0
    state[PHASE] += BLOCK * hz / rate
    state[PHASE] -= floor(state[PHASE])
    longest = size * rate / SOUND_M_PER_S
    changed = freeze != 1.0 - state[FED_TO] or first
    for k in range(len(BANDS)):
        wanted = -60.0 / min(max(decay * bands[1 + k], 0.05), 240.0)
        before = memory[WANTED + k]
        wanted = wanted if first else max(min(wanted, before / SLOWLY), before * SLOWLY)
        changed = changed or before != wanted
        memory[WANTED + k] = wanted
    for k in range(LINES):
        goal = max(nearest(longest * RATIOS[k]), BLOCK + 16.0)
        deep = min(DEEPEST_S, SWINGS_S_HZ / hz) * rate * motion * (1.0 - freeze) if k % 2 == 0 else 0.0
        moved = memory[MOVED + k]
        away = deep * swing(state[PHASE], k) - moved
        memory[MOVED + k] = moved + (away if first else min(max(away, -CREEP), CREEP))
        base = memory[BASE + k]
        base = goal if first else base + min(max(goal - base, -SLIDE), SLIDE)
        changed = changed or base != memory[BASE + k]
        memory[BASE + k] = base
        memory[DELAY + k] = base + memory[MOVED + k] if first else memory[DELAY_TO + k]
        settled = base == goal and memory[MOVED + k] == 0.0
        memory[DELAY_TO + k] = goal if settled else base + memory[MOVED + k]
    keep_gains(memory, SET)
    if changed:
        set_sections(memory, SET, memory[BASE : BASE + LINES], memory[WANTED : WANTED + len(BANDS)], 1.0 - freeze, rate)
        if first:
            keep_gains(memory, SET)
    for k in range(SIX):
        most = DIFFUSION[k] * (min(size / WHOLE_M, 1.0) if k >= 4 else 1.0)
        memory[FACTORS + k] = min(most, exp2(RINGS_OUT * DIFFUSERS_S[k] / decay))
    kept = exp2(memory[WANTED + 4] * longest * 0.7 / rate * 0.3321928094887362)
    _go(state, GAIN, math.sqrt(max(1.0 - kept, 1e-4)), first)
    _go(state, FED, 1.0 - freeze, first)
    _go(state, SPREAD, longest, first)
    before = state[PRE_TO]
    wanted_pre = nearest(pre * rate)
    _go(state, PRE, wanted_pre if first else before + min(max(wanted_pre - before, -SLIDE), SLIDE), first)


@njit(error_model="numpy", forceinline=True)
def _go(state: State, place: int, to: float, first: int) -> None:
    """From where it was to a new value."""
    state[place] = to if first else state[place + 1]
    state[place + 1] = to


@njit(error_model="numpy", forceinline=True)
def _pass(
    sound: Sound, row: Row, memory: Memory, first: int, size: int, write: int, before: float, after: float, start: int,
    scratch: Scratch,
) -> None:  # fmt: skip
    """A sound through a ring."""
    ring = memory[first + write : first + write + row.size]
    for i in range(row.size):
        ring[i] = sound[i]
    fill_row(row, memory, first, size, write, before, after, start, scratch)


@njit(error_model="numpy", forceinline=True)
def _early(
    row: Row, heard: Row, memory: Memory, first: int, size: int, write: int, side: int, state: State, start: int,
    rate: float, scratch: Scratch,
) -> None:  # fmt: skip
    """The first reflections of one side, each weaker by its way."""
    ring, one = memory[first + write : first + write + row.size], memory[ROWS : ROWS + row.size]
    for i in range(row.size):
        ring[i] = row[i]
        heard[i] = 0.0
    for k in range(TAPS):
        share = FIRST_TAPS[k] if side == 0 else SECOND_TAPS[k]
        before, after = state[SPREAD] * share, state[SPREAD_TO] * share
        if before == after:
            before = after = floor(before)
        fill_row(one, memory, first, size, write, before, after, start, scratch)
        gain = FIRST_TAPS[0] / share * (0.4 if k % 3 == 0 else -0.4)
        for i in range(row.size):
            heard[i] = fma(gain, one[i], heard[i])


@njit(error_model="numpy", forceinline=True)
def _diffuse(row: Row, memory: Memory, first: int, size: int, write: int, delay: int, factor: float) -> None:
    """An all-pass in place: the same loudness at all frequencies, spread over time."""
    n = row.size
    past = write - delay if write >= delay else write - delay + size
    if past + n <= size:
        old, new = memory[first + past : first + past + n], memory[first + write : first + write + n]
        for i in range(n):
            new[i] = fma(-factor, old[i], row[i])
        for i in range(n):
            row[i] = fma(factor, new[i], old[i])
        return
    for i in range(n):
        here = past + i
        once = memory[first + (here if here < size else here - size)]
        fresh = fma(-factor, once, row[i])
        row[i] = fma(factor, fresh, once)
        memory[first + write + i] = fresh


def _remembers(given: Given) -> float:
    """The pre-delay, then the decay."""
    if given.used("freeze"):
        return inf
    pre = given.values["predelay_s"]
    if nearest(given.values["timing"]) != 0.0:
        pre = given.values["predelay_beats"] * 60.0 / given.values["tempo_bpm"]
    return min(pre, PRE_S) + ringing(given, "decay_s")


MODULE = ModuleSpec(
    id="reverb",
    name="Reverb",
    stage="space",
    sentence="Algorithmic room reverb with size, decay per octave and early reflections.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("decay_s", "Decay", "s", 0.1, 60, 3.5, "Decay time (RT60).", taper="octaves",
              amount=1.0),
        Param("size_m", "Size", "m", 2, LARGEST_M, 24, "Size of the room; changing it bends the pitch of the tail.",
              taper="octaves", amount=0.5),
        Param("timing", "Pre-delay in", "choice", 0, 1, 0, "Seconds, or beats of the tempo.", ("time", "beats")),
        Param("predelay_s", "Pre-delay", "s", 0.0001, LONGEST_PRE_S, 0.02, "Pre-delay.",
              taper="octaves", amount=1.0, shown_when=("timing", (0,))),
        Param("predelay_beats", "Pre-delay", "beats", 1 / 128, 2, 1 / 16, "Pre-delay, up to one second.",
              taper="octaves", amount=1.0, shown_when=("timing", (1,))),
        Param("tempo_bpm", "Tempo", "bpm", 10, 400, 92, follows="tempo"),
        Param("early", "Early", "ratio", 0, 1, 0.5, "Level of the early reflections.", amount=0.3),
        Param("motion", "Motion", "ratio", 0, 1, 0.3, "Modulation of the tail: without it long decays sound metallic.",
              amount=0.3),
        Param("motion_hz", "Motion rate", "hz", 0.02, 4, 0.4, "How fast it moves.", taper="octaves", amount=1.0),
        Param("freeze", "Freeze", "choice", 0, 1, 0, "Holds the tail for ever; nothing new comes in.",
              ("off", "on"), amount=1.0),
        Param("width", "Width", "ratio", 0, 1.2, 1, "Stereo width.", amount=0.3),
        Param("dry", "Dry", "ratio", 0, 1, 0.8, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", 0, 1, 0.35, "How much of the room.", amount=0.3),
    ),
    series=(
        Series("bands", "Decay by octave", "factor", 0.1, 4, (1.1, 1.05, 1.0, 1.0, 1.0, 0.9, 0.7, 0.45),
               "Decay at 63, 125, 250, 500 Hz, 1, 2, 4 and 8 kHz, as shares of the decay time.",
               least=8, most=8),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True, width="width"),),
    state=STATE,
    cached=(BEGUN,),
    memory=FIXED + (LINES + 2 * SIX + 4) * BLOCK,
    memory_s=LINES * LINE_S + 2 * SIX * DIFFUSER_S + 2 * EARLY_S + 2 * PRE_S,
    cycle=Cycle(
        free=lambda g: g.used("motion"), memory_s=_remembers,
    ),
    face="decay_s",
    passes="audio",
    groups=(
        ("Pre-delay", ("timing", "predelay_s", "predelay_beats")),
        ("Motion and width", ("motion", "motion_hz", "width")),
    ),
    words=("room", "hall", "cave", "space", "echo", "ambience", "tail", "freeze", "cathedral"),
    presets=(
        Preset("Small room", "Six metres, half a second.",
               {"size_m": 6.0, "decay_s": 0.5, "predelay_s": 0.004}, ("room", "ambience")),
        Preset("Concert hall", "Forty metres, two and a half seconds.",
               {"size_m": 40.0, "decay_s": 2.5, "predelay_s": 0.025}, ("hall",)),
        Preset("Cathedral", "Sixty metres, nine seconds.",
               {"size_m": 60.0, "decay_s": 9.0, "predelay_s": 0.04}, ("church", "cathedral")),
        Preset("Frozen room", "Holds what is in it for ever.",
               {"freeze": "on"}, ("infinite reverb", "freeze")),
    ),
    sources=("Jot and Chaigne 1991, Digital delay networks (decay by frequency)",
             "Välimäki and Liski 2017, Accurate cascade graphic equalizer (gains solved for together)",
             "Dattorro 1997, Effect design 1 (all-passes at the input)", "ISO 3382-1 (decay time)"),
)  # fmt: skip
