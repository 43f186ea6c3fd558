"""Clock: gates at an even period, locked to the tempo or free."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key, Mask, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import unchanged

__all__ = ["MODULE"]

COUNT, SPAN, STEP, RESET, BEGUN, TICKS = range(6)
RUN_BIT = 0b10
PERIOD_MOVES = 0b100111111100
"""Everything but the reset, the run gate, the gate's length and the phase."""
EARLY = 1e-5  # samples: a tick that falls on a sample comes there, however the last digits were rounded
FAR = 64.0
"""From so many samples after a tick on, one sum gives the same bits as adding 1 for each sample of a row."""
LOOSE = 0.5  # share of the period within which a tick falls where it is as uneven as can be


def kernel(
    reset: Row, run: Row, sync: Row, period_beats: Row, period_s: Row, least_s: Row, most_s: Row, swing: Row,
    humanise: Row, width: Row, shift: Row, tempo_bpm: Row, gate: Row, phase: Row, state: State, rate: Scalar, key: Key,
    moving: Mask, linked: Mask,
) -> None:  # fmt: skip
    """State: samples since the last tick, length of the present step in samples, its number (0 or 1), last reset gate,
    1 once begun, number of ticks so far.

    Whole samples are counted, and what a tick came late is carried over: nothing adds up over days. A humanised tick is
    moved away from its even place, not from the tick before.
    """
    count, span, step, last_reset, begun = state[COUNT], state[SPAN], state[STEP], state[RESET], state[BEGUN]
    ticks, even, length, per = state[TICKS], 0.0, 0.0, 0.0
    stops, n = linked & RUN_BIT, gate.size
    if moving & PERIOD_MOVES == 0 and not stops and count >= FAR and unchanged(reset, last_reset):
        even = rate * _even_s(sync[0], period_beats[0], period_s[0], least_s[0], most_s[0], tempo_bpm[0])
        length = _length(even, swing[0], step, humanise[0], ticks, key)
        if length == span and count + n < span - EARLY:  # no tick among these samples
            per = 1.0 / span
            for i in range(n):
                phase[i] = (count + (float(i) + 1.0)) * per
            _give(gate, phase, width, shift, ticks)
            state[COUNT], state[RESET] = count + n, reset[n - 1]
            return
        length = 0.0
    for i in range(n):
        if i == 0 or moving & PERIOD_MOVES:
            even = rate * _even_s(sync[i], period_beats[i], period_s[i], least_s[i], most_s[i], tempo_bpm[i])
        if reset[i] > 0.5 and last_reset <= 0.5:
            count, step, length = 0.0, 0.0, 0.0
        elif not stops or run[i] > 0.5:
            count += begun
        if length == 0.0 or moving & PERIOD_MOVES:
            length = _length(even, swing[i], step, humanise[i], ticks, key)
            if length != span:
                count = count * length / span if span > 0.0 else count
                span = length
            per = 1.0 / span
        if count >= span - EARLY:
            count -= span
            step, ticks = 1.0 - step, ticks + 1.0
            span = length = _length(even, swing[i], step, humanise[i], ticks, key)
            per = 1.0 / span
            count = min(count, 0.999999 * span)
        begun, last_reset = 1.0, reset[i]
        phase[i] = count
        gate[i] = per
    for i in range(gate.size):
        phase[i] = max(phase[i], 0.0) * gate[i]
    _give(gate, phase, width, shift, ticks)
    if stops:
        for i in range(gate.size):
            gate[i] = gate[i] if run[i] > 0.5 else 0.0
    state[COUNT], state[SPAN], state[STEP], state[RESET], state[BEGUN] = count, span, step, last_reset, begun
    state[TICKS] = ticks


@njit(error_model="numpy", forceinline=True)
def _give(gate: Row, phase: Row, width: Row, shift: Row, ticks: float) -> None:
    """The gate of each place in the period, and both later by the phase; before the first tick there is none."""
    for i in range(gate.size):
        later = phase[i] - shift[i]
        before = later < 0.0
        phase[i] = later + 1.0 if before else later
        gate[i] = 1.0 if phase[i] < width[i] and not (before and ticks == 0.0) else 0.0


@njit(error_model="numpy", forceinline=True)
def _even_s(sync: float, beats: float, seconds: float, least: float, most: float, tempo: float) -> float:
    return min(max(seconds if sync >= 0.5 else beats * 60.0 / tempo, least), max(most, least))


@njit(error_model="numpy", forceinline=True)
def _length(even: float, swing: float, step: float, humanise: float, ticks: float, key: Key) -> float:
    length = even * (1.0 + swing if step < 0.5 else 1.0 - swing)
    if humanise > 0.0:
        away = uniform(key, ticks + 1.0, 0) - uniform(key, ticks, 0)
        length = max(length + LOOSE * humanise * away * even, 0.05 * even)
    return length


def _period_s(given: Given) -> float:
    values = given.values
    seconds = values["period_s"] if values["sync"] else values["period_beats"] * 60.0 / values["tempo_bpm"]
    return min(max(seconds, values["least_s"]), max(values["most_s"], values["least_s"])) * (
        2 if given.used("swing") else 1
    )


MODULE = ModuleSpec(
    id="clock",
    name="Clock",
    stage="time",
    sentence="Ticks at a steady period, in note values of the tempo or in seconds.",
    kernel=kernel,
    inputs=(
        Input("reset", "Reset", "gate", "Restarts the period when it goes high."),
        Input("run", "Run", "gate", "When linked, the clock runs only while it is high."),
    ),
    params=(
        Param("sync", "Counts in", "choice", 0, 1, 0, "Unit of the period.", ("beats", "seconds")),
        Param("period_beats", "Period in beats", "beats", 1 / 64, 256, 0.25, taper="octaves", amount=1.0,
              shown_when=("sync", (0,))),
        Param("period_s", "Period in seconds", "s", 0.005, 3600, 0.5, taper="octaves", amount=1.0,
              shown_when=("sync", (1,))),
        Param("least_s", "Never shorter than", "s", 0.001, 3600, 0.001, "Shortest period links can reach.",
              taper="octaves", amount=1.0),
        Param("most_s", "Never longer than", "s", 0.001, 3600, 3600, "Longest period links can reach.",
              taper="octaves", amount=1.0),
        Param("swing", "Swing", "ratio", 0, 0.75, 0, "Swing: lengthens every first step and shortens the second.",
              amount=0.2),
        Param("humanise", "Humanise", "ratio", 0, 1, 0, "Random timing of each tick; the tempo stays.", amount=0.2),
        Param("width", "Gate length", "ratio", 0.01, 0.99, 0.5, "Gate length, as a share of the period.",
              amount=0.3),
        Param("shift", "Later by", "ratio", 0, 0.99, 0, "Phase: how much later it ticks, as a share of the period.",
              amount=0.2),
        Param("tempo_bpm", "Tempo", "bpm", 10, 400, 92, follows="tempo"),
    ),
    outputs=(Output("gate", "Gate", "gate", 0, 1), Output("phase", "Phase", "control", 0, 1)),
    state=6,
    cycle=Cycle(lambda g: g.used("humanise"), _period_s, ("period_beats", "period_s", "sync"),
                fires=("gate",)),
    face="period_beats",
    groups=(
        ("Feel and limits", ("least_s", "most_s", "humanise", "width", "shift", "reset", "run")),
    ),
    words=("metronome", "pulse", "tick", "tempo", "trigger"),
    presets=(
        Preset("Clock in seconds", "Ticks once a second, whatever the tempo.",
               {"sync": "seconds", "period_s": 1.0}, ("free clock", "seconds")),
        Preset("Bar clock", "Ticks once in four beats.",
               {"period_beats": 4.0}, ("whole bar", "downbeat")),
        Preset("Swung clock", "Ticks in sixteenths with a swing.",
               {"swing": 0.4}, ("shuffle", "groove")),
        Preset("Loose clock", "Ticks a little early and late, as a hand would.",
               {"humanise": 0.4}, ("human", "uneven", "humanised")),
    ),
    sources=("note value of n beats: n * 60 / tempo seconds (arithmetic)",),
)  # fmt: skip
