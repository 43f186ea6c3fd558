"""Contour: a drawn course of up to 64 points."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Drawn, Row, Scalar, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Series
from dunefall.dsp.curves import bent
from dunefall.dsp.triggers import PULSE_S, held_for, pulsed

__all__ = ["MODULE"]

LAST, POINT, PLACE, FROM, VALUE, RUNS, END, BEGUN = range(8)
ONCE, SUSTAIN, LOOP = range(3)
EARLY = 1e-9


def kernel(
    trigger: Row, mode: Row, sync: Row, length_beats: Row, length_s: Row, begin: Row, end: Row, tempo_bpm: Row,
    heights: Drawn, times: Drawn, bends: Drawn, out: Row, ended: Row, place: Row, state: State, rate: Scalar,
) -> None:  # fmt: skip
    """State: last trigger, the current target point, how much of the way there is done, where the way began, the value
    now, 1 while it runs, samples for which the end's pulse stays high, 1 once begun.

    The first point is where it is before the first trigger, and every start is from where it is; each other one
    is reached in its share of the length.
    """
    last, point, done, start, value = state[LAST], int(state[POINT]), state[PLACE], state[FROM], state[VALUE]
    runs, over_left, count = state[RUNS], state[END], int(heights[0])
    total = _total(times, count)
    if state[BEGUN] == 0.0:
        value, state[BEGUN] = heights[1], 1.0
    for i in range(out.size):
        way, held, over = int(mode[i] + 0.5), trigger[i] > 0.5, False
        if held and last <= 0.5:
            start, point, done, runs = value, min(1, count - 1), 0.0, 1.0
        last = trigger[i]
        first, final = _region(begin[i], end[i], count)
        if runs > 0.0:
            waits = way == SUSTAIN and held and point > final
            if not waits:
                seconds = length_s[i] if sync[i] >= 0.5 else length_beats[i] * 60.0 / tempo_bpm[i]
                samples = max(seconds * rate * times[1 + point] / total, 1.0)
                done += 1.0 / samples
                value = start + (heights[1 + point] - start) * bent(min(done, 1.0), bends[1 + point])
                if done >= 1.0 - EARLY:
                    start, value, rest = heights[1 + point], heights[1 + point], max(done - 1.0, 0.0) * times[1 + point]
                    point += 1
                    if way == LOOP and held and point > final:
                        point = first + 1 if final > first else final
                    done = min(rest / max(times[1 + min(point, count - 1)], 1e-9), 1.0)
                    if point >= count:
                        point, runs, over = count - 1, 0.0, True
        out[i] = value
        place[i] = min((point + done) / max(count - 1.0, 1.0), 1.0) if runs > 0.0 else 0.0
        ended[i], over_left = pulsed(over, over_left, held_for(PULSE_S, rate))
    state[LAST], state[POINT], state[PLACE], state[FROM], state[VALUE] = last, point, done, start, value
    state[RUNS], state[END] = runs, over_left


@njit(error_model="numpy", forceinline=True)
def _total(times: Row, count: int) -> float:
    total = 0.0
    for k in range(1, count):
        total += times[1 + k]
    return max(total, 1e-9)


@njit(error_model="numpy", forceinline=True)
def _region(begin: float, end: float, count: int) -> tuple[int, int]:
    """First and last point of the part that is repeated or waited in."""
    first = min(max(int(begin + 0.5) - 1, 0), count - 1)
    return first, min(max(int(end + 0.5) - 1, first), count - 1)


MODULE = ModuleSpec(
    id="contour",
    name="Contour",
    stage="motion",
    sentence="Follows a curve you draw: up to 64 points, each with its own time and its own bend.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "Each rising edge starts the curve from the current value.",
                  listens=True),),
    params=(
        Param("mode", "Mode", "choice", 0, 2, 0, "Run to the end; or, while the gate is high, hold at a point or loop "
              "between two points.", ("once", "sustain", "loop")),
        Param("sync", "Counts in", "choice", 0, 1, 1, "Unit of the length.", ("beats", "seconds")),
        Param("length_beats", "Length in beats", "beats", 1 / 16, 256, 4, "From the first point to the last.",
              taper="octaves", amount=1.0, shown_when=("sync", (0,))),
        Param("length_s", "Length in seconds", "s", 0.005, 3600, 2, "From the first point to the last.",
              taper="octaves", amount=1.0, shown_when=("sync", (1,))),
        Param("begin", "Loop from point", "none", 1, 64, 2, "Where the loop starts.", whole=True,
              shown_when=("mode", (2,))),
        Param("end", "Loop to point", "none", 1, 64, 4, "Where the loop ends, or the point to hold.", whole=True,
              shown_when=("mode", (1, 2))),
        Param("tempo_bpm", "Tempo", "bpm", 10, 400, 92, follows="tempo"),
    ),
    series=(
        Series("heights", "Levels", "none", -1, 1, (0, 1, 0.3, 0.6, 0), "Height of each point.", least=2,
               group="points",
               drawn="curve", across="times"),
        Series("times", "Times", "none", 0, 1, (0, 0.1, 0.3, 0.4, 0.6), "Share of the length each segment takes.",
               least=2, group="points"),
        Series("bends", "Bends", "none", -1, 1, (0, 0, 0.3, 0, 0.3), "Bend of the segment before each point.", least=2,
               group="points"),
    ),
    outputs=(
        Output("out", "Value", "control"),
        Output("ended", "Ended", "gate", 0, 1),
        Output("place", "Place", "control", 0, 1, seen=True),
    ),
    state=8,
    face="length_s",
    words=("multi-segment envelope", "breakpoints", "drawn envelope", "course", "automation"),
    sources=("piecewise curves (definition)",),
)  # fmt: skip
