"""Grain cloud: what just sounded, in grains, scattered in time, pitch and place."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from dunefall.base.arrays import Key, Mask, Memory, Row, Scalar, Scratch, State
from dunefall.base.language import tr
from dunefall.base.layouts import LAYOUTS
from dunefall.catalogue.declare import Given, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.grains import SHARE, grain_pause
from dunefall.dsp.lines import cubic_weights
from dunefall.dsp.maths import exp2, floor, fma, nearest, sine
from dunefall.dsp.onepole import one_pole_share
from dunefall.dsp.random import philox
from dunefall.dsp.reading import get
from dunefall.dsp.saturation import saturate
from dunefall.dsp.surround import speaker_gains

__all__ = ["MODULE"]

WRITE, WAIT, COUNT, LAST, TURN_AT, HIGH, LOW, READ, HEARD, WEIGHT, STATE = range(11)
GRAINS, FIELDS = 64, 9
FROM, SLOPE, AGE, GROWTH, LEFT, RIGHT, EDGE, LEFT_BEHIND, RIGHT_BEHIND = range(FIELDS)
LONGEST_S = 8.5
ROOT_2 = math.sqrt(2.0)
NEAREST = 68.0
"""Samples that a grain stays behind the place of writing."""
KNEE = 1.0
JUDGED, SHORTEST_S, QUIET = 4.0, 0.05, 1e-12
"""What the grains read is compared with what they make together over so many of their lengths, at least so long."""
MOST_GAIN, BARELY = 8.0, 1e-6
"""A window of so much power is as good as shut."""
LATEST_S, LARGEST_S = 2.0, 2.0
NEARLY_EVEN = 1.0 / 16.0
"""A grain that moves by no more than this against the even way (a semitone) is read in runs."""
FREE = 0.0
MOVES = sum(1 << k for k in (3, 4, 12, 14, 15, 21, 22))
"""Size, rate, softness and the cuts."""
OPEN_HZ, CLOSED_HZ = 20000.0, 10.0
STEPS = np.array((0, 0b111111111111, 0b1, 0b10000001, 0b101010110101, 0b010110101101, 0b010010101001))
"""For each choice of steps the semitones of an octave that are allowed, the lowest bit the root."""


def kernel(
    audio: Row, audio_right: Row, trigger: Row, size_s: Row, density_hz: Row, unevenness: Row, predelay_s: Row,
    spray_s: Row, shift_st: Row, scatter_st: Row, steps: Row, backwards: Row, edge: Row, feedback: Row,
    high_cut_hz: Row, low_cut_hz: Row, freeze: Row, turn_hz: Row, spread: Row, dry: Row, wet: Row, sizing: Row,
    size_share: Row, timing: Row, predelay_beats: Row, tempo_bpm: Row, layout: Row, out: Row, out_right: Row,
    behind: Row, behind_right: Row, state: State, memory: Memory, key: Key, rate: Scalar, moving: Mask,
    scratch: Scratch,
) -> None:  # fmt: skip
    """State: place of writing, samples until the next grain, random numbers drawn, last trigger, how far the cloud has
    turned, the values of the damping filters; the power of what the grains read, of what they make together in mono,
    and how many there are. Memory, for each of 64 grains: how many samples ago it began to read, by
    how much that changes per sample, its age in samples, its growth per sample (0: the grain is over), gains to the
    left and to the right, share of its edges, gains behind; then the ring, in mono: the grains have
    their own places.

    A grain keeps what it was born with; one that finds no free place is left out. What is fed back is as strong as what
    the grains read, however many there are and however alike: so each round has the set gain.
    """
    n, write, first, around = out.size, int(state[WRITE]), GRAINS * FIELDS, layout[0] > 0.5
    size = memory.size - first
    left, right = scratch[:n], scratch[64 : 64 + n]
    powers, weights = scratch[448 : 448 + n], scratch[512 : 512 + n]
    left[:] = right[:] = powers[:] = weights[:] = behind[:] = behind_right[:] = 0.0
    done, wait, last, turn, period = 0, state[WAIT], state[LAST], state[TURN_AT], 1.0 / rate
    for i in range(n):
        wait -= 1.0
        struck, last = trigger[i] > 0.5 and last <= 0.5, trigger[i]
        turn = fma(turn_hz[i], period, turn)
        turn -= floor(turn)
        if struck or wait <= 0.0:
            _sound(memory, first, size, write, done, i, left, right, behind, behind_right, around, scratch)
            done, state[TURN_AT] = i, turn
            length_s = _length_s(sizing[i], size_s[i], size_share[i], density_hz[i])
            late_s = predelay_s[i] if timing[i] < 0.5 else min(predelay_beats[i] * 60.0 / tempo_bpm[i], LATEST_S)
            _bear(memory, state, key, size, max(length_s * rate, 8.0), late_s * rate, spray_s[i] * rate,
                  shift_st[i], scatter_st[i], steps[i], backwards[i], edge[i], spread[i], layout[0])  # fmt: skip
        if wait <= 0.0:
            wait += grain_pause(rate / density_hz[i], unevenness[i], state[COUNT], key)
    state[WAIT], state[LAST], state[TURN_AT] = wait, last, turn
    _sound(memory, first, size, write, done, n, left, right, behind, behind_right, around, scratch)
    for i in range(n):
        if i == 0 or moving & MOVES:
            high = 1.0 if high_cut_hz[i] >= 0.9999 * OPEN_HZ else one_pole_share(high_cut_hz[i], rate)
            low = 0.0 if low_cut_hz[i] <= 1.0001 * CLOSED_HZ else one_pole_share(low_cut_hz[i], rate)
            length_s = _length_s(sizing[i], size_s[i], size_share[i], density_hz[i])
            level = 1.0 / math.sqrt(max(length_s * density_hz[i], 1.0))
            judge = 1.0 / (rate * max(JUDGED * length_s, 2.0 / density_hz[i], SHORTEST_S))
        both = 0.5 * (left[i] + right[i] + (behind[i] + behind_right[i]))
        fed = saturate(feedback[i] * _damped(_even(both, powers[i], weights[i], judge, state), high, low, state),
                       KNEE)  # fmt: skip
        gain = level * wet[i]
        if freeze[i] < 0.5:  # on the way to it and back the sound fades, so that no seam is heard
            open_by = 1.0 - 2.0 * freeze[i]
            memory[first + write] = open_by * (0.5 * (audio[i] + audio_right[i]) + fed)
            write = write + 1 if write + 1 < size else 0
        else:
            _hold(memory)
        out[i], out_right[i] = fma(audio[i], dry[i], left[i] * gain), fma(audio_right[i], dry[i], right[i] * gain)
        behind[i], behind_right[i] = behind[i] * gain, behind_right[i] * gain
    state[WRITE] = write


@njit(error_model="numpy", forceinline=True)
def _length_s(sizing: float, seconds: float, share: float, density_hz: float) -> float:
    """Length of a grain: set, or a share of the mean distance between two."""
    return fma(sizing, min(share / density_hz, LARGEST_S) - seconds, seconds)


@njit(error_model="numpy", forceinline=True)
def _even(both: float, power: float, weight: float, judge: float, state: State) -> float:
    """What the grains make together in mono, as strong as what each of them reads. Where they leave gaps, each is as
    strong as if there were none."""
    state[READ] = fma(judge, power - state[READ], state[READ])
    state[WEIGHT] = fma(judge, weight - state[WEIGHT], state[WEIGHT])
    state[HEARD] = fma(judge, both * both - state[HEARD], state[HEARD])
    if state[HEARD] < QUIET * QUIET:
        return both
    return both * min(math.sqrt(state[READ] / (max(state[WEIGHT], 1.0) * state[HEARD])), MOST_GAIN)


@njit(error_model="numpy", forceinline=True)
def _hold(memory: Memory) -> None:
    """While nothing is written, the past does not move away: each grain's way is a sample shorter."""
    for g in range(GRAINS):
        memory[FIELDS * g + FROM] -= 1.0


@njit(error_model="numpy", forceinline=True)
def _sound(
    memory: Memory, first: int, size: int, write: int, begin: int, end: int, left: Row, right: Row, behind: Row,
    behind_right: Row, around: bool, scratch: Scratch,
) -> None:  # fmt: skip
    """All grains over some samples, added to both rows: window and weights row by row, then what is read."""
    count = end - begin
    places, low, here, high, far, windows = (
        scratch[128 : 128 + count], scratch[192 : 192 + count], scratch[256 : 256 + count], scratch[320 : 320 + count],
        scratch[384 : 384 + count], scratch[576 : 576 + count],
    )  # fmt: skip
    powers, weights = scratch[448 + begin : 448 + end], scratch[512 + begin : 512 + end]
    for g in range(GRAINS):
        h = FIELDS * g
        growth = memory[h + GROWTH]
        if growth == 0.0:
            continue
        age, start, slope = memory[h + AGE], memory[h + FROM], memory[h + SLOPE]
        gain, gain_right, steep = memory[h + LEFT], memory[h + RIGHT], 1.0 / max(0.5 * memory[h + EDGE], 1e-3)
        now = float(write + begin)
        for i in range(count):
            old = age + i
            share = old * growth
            near = min(max(min(share, 1.0 - share), 0.0) * steep, 1.0)
            window = near * near * fma(-2.0, near, 3.0)
            windows[i] = window * window
            place = (now + i) - fma(slope, old, start)
            whole = floor(place)
            a, b, c, d = cubic_weights(place - whole)
            places[i], low[i], here[i], high[i], far[i] = whole, window * a, window * b, window * c, window * d
        inside = min(places[0], places[count - 1]) >= 1.0 and max(places[0], places[count - 1]) < size - 2.0
        if inside and abs(slope) < NEARLY_EVEN:
            _read_runs(memory, first, places, low, here, high, far)
        elif inside:
            for i in range(count):
                k = first + int(places[i])
                low[i] = fma(far[i], get(memory, k + 2), fma(high[i], get(memory, k + 1),
                             fma(low[i], get(memory, k - 1), here[i] * get(memory, k))))  # fmt: skip
        else:
            for i in range(count):
                k = int(places[i])
                before, at, after, later = _in(k - 1, size), _in(k, size), _in(k + 1, size), _in(k + 2, size)
                low[i] = fma(far[i], memory[first + later], fma(high[i], memory[first + after],
                             fma(low[i], memory[first + before], here[i] * memory[first + at])))  # fmt: skip
        for i in range(count):
            left[begin + i] = fma(gain, low[i], left[begin + i])
            right[begin + i] = fma(gain_right, low[i], right[begin + i])
        if around:
            gain, gain_right = memory[h + LEFT_BEHIND], memory[h + RIGHT_BEHIND]
            for i in range(count):
                behind[begin + i] = fma(gain, low[i], behind[begin + i])
                behind_right[begin + i] = fma(gain_right, low[i], behind_right[begin + i])
        for i in range(count):
            per = 1.0 / (windows[i] + BARELY)
            powers[i] = fma(low[i] * low[i], per, powers[i])
            weights[i] = fma(windows[i], per, weights[i])
        memory[h + AGE] = age + count
        if (age + count) * growth >= 1.0:
            memory[h + GROWTH] = 0.0


@njit(error_model="numpy")
def _read_runs(memory: Memory, first: int, places: Row, low: Row, here: Row, high: Row, far: Row) -> None:
    """What is read where nearly all places follow each other: run by run, without looking at each of them. A place's
    distance from where it would be in an even row only grows, or only shrinks, so that the end of a run is found by
    halving."""
    begin, count = 0, places.size
    while begin < count:
        ahead, last, end = places[begin] - begin, begin, count
        if places[count - 1] - (count - 1) != ahead:
            while end - last > 1:
                middle = (last + end) // 2
                if places[middle] - middle == ahead:
                    last = middle
                else:
                    end = middle
        k = first + int(places[begin])
        row, a, b = memory[k - 1 : k + 2 + end - begin], low[begin:end], here[begin:end]
        c, d = high[begin:end], far[begin:end]
        for i in range(end - begin):
            a[i] = fma(d[i], row[i + 3], fma(c[i], row[i + 2], fma(a[i], row[i], b[i] * row[i + 1])))
        begin = end


@njit(error_model="numpy", forceinline=True)
def _in(at: int, size: int) -> int:
    return at + size if at < 0 else at - size if at >= size else at


@njit(error_model="numpy", forceinline=True)
def _bear(
    memory: Memory, state: State, key: Key, size: int, length: float, predelay: float, spray: float, shift: float,
    scatter: float, steps: float, backwards: float, edge: float, spread: float, layout: float,
) -> None:  # fmt: skip
    """A grain in the first free place."""
    h = -1
    for g in range(GRAINS):
        if h < 0 and memory[FIELDS * g + GROWTH] == 0.0:
            h = FIELDS * g
    a, b, c, d = philox(key, np.uint64(state[COUNT]), np.uint64(0))
    state[COUNT] += 1.0
    if h < 0:
        return
    away = _on_steps(fma(scatter, 2.0 * SHARE * b - 1.0, shift), steps)
    speed = exp2(away * (1.0 / 12.0))
    speed = -speed if SHARE * c < backwards else speed
    reach = length * max(speed - 1.0, 0.0)
    start = NEAREST + reach + predelay + spray * SHARE * a
    most = size - 8.0 - length * max(1.0 - speed, 0.0)
    memory[h + FROM], memory[h + SLOPE] = max(min(start, most), NEAREST + reach), 1.0 - speed
    memory[h + AGE], memory[h + GROWTH], memory[h + EDGE] = 0.0, 1.0 / length, edge
    turned = fma(spread, SHARE * d - 0.5, state[TURN_AT])
    if layout > 0.5:
        front, right, _, back, back_right = speaker_gains(360.0 * turned, 0.0, int(layout + 0.5))
        memory[h + LEFT], memory[h + RIGHT] = ROOT_2 * front, ROOT_2 * right
        memory[h + LEFT_BEHIND], memory[h + RIGHT_BEHIND] = ROOT_2 * back, ROOT_2 * back_right
        return
    side = sine(turned)
    angle = 0.125 + 0.125 * side
    memory[h + LEFT], memory[h + RIGHT] = ROOT_2 * sine(angle + 0.25), ROOT_2 * sine(angle)


@njit(error_model="numpy", forceinline=True)
def _on_steps(away: float, steps: float) -> float:
    """The nearest allowed number of semitones, the lower one of two that are as near."""
    kind = nearest(steps)
    if kind == FREE:
        return away
    allowed, best, least = STEPS[int(kind)], 0.0, 1e9
    whole = nearest(away)
    for k in range(25):
        step = whole + (k - 12)
        if allowed >> int(step - 12.0 * floor(step * (1.0 / 12.0))) & 1 and abs(step - away) < least:
            best, least = step, abs(step - away)
    return best


@njit(error_model="numpy", forceinline=True)
def _damped(x: float, high: float, low: float, state: State) -> float:
    """A sample through both damping filters."""
    state[HIGH] = fma(high, x - state[HIGH], state[HIGH])
    state[LOW] = fma(low, state[HIGH] - state[LOW], state[LOW])
    return state[HIGH] - state[LOW]


def _warning(given: Given) -> str:
    gain = given.values["feedback"]
    if gain >= 1.0:
        return tr("Feedback is {gain:.0f} %: the cloud does not die away; saturation alone holds its level.",
                  gain=100 * gain)  # fmt: skip
    if "feedback" in given.linked and gain > 0.7:
        return tr("Feedback is moved and may pass 100 %: the cloud would not die away then.")
    return ""


MODULE = ModuleSpec(
    id="grain-cloud",
    name="Grain cloud",
    stage="space",
    sentence="Breaks live sound into grains and scatters them in time, pitch and space around you.",
    kernel=kernel,
    inputs=(
        Input("audio", "Audio", "audio", stereo=True),
        Input("trigger", "Trigger", "gate", "Each rising edge adds a grain to the regular ones."),
    ),
    params=(
        Param("size_s", "Size", "s", 0.005, LARGEST_S, 0.15, "Length of a grain.", taper="octaves", amount=1.0,
              shown_when=("sizing", (0,))),
        Param("density_hz", "Rate", "hz", 0.1, 300, 24, "Grains per second.", taper="octaves", amount=1.0),
        Param("unevenness", "Unevenness", "ratio", 0, 1, 0.6, "From regular timing to random timing, like rain.",
              amount=0.3),
        Param("predelay_s", "Pre-delay", "s", 0.0001, LATEST_S, 0.0001, "Minimum delay of the grains.",
              taper="octaves", amount=1.0, shown_when=("timing", (0,))),
        Param("spray_s", "Spray", "s", 0.0001, 6, 0.4, "Random delay added to it.", taper="octaves",
              amount=1.0),
        Param("shift_st", "Pitch", "st", -24, 24, 0, "Semitones up or down.", amount=12.0),
        Param("scatter_st", "Scatter", "st", 0, 24, 0.1, "Random detuning of each grain.", amount=5.0),
        Param("steps", "Steps", "choice", 0, 6, 0, "Intervals to which scattered pitches snap.",
              ("free", "semitones", "octaves", "fifths", "major", "minor", "pentatonic")),
        Param("backwards", "Backwards", "ratio", 0, 1, 0.2, "Share of grains played in reverse.", amount=0.5),
        Param("edge", "Softness", "ratio", 0, 1, 1, "Share of each grain used for its fades.", amount=0.3),
        Param("feedback", "Feedback", "ratio", 0, 1.1, 0, "Grains of grains: how strong each round is, whatever size "
              "and rate; above 100 % it builds up but stays bounded.", amount=0.3),
        Param("high_cut_hz", "High cut", "hz", 200, OPEN_HZ, 9000, "Low-pass in the feedback: each pass gets "
              "duller; 20 kHz: off.",
              taper="octaves", amount=1.0),
        Param("low_cut_hz", "Low cut", "hz", CLOSED_HZ, 2000, 60, "High-pass in the feedback: each pass gets "
              "thinner; 10 Hz: off.",
              taper="octaves", amount=1.0),
        Param("freeze", "Freeze", "choice", 0, 1, 0, "Freezes the recorded sound; nothing new comes in.", ("off", "on"),
              amount=1.0),
        Param("turn_hz", "Turning", "shift", -2, 2, 0.05, "Rotation of the cloud around you; negative turns left.",
              amount=0.2),
        Param("spread", "Spread", "ratio", 0, 1, 0.6, "Angular spread of the grains.", amount=0.3),
        Param("dry", "Dry", "ratio", 0, 1, 0.6, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", 0, 1, 0.8, "How much of the cloud.", amount=0.3),
        Param("sizing", "Size in", "choice", 0, 1, 0, "Seconds, or a share of the mean distance between grains.",
              ("time", "share of the distance")),
        Param("size_share", "Size", "ratio", 0.05, 16, 1, "Length of a grain: at 100 % the next one begins where one "
              "ends.", taper="octaves", amount=1.0, shown_when=("sizing", (1,))),
        Param("timing", "Pre-delay in", "choice", 0, 1, 0, "Seconds, or beats of the tempo.", ("time", "beats")),
        Param("predelay_beats", "Pre-delay", "beats", 1 / 64, 8, 0.5, "Minimum delay of the grains, up to 2 s.",
              taper="octaves", amount=1.0, shown_when=("timing", (1,))),
        Param("tempo_bpm", "Tempo", "bpm", 10, 400, 92, follows="tempo"),
        Param("layout", "Layout", "choice", 0, 2, 0, "The loudspeakers of the patch.",
              tuple(layout.name for layout in LAYOUTS), follows="layout"),
    ),
    outputs=(
        Output("out", "Audio", "audio", stereo=True, width="spread"),
        Output("behind", "Behind", "audio", stereo=True),
    ),
    state=STATE,
    memory=GRAINS * FIELDS + 256,
    memory_s=LONGEST_S,
    face="size_s",
    passes="audio",
    warning=_warning,
    groups=(
        ("Timing", ("sizing", "unevenness", "timing", "predelay_s", "predelay_beats", "spray_s", "trigger")),
        ("Pitch and direction", ("scatter_st", "steps", "backwards")),
        ("Edge and tone", ("edge", "high_cut_hz", "low_cut_hz")),
        ("Freeze and place", ("freeze", "turn_hz", "spread")),
    ),
    words=("granular", "cloud", "particles", "scatter", "freeze", "texture", "dust"),
    presets=(
        Preset("Shimmer", "Grains an octave higher, fed back.",
               {"shift_st": 12.0, "feedback": 0.5, "size_s": 0.3, "wet": 0.6}, ("shimmering", "angelic")),
        Preset("Frozen grains", "Holds the last seconds and plays grains of them.",
               {"freeze": "on", "dry": 0.0}, ("freeze", "stretch")),
    ),
    sources=("Roads 2001, Microsound (granular synthesis, from memory)",
             "Tukey 1967 (tapered window; here by a cubic)"),
)  # fmt: skip
