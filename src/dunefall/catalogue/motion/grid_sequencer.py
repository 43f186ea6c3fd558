"""Grid sequencer: a field of notes walked by two clocks."""

from __future__ import annotations

from dunefall.base.arrays import Drawn, Row, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Series
from dunefall.dsp.triggers import wrapped

__all__ = ["MODULE"]

LAST_X, LAST_Y, RESET, X, Y, HIGH, BEGUN = range(7)
MOST_SIDE = 8


def kernel(
    clock_x: Row, clock_y: Row, reset: Row, columns: Row, rows: Row, stride_x: Row, stride_y: Row, notes: Drawn,
    hits: Drawn, out: Row, gate: Row, place: Row, refused: Row, state: State,
) -> None:  # fmt: skip
    """State: the clocks and the reset of the sample before, column, row, whether the gate is high, 1 once
    a clock has come. The first clock after a reset plays the current field."""
    last_x, last_y, last_reset = state[LAST_X], state[LAST_Y], state[RESET]
    x, y, high, begun = state[X], state[Y], state[HIGH], state[BEGUN]
    for i in range(out.size):
        wide, tall = max(float(int(columns[i] + 0.5)), 1.0), max(float(int(rows[i] + 0.5)), 1.0)
        if reset[i] > 0.5 and last_reset <= 0.5:
            x = y = begun = 0.0
        across, up = clock_x[i] > 0.5 and last_x <= 0.5, clock_y[i] > 0.5 and last_y <= 0.5
        if (across or up) and begun > 0.0:
            x = wrapped(x + float(int(stride_x[i] + 8.5)) - 8.0, wide) if across else x
            y = wrapped(y + float(int(stride_y[i] + 8.5)) - 8.0, tall) if up else y
        begun = 1.0 if across or up else begun
        last_x, last_y, last_reset = clock_x[i], clock_y[i], reset[i]
        x, y = wrapped(x, wide), wrapped(y, tall)
        at = int(y * MOST_SIDE + x)
        out[i] = notes[1 + at]
        hit, held = hits[1 + at] > 0.5, clock_x[i] > 0.5 or clock_y[i] > 0.5
        # a step while the other clock is still high is a note of its own: the gate falls for a sample
        high = 1.0 if hit and held and not ((across or up) and high > 0.5) else 0.0
        gate[i] = high
        refused[i] = 1.0 if held and not hit else 0.0
        place[i] = at / float(MOST_SIDE * MOST_SIDE)
    state[LAST_X], state[LAST_Y], state[RESET] = last_x, last_y, last_reset
    state[X], state[Y], state[HIGH], state[BEGUN] = x, y, high, begun


def _notes() -> tuple[float, ...]:
    """Fifths to the right and steps of a scale upwards: neighbours go together."""
    scale = (0, 2, 3, 5, 7, 9, 10, 12)
    return tuple(48.0 + scale[row] + (7 * column) % 12 for row in range(MOST_SIDE) for column in range(MOST_SIDE))


MODULE = ModuleSpec(
    id="grid-sequencer",
    name="Grid sequencer",
    stage="motion",
    sentence="A grid of notes that two clocks step through, one across and one upwards: long melodies from few notes.",
    kernel=kernel,
    inputs=(
        Input("clock_x", "Clock across", "gate", "Each rising edge steps across.", listens=True),
        Input("clock_y", "Clock upwards", "gate", "Each rising edge steps upwards."),
        Input("reset", "Reset", "gate", "Returns to the first cell when it goes high."),
    ),
    params=(
        Param("columns", "Columns", "none", 1, MOST_SIDE, 4, "How wide the grid is.", amount=1.0, whole=True),
        Param("rows", "Rows", "none", 1, MOST_SIDE, 4, "How tall the grid is.", amount=1.0, whole=True),
        Param("stride_x", "Stride across", "none", -7, 7, 1, "Cells per step across.", amount=1.0,
              whole=True),
        Param("stride_y", "Stride upwards", "none", -7, 7, 1, "Cells per step upwards.", amount=1.0,
              whole=True),
    ),
    series=(
        Series("notes", "Notes", "note", 0, 127, _notes(), "The note of each cell, eight per row.", least=64,
               group="grid", drawn="grid"),
        Series("hits", "Hits", "choice", 0, 1, (1, 1, 0, 1, 1, 0, 1, 1) * 8, "Whether a cell is played.", least=64,
               choices=("rest", "hit"), group="grid", drawn="grid"),
    ),
    outputs=(
        Output("out", "Note", "pitch"),
        Output("gate", "Gate", "gate", 0, 1),
        Output("place", "Place", "control", 0, 1, seen=True),
        Output("refused", "Rests", "gate", 0, 1, seen=True),
    ),
    state=7,
    cycle=Cycle(steps=lambda g: (round(g.values["columns"]), round(g.values["rows"])), at=("clock_x", "clock_y")),
    face="columns",
    words=("matrix", "cartesian", "two clocks", "field of notes", "polyrhythm", "melody"),
    sources=("definition",),
)  # fmt: skip
