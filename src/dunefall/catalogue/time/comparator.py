"""Comparator: gates from the height of a signal."""

from __future__ import annotations

from dunefall.base.arrays import Row, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param

__all__ = ["MODULE"]

ABOVE, INSIDE = range(2)


def kernel(
    signal: Row, level: Row, hysteresis: Row, window: Row, above: Row, below: Row, inside: Row, state: State
) -> None:
    """State: whether the signal was above the level, and inside of the window."""
    over, within = state[ABOVE], state[INSIDE]
    for i in range(above.size):
        half = 0.5 * hysteresis[i]
        edge = level[i] + half if over < 0.5 else level[i] - half
        over = 1.0 if signal[i] > edge else 0.0
        reach = 0.5 * window[i] + (half if within > 0.5 else -min(half, 0.25 * window[i]))
        within = 1.0 if abs(signal[i] - level[i]) < reach else 0.0
        above[i], below[i], inside[i] = over, 1.0 - over, within
    state[ABOVE], state[INSIDE] = over, within


MODULE = ModuleSpec(
    id="comparator",
    name="Comparator",
    stage="time",
    sentence="Opens a gate while a signal is above a level, below it, or within a window around it.",
    kernel=kernel,
    inputs=(Input("signal", "Signal", "control", "What is compared."),),
    params=(
        Param("level", "Level", "none", -2, 2, 0, "Where above and below meet.", amount=0.5),
        Param("hysteresis", "Hysteresis", "none", 0, 1, 0.02, "Hysteresis: how far the signal must go back before the "
              "gate changes again.", amount=0.1),
        Param("window", "Window", "none", 0, 4, 0.5, "Width of the window around the level.", amount=0.3),
    ),
    outputs=(
        Output("above", "Above", "gate", 0, 1),
        Output("below", "Below", "gate", 0, 1),
        Output("inside", "Inside", "gate", 0, 1),
    ),
    state=2,
    face="level",
    words=("threshold", "gate from signal", "window", "detector", "greater than", "schmitt trigger"),
    sources=("comparator with hysteresis: Schmitt 1938 (from memory)",),
)  # fmt: skip
