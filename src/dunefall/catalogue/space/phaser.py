"""Phaser: notches that wander, made by turning the phase."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, fed_back
from dunefall.dsp.maths import exp2, floor, fma, sine, tangent_parts
from dunefall.dsp.saturation import saturate

__all__ = ["MODULE"]

PHASE, BACK, BACK_RIGHT, STATE = range(4)
MOST = 12
MEMORY_S = 0.02
"""About what once round all stages takes at the lowest."""
KNEE = 1.0


def kernel(
    audio: Row, audio_right: Row, stages: Row, centre_hz: Row, depth_oct: Row, rate_hz: Row, feedback: Row, apart: Row,
    dry: Row, wet: Row, out: Row, out_right: Row, state: State, memory: Memory, rate: Scalar,
) -> None:  # fmt: skip
    """State: phase of the movement, what is fed back on both sides. Memory: what each all-pass of both sides holds."""
    phase, per, scale = state[PHASE], 1.0 / rate, 2.0 / rate
    back, back_right = state[BACK], state[BACK_RIGHT]
    for i in range(out.size):
        x = audio[i] + saturate(feedback[i] * back, KNEE)
        y = audio_right[i] + saturate(feedback[i] * back_right, KNEE)
        a, a_rest = _factor(centre_hz[i] * exp2(depth_oct[i] * sine(phase)) * scale)
        b, b_rest = _factor(centre_hz[i] * exp2(depth_oct[i] * sine(fma(0.5, apart[i], phase))) * scale)
        back = _turned(x, a, a_rest, stages[i], memory, 0)
        back_right = _turned(y, b, b_rest, stages[i], memory, MOST)
        out[i] = fma(audio[i], dry[i], back * wet[i])
        out_right[i] = fma(audio_right[i], dry[i], back_right * wet[i])
        phase = fma(rate_hz[i], per, phase)
        phase -= floor(phase)
    state[PHASE], state[BACK], state[BACK_RIGHT] = phase, back, back_right


@njit(error_model="numpy", forceinline=True)
def _factor(x: float) -> tuple[float, float]:
    """Of a first-order all-pass that turns the phase by a quarter at this share of half the rate; and the root of what
    its square leaves of 1."""
    up, down = tangent_parts(min(x, 0.97))
    scale = 1.0 / (up + down)
    return (up - down) * scale, 2.0 * math.sqrt(up * down) * scale


@njit(error_model="numpy", forceinline=True)
def _turned(x: float, factor: float, rest: float, stages: float, memory: Memory, at: int) -> float:
    """A sample through the all-passes; a number of stages between two even ones is a mixture of both.

    Each is a rotation of what comes in and what it holds, so that it keeps their power however its factor moves.
    """
    heard = 0.0
    for k in range(MOST):
        y = fma(factor, x, rest * memory[at + k])
        memory[at + k] = fma(-factor, memory[at + k], rest * x)
        x = y
        if k % 2 == 1:
            heard = fma(max(1.0 - 0.5 * abs(stages - (k + 1)), 0.0), x, heard)
    return heard


MODULE = ModuleSpec(
    id="phaser",
    name="Phaser",
    stage="space",
    sentence="Moving all-pass filters: soft notches sweep through the sound.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("stages", "Stages", "none", 2, MOST, 6, "Two of them make a notch.", whole=True, amount=2.0),
        Param("centre_hz", "Middle", "hz", 40, 8000, 600, "Where the notches are.", taper="octaves", amount=1.0),
        Param("depth_oct", "Depth", "none", 0, 3, 1.2, "Depth of the sweep in octaves.", amount=0.5),
        Param("rate_hz", "Rate", "hz", 0.01, 10, 0.2, "How fast.", taper="octaves", amount=1.0),
        Param("feedback", "Feedback", "ratio", -0.95, 0.95, 0.3, "How sharply they stand out.", amount=0.2),
        Param("apart", "Apart", "ratio", 0, 1, 0, "Phase offset of the right channel; fully, it moves the opposite "
              "way.", amount=0.3),
        Param("dry", "Dry", "ratio", 0, 1, 0.7, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", -1, 1, 0.7, "Level of the phase-shifted sound; negative subtracts it.",
              amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True, width="apart"),),
    state=STATE,
    memory=2 * MOST,
    cycle=Cycle(None, lambda g: 1.0 / g.values["rate_hz"], ("rate_hz",),
                memory_s=lambda g: fed_back(g, "feedback", MEMORY_S)),
    face="rate_hz",
    passes="audio",
    words=("notch", "sweep", "swirl", "all-pass", "whoosh"),
    sources=("Smith 1984, An all-pass approach to digital phasing and flanging (from memory)",
             "Gray and Markel 1975, normalised lattice (keeps the power while it moves; from memory)"),
)  # fmt: skip
