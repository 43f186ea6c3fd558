"""Gesture: a movement of the hand, recorded and repeated."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Drawn, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Series, settling
from dunefall.dsp.curves import drawn
from dunefall.dsp.follow import approach_step
from dunefall.dsp.maths import floor

__all__ = ["FIGURE", "MODULE", "MOST_POINTS"]

PHASE, RESET, X, Y, BEGUN, BACK = range(6)
MOST_POINTS = 256
LOOP, TO_AND_FRO, ONCE = range(3)
FIGURE = (
    (-0.6, -0.35, 0.0, 0.4, 0.7, 0.75, 0.5, 0.15, -0.2, -0.55, -0.8, -0.85),
    (-0.2, 0.3, 0.6, 0.55, 0.2, -0.25, -0.5, -0.3, 0.1, 0.35, 0.3, 0.0),
)
"""What it repeats until a hand has moved: a lying figure, across and up."""


def kernel(
    reset: Row, length_s: Row, mode: Row, smooth_s: Row, turning: Row, path_x: Drawn, path_y: Drawn, x: Row, y: Row,
    place: Row, state: State, rate: Scalar,
) -> None:  # fmt: skip
    """State: place in the movement [0, 1], last reset, the smoothed place of the hand, 1 once begun, 1 on the way
    back."""
    phase, last, across, up = state[PHASE], state[RESET], state[X], state[Y]
    begun, back = state[BEGUN], state[BACK]
    for i in range(x.size):
        way = int(mode[i] + 0.5)
        if reset[i] > 0.5 and last <= 0.5:
            phase = back = 0.0
        last = reset[i]
        at = 1.0 - phase if back > 0.5 and way == TO_AND_FRO else phase
        turns, goal_y = turning[i] > 0.5, drawn(path_y, at, way == LOOP)
        goal_x = _turned(path_x, at, way == LOOP) if turns else drawn(path_x, at, way == LOOP)
        if i == 0 or smooth_s[i] != smooth_s[i - 1]:
            smooth = approach_step(smooth_s[i], rate)
        step = 1.0 if begun == 0.0 else smooth
        across = _round(across + _round(goal_x - across) * step) if turns else across + (goal_x - across) * step
        up += (goal_y - up) * step
        begun = 1.0
        x[i], y[i], place[i] = across, up, at
        phase, back = _further(phase, back, 1.0 / max(length_s[i] * rate, 1.0), way)
    state[PHASE], state[RESET], state[X], state[Y], state[BEGUN], state[BACK] = phase, last, across, up, begun, back


@njit(error_model="numpy", forceinline=True)
def _round(turns: float) -> float:
    """An angle in half turns, within one half turn of straight ahead: -1 and 1 are the same."""
    return turns - 2.0 * floor((turns + 1.0) / 2.0)


@njit(error_model="numpy", forceinline=True)
def _turned(path: Drawn, at: float, closed: bool) -> float:
    """An angle between two of a path, the shorter way round."""
    count = int(path[0])
    place = at * (count if closed else count - 1)
    first = min(int(place), count - 1)
    before, after = path[1 + first], path[1 + (first + 1) % count]
    share = 0.0 if not closed and first == count - 1 else place - first
    return _round(before + _round(after - before) * share)


@njit(error_model="numpy", forceinline=True)
def _further(phase: float, back: float, step: float, way: float) -> tuple[float, float]:
    phase += step
    if phase >= 1.0:
        if way == ONCE:
            return 1.0, back
        return phase - 1.0, 1.0 - back
    return phase, back


MODULE = ModuleSpec(
    id="gesture",
    name="Gesture",
    stage="motion",
    sentence="Repeats a recorded movement of your hand, at any speed, with adjustable smoothing.",
    kernel=kernel,
    inputs=(Input("reset", "Reset", "gate", "Restarts the movement when it goes high."),),
    params=(
        Param("length_s", "Length", "s", 0.05, 3600, 6, "Length of the movement; note values work too.",
              taper="octaves", amount=1.0),
        Param("mode", "Mode", "choice", 0, 2, 0, "Loop, back and forth, or once after each reset.",
              ("round", "to and fro", "once")),
        Param("smooth_s", "Smoothing", "s", 0.0005, 10, 0.1, "Smoothing time.", taper="octaves",
              amount=1.0),
        Param("turning", "Across", "choice", 0, 1, 0, "A line, or an angle: then −1 and 1 are the same, and a way "
              "round the listener keeps turning.", ("a line", "an angle")),
    ),
    series=(
        Series("path_x", "Across", "none", -1, 1, FIGURE[0], "Horizontal position of the hand, at even intervals.",
               least=2, most=MOST_POINTS, group="path", drawn="path"),
        Series("path_y", "Up", "none", -1, 1, FIGURE[1], "Vertical position of the hand, at even intervals.", least=2,
               most=MOST_POINTS, group="path", drawn="path"),
    ),
    outputs=(
        Output("x", "Across", "control"),
        Output("y", "Up", "control"),
        Output("place", "Place", "control", 0, 1, seen=True),
    ),
    state=6,
    cycle=Cycle(None, lambda g: (1, 2, 0)[round(g.values["mode"])] * g.values["length_s"], ("length_s",),
                memory_s=lambda g: settling(g, "smooth_s")),
    face="length_s",
    words=("record", "hand", "mouse", "xy", "draw a movement", "loop"),
    sources=("linear interpolation and a first-order low-pass (textbook)",),
)  # fmt: skip
