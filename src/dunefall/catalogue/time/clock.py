"""Clock: gates at an even period, locked to the tempo or free."""

from __future__ import annotations

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param

__all__ = ["MODULE"]

PHASE, STEP, RESET, BEGUN = range(4)
PERIOD_MOVES = 0b1001110


def kernel(reset, sync, period_beats, period_s, swing, width, tempo_bpm, gate, phase, state, rate, moving):  # type: ignore[no-untyped-def]
    """State: phase in the period [0, 1), number of the step (0 or 1), last reset gate, 1 once begun."""
    position, step, last_reset, begun = state[PHASE], state[STEP], state[RESET], state[BEGUN]
    i, even = 0, 0.0
    for i in range(gate.size):
        if i == 0 or moving & PERIOD_MOVES:
            period = period_s[i] if sync[i] >= 0.5 else period_beats[i] * 60.0 / tempo_bpm[i]
            even = 1.0 / (rate * period)
        length = 1.0 + swing[i] if step < 0.5 else 1.0 - swing[i]
        if reset[i] > 0.5 and last_reset <= 0.5:
            position, step = 0.0, 0.0
        elif begun > 0.5:
            position += even / length
            if position >= 1.0:
                position = (position - 1.0) * length
                step = 1.0 - step
                position /= 1.0 + swing[i] if step < 0.5 else 1.0 - swing[i]
                position = min(position, 0.999999)
        begun = 1.0
        last_reset = reset[i]
        gate[i] = 1.0 if position < width[i] else 0.0
        phase[i] = position
    state[PHASE], state[STEP], state[RESET], state[BEGUN] = position, step, last_reset, begun


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
    state=4,
    face="period_beats",
    words=("metronome", "pulse", "tick", "tempo", "trigger"),
    sources=("note value of n beats: n * 60 / tempo seconds (arithmetic)",),
)  # fmt: skip
