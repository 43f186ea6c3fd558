"""Delay: echoes, from a thickening to minutes of memory."""

from __future__ import annotations

from collections.abc import Mapping
from math import inf

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, Scratch, State
from dunefall.base.language import tr
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Preset, fed_back
from dunefall.dsp.lanes import fetch
from dunefall.dsp.lines import LONG, long_weights, read_long, read_ring
from dunefall.dsp.maths import exp2, fma, nearest, sine, smooth_step
from dunefall.dsp.onepole import one_pole_share
from dunefall.dsp.reading import get
from dunefall.dsp.saturation import saturate, saturate_row
from dunefall.dsp.triggers import unchanged

__all__ = ["MODULE"]

WRITE, DELAY, NEXT, FADE, SINCE, ENDING, LAST, HEAD = range(8)
HIGH, LOW, CUT, SHARE, STATE = 8, 10, 12, 13, 14
ASK, READ = 1, 2
SPANS_S = (0.05, 2.5, 20.0, 20.0, 20.0)
TIMES = ("short_s", "time_s", "long_s", "time_beats", "any_s")
BEATS, ANY = 3.0, 4.0
BEND = 0.5  # the reading place moves by at most this many samples per sample: the pitch of a moving tape
CREEP = 0.002
FORGETS = 0.999
FADE_S, CLEAR_S = 0.03, 0.01
WEIGHTS = slice(128, 128 + 2 * LONG)
EDGE = 64.0
"""Samples over which the sound begins again after what was cleared."""
OPEN_HZ, CLOSED_HZ = 20000.0, 10.0
BACK, SIDES, OTHER = 0b1100, 1 << 13, 0b1010
"""The input Return and the parameter Sides among what is linked, the outputs of the right side among the wanted."""
MAY_MOVE = sum(1 << k for k in (0, 1, 2, 3, 4, 14, 19, 20, 21))
"""What may move while it runs row by row: inputs, feedback, dry, wet, layering."""


def kernel(
    audio: Row, audio_right: Row, back: Row, back_right: Row, clear: Row, span: Row, short_s: Row, time_s: Row,
    long_s: Row, time_beats: Row, any_s: Row, tempo_bpm: Row, change: Row, sides: Row, feedback: Row,
    high_cut_hz: Row, low_cut_hz: Row, saturation: Row, freeze: Row, dry: Row, wet: Row, layering: Row, reverse: Row,
    out: Row, out_right: Row, send: Row, send_right: Row, state: State, memory: Memory, rate: Scalar, moving: Mask,
    linked: Mask, wanted: Mask, scratch: Scratch, line_phase: int,
) -> None:  # fmt: skip
    """State: place of writing; delay in samples (0: not begun), the one faded to, what is left of the fade; samples
    since it was cleared (0: long ago), what is left of the clearing, last clear; place in the piece played backwards;
    for each side both damping filters; the last constant upper cutoff and its factor. Memory: two rings.

    What comes into Return is fed back in place of the echo. That loop takes one sample, so the line is read one sample
    earlier, and echo k stays at k times the time. Another range may have another size.
    ``line_phase`` is one of ``compiler.records.PHASES``: asked for it, it tells whether it rests, or reads alone.
    """
    n, size, write, delay = out.size, memory.size // 2, int(state[WRITE]), state[DELAY]
    patched, crossing = linked & BACK != 0, sides[0] >= 0.5
    both = crossing or linked & SIDES != 0 or wanted & OTHER != 0
    times = short_s[0], time_s[0], long_s[0], time_beats[0] * 60.0 / tempo_bpm[0], any_s[0]
    goal = _goal(span[0], times, feedback[0], rate, size, delay)
    delay, state[NEXT] = goal if delay == 0.0 else min(delay, size - 4.0), min(state[NEXT], size - 4.0)
    early, weighed = 1.0 if patched else 0.0, -1.0
    far = int(delay - early)
    at = write - far if write >= far else write - far + size
    rests = moving & ~MAY_MOVE == 0 and freeze[0] == 0.0 and reverse[0] == 0.0 and unchanged(clear, state[LAST])
    by_row = rests and delay == goal and _calm(state) and far >= n + LONG
    by_row = by_row and LONG <= at < size - n - LONG and write + n < size
    if line_phase in (ASK, READ):
        _answer(line_phase, by_row, memory, at, size, delay - early - far, send, send_right, scratch, both)
        return
    if by_row:
        share, knee = delay - early - far, exp2(-4.0 * saturation[0]) if saturation[0] > 0.0 else 1.0
        high, low = _high_at_rest(high_cut_hz[0], n, state, rate), _low(low_cut_hz[0], rate)
        _by_row(audio, audio_right, back if patched else send, back_right if patched else send_right, feedback, dry,
                wet, out, out_right, send, send_right, state, memory, at, size, write, high, low, share, knee, patched,
                crossing, both, scratch)  # fmt: skip
        state[WRITE], state[DELAY] = write + n, delay
        return
    for i in range(n):
        times = short_s[i], time_s[i], long_s[i], time_beats[i] * 60.0 / tempo_bpm[i], any_s[i]
        goal, frozen = _goal(span[i], times, feedback[i], rate, size, delay), freeze[i]
        delay = _moved(delay, nearest(goal) if frozen > 0.5 else goal, change[i] >= 0.5, frozen > 0.5, state, rate)
        _clearing(clear[i], state, rate, size)
        ahead, behind = max(delay - early, 1.0), max(state[NEXT] - early, 1.0)
        turned, piece = reverse[i], min(delay, 0.5 * size - 8.0)
        weighed = _weighed(weighed, ahead, delay == goal, size, scratch)
        a = _echo(memory, 0, size, write, ahead, behind, turned, piece, weighed, scratch, state)
        b = _echo(memory, size, size, write, ahead, behind, turned, piece, weighed, scratch, state) if both else 0.0
        if turned > 0.0:
            state[HEAD] = state[HEAD] + 1.0 if state[HEAD] + 1.0 < piece else 0.0
        high, low, knee = _high(high_cut_hz[i], rate), _low(low_cut_hz[i], rate), exp2(-4.0 * saturation[i])
        c = saturate(feedback[i] * _damped(back[i] if patched else a, high, low, state, 0), knee)
        d = saturate(feedback[i] * _damped(back_right[i] if patched else b, high, low, state, 1), knee) if both else 0.0
        _write(memory, size, write, audio[i], audio_right[i], a, b, c, d, layering[i], frozen, sides[i] >= 0.5, both)
        write = write + 1 if write + 1 < size else 0
        out[i], send[i] = fma(audio[i], dry[i], a * wet[i]), a
        if both:
            out_right[i], send_right[i] = fma(audio_right[i], dry[i], b * wet[i]), b
    state[WRITE], state[DELAY] = write, delay


@njit(error_model="numpy", forceinline=True)
def _goal(
    span: float, times: tuple[float, float, float, float, float], feedback: float, rate: float, size: int, delay: float
) -> float:
    """The set delay in samples; whole ones where all is fed back, so that it goes round without loss. On its way to
    another range the time stays."""
    kind = nearest(span)
    if kind != span and delay > 0.0:
        return delay
    if kind >= BEATS:
        seconds = times[4] if kind == ANY else times[3]
    else:
        seconds = times[0] if kind == 0.0 else times[1] if kind == 1.0 else times[2]
    samples = nearest(seconds * rate) if abs(feedback) == 1.0 else seconds * rate
    return min(max(samples, 2.0), size - 4.0)


@njit(error_model="numpy", forceinline=True)
def _calm(state: State) -> bool:
    """Whether nothing fades, nothing is or has just been cleared."""
    calm: bool = state[FADE] == 0.0 and state[ENDING] == 0.0 and state[SINCE] == 0.0 and state[LAST] <= 0.5
    return calm


@njit(error_model="numpy", forceinline=True)
def _answer(
    line_phase: int, by_row: bool, memory: Memory, at: int, size: int, share: float, send: Row, send_right: Row,
    scratch: Scratch, both: bool,
) -> None:  # fmt: skip
    """Tell whether it rests, or read what comes out of both sides."""
    if line_phase == ASK:
        scratch[0] = 1.0 if by_row else 0.0
        return
    n = send.size
    _read(memory[at - LONG : at + n + LONG], share, send, scratch)
    if both:
        _read(memory[size + at - LONG : size + at + n + LONG], share, send_right, scratch)


@njit(error_model="numpy", forceinline=True)
def _by_row(
    audio: Row, audio_right: Row, back: Row, back_right: Row, feedback: Row, dry: Row, wet: Row, out: Row,
    out_right: Row, send: Row, send_right: Row, state: State, memory: Memory, at: int, size: int, write: int,
    high: float, low: float, share: float, knee: float, patched: bool, crossing: bool, both: bool, scratch: Scratch,
) -> None:  # fmt: skip
    """Both sides of a delay that rests. Where they answer each other, what comes back on one goes into the other, and
    the sound goes into the left one."""
    n = audio.size
    left, right = scratch[192 : 192 + n], scratch[256 : 256 + n]
    for i in range(n):
        left[i] = 0.0 if crossing else audio[i]
        right[i] = 0.5 * (audio[i] + audio_right[i]) if crossing else audio_right[i]
    first, second = (size, 0) if crossing else (0, size)
    past, written = memory[at - LONG : at + n + LONG], memory[first + write : first + write + n]
    _run(audio, left, back, past, written, feedback, dry, wet, out, send, state, 0, high, low, share, knee, patched,
         scratch)  # fmt: skip
    if both:
        past, written = memory[size + at - LONG : size + at + n + LONG], memory[second + write : second + write + n]
        _run(audio_right, right, back_right, past, written, feedback, dry, wet, out_right, send_right, state, 1, high,
             low, share, knee, patched, scratch)  # fmt: skip


@njit(error_model="numpy", forceinline=True)
def _high_at_rest(hz: float, n: int, state: State, rate: float) -> float:
    """The upper filter's share, kept from row to row; in a loop of single samples it is worked out before the loop."""
    if n == 1:
        return _high(hz, rate)
    if state[CUT] != hz:
        state[CUT], state[SHARE] = hz, _high(hz, rate)
    return state[SHARE]


@njit(error_model="numpy", forceinline=True)
def _moved(delay: float, goal: float, fades: float, frozen: float, state: State, rate: float) -> float:
    """The delay a sample later: it goes to its goal as a tape would, or fades over to it. What is frozen creeps to a
    whole number of samples, so that it can go round without loss."""
    away = goal - delay
    if not fades:
        state[FADE] = 0.0
        most = CREEP if frozen and abs(away) < 1.0 else BEND
        return delay + min(max(away, -most), most)
    if state[FADE] > 0.0:
        state[FADE] = max(state[FADE] - 1.0 / (FADE_S * rate), 0.0)
        return state[NEXT] if state[FADE] == 0.0 else delay
    if abs(away) > 0.5:
        state[NEXT], state[FADE] = goal, 1.0
        return delay
    return delay + min(max(away, -CREEP), CREEP)


@njit(error_model="numpy", forceinline=True)
def _clearing(clear: float, state: State, rate: float, size: int) -> None:
    """What is in the line fades out, then counts as nothing."""
    if clear > 0.5 and state[LAST] <= 0.5 and state[ENDING] == 0.0:
        state[ENDING] = 1.0
    state[LAST] = clear
    if state[SINCE] > 0.0:
        state[SINCE] = state[SINCE] + 1.0 if state[SINCE] < size + EDGE else 0.0
    if state[ENDING] > 0.0:
        state[ENDING] = max(state[ENDING] - 1.0 / (CLEAR_S * rate), 0.0)
        if state[ENDING] == 0.0:
            state[SINCE] = 1.0


@njit(error_model="numpy", forceinline=True)
def _heard(delay: float, state: State) -> float:
    """How much of what was written so long ago has not been cleared."""
    left = 1.0 if state[ENDING] == 0.0 else smooth_step(state[ENDING])
    if state[SINCE] == 0.0:
        return left
    return left * min(max((state[SINCE] - delay) * (1.0 / EDGE), 0.0), 1.0)


@njit(error_model="numpy", forceinline=True)
def _weighed(before: float, delay: float, rests: float, size: int, scratch: Scratch) -> float:
    """The share of a sample for which the long weights are worked out; -1 where the delay moves or is too short."""
    if not rests or delay < LONG or delay >= size - LONG - 1.0:
        return -1.0
    share = delay - int(delay)
    if share != before:
        long_weights(scratch[WEIGHTS], share)
    return share


@njit(error_model="numpy", forceinline=True)
def _echo(
    memory: Row, first: int, size: int, write: int, far: float, behind: float, turned: float, piece: float,
    weighed: float, scratch: Scratch, state: State,
) -> float:  # fmt: skip
    """One side's echo; backwards it is read in pieces that overlap by half."""
    echo = 0.0
    if turned < 1.0:
        if weighed >= 0.0:
            back = int(far)
            if weighed == 0.0:
                echo = get(memory, first + (write - back if write >= back else write - back + size))
            else:
                echo = read_long(memory, first, size, write, back, scratch[WEIGHTS])
            echo *= _heard(far, state)
        else:
            echo = read_ring(memory, first, size, write, far) * _heard(far, state)
        if state[FADE] > 0.0:
            gain = smooth_step(state[FADE])
            later = read_ring(memory, first, size, write, behind) * _heard(behind, state)
            echo = fma(gain, echo - later, later)
    if turned > 0.0:
        backwards = 0.0
        for k in range(2):
            head = state[HEAD] + 0.5 * piece * k
            head = head - piece if head >= piece else head
            share = sine(0.5 * head / piece)
            backwards += (
                share * share * read_ring(memory, first, size, write, 2.0 * head + 1.0) * _heard(2.0 * head, state)
            )
        echo = fma(turned, backwards - echo, echo)
    return echo


@njit(error_model="numpy", forceinline=True)
def _high(hz: float, rate: float) -> float:
    """The high damping filter's coefficient; the highest cutoff passes everything."""
    return 1.0 if hz >= 0.9999 * OPEN_HZ else one_pole_share(hz, rate)


@njit(error_model="numpy", forceinline=True)
def _low(hz: float, rate: float) -> float:
    """The low damping filter's coefficient; the lowest cutoff passes everything."""
    return 0.0 if hz <= 1.0001 * CLOSED_HZ else one_pole_share(hz, rate)


@njit(error_model="numpy", forceinline=True)
def _damped(x: float, high: float, low: float, state: State, side: int) -> float:
    """A sample through both damping filters of a side."""
    upper = fma(1.0 - high, state[HIGH + side], high * x)
    lower = fma(1.0 - low, state[LOW + side], low * upper)
    if low == 0.0:
        lower = lower * FORGETS if abs(lower) > 1e-9 else 0.0
    state[HIGH + side], state[LOW + side] = upper, lower
    return upper - lower


@njit(error_model="numpy", forceinline=True)
def _damp(row: Row, damped: Row, high: float, low: float, state: State, side: int) -> None:
    """As ``_damped``, for a row."""
    upper, lower = state[HIGH + side], state[LOW + side]
    if low == 0.0 and lower == 0.0:
        for i in range(row.size):
            upper = fma(1.0 - high, upper, high * row[i])
            damped[i] = upper
    else:
        for i in range(row.size):
            upper = fma(1.0 - high, upper, high * row[i])
            lower = fma(1.0 - low, lower, low * upper)
            if low == 0.0:
                lower = lower * FORGETS if abs(lower) > 1e-9 else 0.0
            damped[i] = upper - lower
    state[HIGH + side], state[LOW + side] = upper, lower


@njit(error_model="numpy", forceinline=True)
def _write(
    memory: Memory, size: int, write: int, left: float, right: float, a: float, b: float, c: float, d: float,
    layer: float, frozen: float, crossed: bool, both: bool,
) -> None:  # fmt: skip
    """Write what goes in, with the echoes ``c`` and ``d`` fed back; where the sides answer each other they change
    places."""
    if crossed:
        memory[write] = _written(0.5 * (left + right), d, b, layer, frozen)
        memory[size + write] = _written(0.0, c, a, 0.0, frozen)
    else:
        memory[write] = _written(left, c, a, layer, frozen)
        if both:
            memory[size + write] = _written(right, d, b, layer, frozen)


@njit(error_model="numpy", forceinline=True)
def _written(sound: float, fed: float, echo: float, layered: float, frozen: float) -> float:
    """What goes into the line: the sound and what is fed back; frozen, the echo itself and what is layered onto it."""
    fresh = sound + fed
    if frozen == 0.0:
        return fresh
    return fma(frozen, saturate(fma(layered, sound, echo), 1.0) - fresh, fresh)


@njit(error_model="numpy", forceinline=True)
def _run(
    audio: Row, sound: Row, back: Row, past: Row, written: Row, feedback: Row, dry: Row, wet: Row, out: Row, send: Row,
    state: State, side: int, high: float, low: float, share: float, knee: float, patched: float, scratch: Scratch,
) -> None:  # fmt: skip
    """One side of a delay that rests, row by row; ``sound`` is written into the line with what comes back."""
    n = audio.size
    echoes, fed = scratch[:n], scratch[64 : 64 + n]
    _read(past, share, echoes, scratch)
    _damp(back if patched else echoes, fed, high, low, state, side)
    for i in range(n):
        fed[i] *= feedback[i]
    saturate_row(fed, knee)
    for i in range(n):
        written[i] = sound[i] + fed[i]
    for i in range(n):
        send[i] = echoes[i]
        out[i] = fma(audio[i], dry[i], echoes[i] * wet[i])


@njit(error_model="numpy", forceinline=True)
def _read(past: Row, share: float, echoes: Row, scratch: Scratch) -> None:
    """What comes out of one side of a delay that rests."""
    n, weights = echoes.size, scratch[WEIGHTS]
    fetch(past, n, past.size)  # for the next row
    if share == 0.0:
        for i in range(n):
            echoes[i] = past[i + LONG]
        return
    long_weights(weights, share)
    for i in range(n):
        echoes[i] = 0.0
    for k in range(2 * LONG):
        weight, run = weights[k], past[2 * LONG - 1 - k :]
        for i in range(n):
            echoes[i] += weight * run[i]


def _longest(values: Mapping[str, float]) -> float:
    """Seconds of both rings."""
    return 2.0 * (SPANS_S[round(values["span"])] + 0.001)


def _remembers(given: Given) -> float:
    """A moved time is followed slowly, or faded to: where it stands depends on where it stood."""
    name = TIMES[round(given.values["span"])]
    if given.used("freeze") or not given.linked.isdisjoint(("back", name)):
        return inf
    beat_s = 60.0 / given.values["tempo_bpm"] if given.values["span"] == BEATS else 1.0
    return fed_back(given, "feedback", given.values[name] * beat_s)


def _warning(given: Given) -> str:
    gain = abs(given.values["feedback"])
    moved = "feedback" in given.linked
    if gain >= 1.0:
        return tr("Feedback is {gain:.0f} %: the loop does not die away; saturation alone holds its level.",
                  gain=100 * gain)  # fmt: skip
    if moved and gain > 0.7:
        return tr("Feedback is moved and may pass 100 %: the loop would not die away then.")
    return ""


MODULE = ModuleSpec(
    id="delay",
    name="Delay",
    stage="space",
    sentence="Repeats a sound after a time; feedback adds echoes, and above 100 % they build up but stay bounded.",
    kernel=kernel,
    inputs=(
        Input("audio", "Audio", "audio", stereo=True),
        Input("back", "Return", "audio", "Replaces the internal feedback: connect Send through any modules and back "
              "here.", stereo=True),
        Input("clear", "Clear", "gate", "Each rising edge empties it."),
    ),
    params=(
        Param("span", "Range", "choice", 0, 4, 1, "Fine ranges of the time, all of it, or beats of the tempo.",
              ("1 to 50 ms", "50 ms to 2.5 s", "250 ms to 20 s", "beats", "1 ms to 20 s")),
        Param("short_s", "Time", "s", 0.001, 0.05, 0.012, "Distance of the echoes.", taper="octaves", amount=0.1,
              shown_when=("span", (0,))),
        Param("time_s", "Time", "s", 0.05, 2.5, 0.4, "Distance of the echoes.", taper="octaves", amount=0.1,
              shown_when=("span", (1,))),
        Param("long_s", "Time", "s", 0.25, 20, 4, "Distance of the echoes.", taper="octaves", amount=0.1,
              shown_when=("span", (2,))),
        Param("time_beats", "Time", "beats", 1 / 64, 32, 0.75, "Delay time, up to 20 s.",
              taper="octaves", amount=1.0, shown_when=("span", (3,))),
        Param("any_s", "Time", "s", 0.001, 20, 0.4, "Distance of the echoes.", taper="octaves", amount=0.1,
              shown_when=("span", (4,))),
        Param("tempo_bpm", "Tempo", "bpm", 10, 400, 92, follows="tempo"),
        Param("change", "A new time", "choice", 0, 1, 0, "How time changes sound: pitch bend like tape, by an "
              "octave down or a fifth up at most, or a crossfade.", ("bends", "fades")),
        Param("sides", "Sides", "choice", 0, 1, 0, "Echoes stay on their side, or ping-pong between left and right.",
              ("stay", "alternate")),
        Param("feedback", "Feedback", "ratio", -1.1, 1.1, 0.4, "Share of each echo that is fed back.",
              amount=0.2),
        Param("high_cut_hz", "High cut", "hz", 200, OPEN_HZ, 12000, "Low-pass in the feedback: each repeat gets "
              "duller; 20 kHz: off.", taper="octaves", amount=1.0),
        Param("low_cut_hz", "Low cut", "hz", CLOSED_HZ, 2000, CLOSED_HZ, "High-pass in the feedback: each repeat gets "
              "thinner; 10 Hz: off.", taper="octaves", amount=1.0),
        Param("saturation", "Saturation", "ratio", 0, 1, 0, "How early the feedback saturates.",
              amount=0.3),
        Param("freeze", "Freeze", "choice", 0, 1, 0, "Holds the contents of the delay for ever.", ("off", "on"),
              amount=1.0),
        Param("dry", "Dry", "ratio", 0, 1, 0.7, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", 0, 1, 0.4, "How much of the echoes.", amount=0.3),
        Param("layering", "Layering", "ratio", 0, 1, 0, "While frozen: how much new sound is overdubbed.",
              amount=0.5, shown_when=("freeze", (1,))),
        Param("reverse", "Backwards", "ratio", 0, 1, 0, "Amount of reverse echo, in segments as long as the delay "
              "time.", amount=0.5),
    ),
    outputs=(
        Output("out", "Audio", "audio", stereo=True, width="sides"),
        Output("send", "Send", "audio", stereo=True, width="sides"),
    ),
    state=STATE,
    cached=(DELAY, NEXT, FADE, SINCE, CUT),
    memory_s=_longest,
    rings=2,
    cycle=Cycle(memory_s=_remembers),
    face="time_s",
    passes="audio",
    warning=_warning,
    loop=("send", "back"),
    groups=(
        ("Tone of the echoes", ("high_cut_hz", "low_cut_hz", "saturation")),
        ("Sides and changes", ("change", "sides", "reverse")),
        ("Freeze and loop", ("freeze", "layering", "back", "clear")),
    ),
    words=("echo", "repeat", "space", "tape", "comb", "freeze", "ping pong", "looper", "reverse"),
    presets=(
        Preset("Slapback", "One short echo.",
               {"time_s": 0.11, "feedback": 0.1, "wet": 0.4}, ("short echo", "double")),
        Preset("Endless delay", "Echoes that never fade.",
               {"time_s": 1.6, "feedback": 1.0, "wet": 0.7}, ("infinite", "endless", "hold")),
        Preset("Ping-pong", "Echoes that go from side to side.",
               {"sides": "alternate", "feedback": 0.5, "wet": 0.5}, ("ping pong", "left right")),
        Preset("Dotted echo", "Echoes of three sixteenths.",
               {"span": "beats", "time_beats": 0.75, "feedback": 0.45}, ("dotted eighth", "in tempo", "synced echo")),
        Preset("Tape echo", "Echoes that grow dull and warm.",
               {"time_s": 0.35, "feedback": 0.6, "saturation": 0.5, "high_cut_hz": 3500.0, "low_cut_hz": 120.0},
               ("tape", "worn")),
        Preset("Reverse echo", "Echoes that run backwards.",
               {"time_s": 1.2, "reverse": 1.0, "wet": 0.7}, ("backwards echo", "reverse")),
    ),
    sources=("Schroeder 1962 (echo k of feedback g has amplitude g^k)",
             "Catmull and Rom 1974 (interpolation between samples)"),
)  # fmt: skip
