"""Clock: gates at an even period, locked to the tempo or free."""

from __future__ import annotations

from numba import njit

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param

__all__ = ["MODULE"]

COUNT, SPAN, STEP, RESET, BEGUN = range(5)
PERIOD_MOVES = 0b1011110
EARLY = 1e-5  # samples: a tick that falls on a sample comes there, however the last digits were rounded


def kernel(reset, sync, period_beats, period_s, swing, width, tempo_bpm, gate, phase, state, rate, moving):  # type: ignore[no-untyped-def]
    """State: samples since the last tick, length of the present step in samples, its number (0 or 1), last reset gate,
    1 once begun.

    Whole samples are counted, and what a tick came late is carried over: nothing adds up over days.
    """
    count, span, step, last_reset, begun = state[COUNT], state[SPAN], state[STEP], state[RESET], state[BEGUN]
    even, length, per = 0.0, 0.0, 0.0
    for i in range(gate.size):
        if i == 0 or moving & PERIOD_MOVES:
            even = rate * (period_s[i] if sync[i] >= 0.5 else period_beats[i] * 60.0 / tempo_bpm[i])
        if reset[i] > 0.5 and last_reset <= 0.5:
            count, step, length = 0.0, 0.0, 0.0
        else:
            count += begun
        if length == 0.0 or moving & PERIOD_MOVES:
            length = _length(even, swing[i], step)
            if length != span:
                count = count * length / span if span > 0.0 else count
                span = length
            per = 1.0 / span
        if count >= span - EARLY:
            count -= span
            step = 1.0 - step
            span = length = _length(even, swing[i], step)
            per = 1.0 / span
            count = min(count, 0.999999 * span)
        begun, last_reset = 1.0, reset[i]
        phase[i] = count
        gate[i] = per
    for i in range(gate.size):
        phase[i] = max(phase[i], 0.0) * gate[i]
        gate[i] = 1.0 if phase[i] < width[i] else 0.0
    state[COUNT], state[SPAN], state[STEP], state[RESET], state[BEGUN] = count, span, step, last_reset, begun


@njit(error_model="numpy", forceinline=True)
def _length(even, swing, step):  # type: ignore[no-untyped-def]
    return even * (1.0 + swing if step < 0.5 else 1.0 - swing)


MODULE = ModuleSpec(
    id="clock",
    name="Clock",
    stage="time",
    sentence="Ticks at an even period, in note values of the tempo or in seconds.",
    kernel=kernel,
    inputs=(Input("reset", "Reset", "gate", "Starts the period anew when it goes high."),),
    params=(
        Param("sync", "Counts in", "choice", 0, 1, 0, "What the period is measured in.", ("beats", "seconds")),
        Param("period_beats", "Period in beats", "beats", 1 / 64, 256, 0.25, taper="octaves", amount=1.0),
        Param("period_s", "Period in seconds", "s", 0.005, 3600, 0.5, taper="octaves", amount=1.0),
        Param("swing", "Swing", "ratio", 0, 0.75, 0, "Lengthens every first step and shortens the second.", amount=0.2),
        Param("width", "Gate length", "ratio", 0.01, 0.99, 0.5, "Share of the period for which the gate is high.",
              amount=0.3),
        Param("tempo_bpm", "Tempo", "bpm", 10, 400, 92, follows="tempo"),
    ),
    outputs=(Output("gate", "Gate", "gate", 0, 1), Output("phase", "Phase", "control", 0, 1)),
    state=5,
    face="period_beats",
    words=("metronome", "pulse", "tick", "tempo", "trigger"),
    sources=("note value of n beats: n * 60 / tempo seconds (arithmetic)",),
)  # fmt: skip
