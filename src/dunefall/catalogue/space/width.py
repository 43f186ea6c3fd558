"""Width: how wide a sound is between left and right, and above which frequency."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Preset, lowest_hz, pole_s
from dunefall.dsp.maths import fma
from dunefall.dsp.onepole import one_pole_share

__all__ = ["MODULE"]

WRITE, LOW, LOWER, STATE = range(4)
DELAYS_S = (0.0023, 0.0041, 0.0071, 0.0113)
FACTORS = (0.62, -0.57, 0.53, -0.49)
FOUR = len(DELAYS_S)
CLOSED_HZ = 10.0
MADE_S = 0.2
"""Until the all-passes have fallen by 90 dB."""


def kernel(
    audio: Row, audio_right: Row, width: Row, low_mono_hz: Row, made: Row, out: Row, out_right: Row, state: State,
    memory: Memory, rate: Scalar, moving: Mask,
) -> None:  # fmt: skip
    """State: place of writing, two values of the low-pass that takes the depths out of the side. Memory: four rings of
    all-passes, which make the side of a sound that has none.

    The side is half of the difference of both channels; it is made wider or narrower, the middle stays.
    """
    size, write = memory.size // FOUR, int(state[WRITE])
    low, lower = state[LOW], state[LOWER]
    share = _share(low_mono_hz[0], rate)
    for i in range(out.size):
        if moving & 0b1000:
            share = _share(low_mono_hz[i], rate)
        middle, side = 0.5 * (audio[i] + audio_right[i]), 0.5 * (audio[i] - audio_right[i])
        side = fma(made[i], _unlike(middle, memory, size, write, rate), side)
        low = fma(share, side - low, low)
        side -= low
        lower = fma(share, side - lower, lower)
        side = (side - lower) * width[i]
        out[i], out_right[i] = middle + side, middle - side
        write = write + 1 if write + 1 < size else 0
    state[WRITE], state[LOW], state[LOWER] = write, low, lower


@njit(error_model="numpy", forceinline=True)
def _share(hz: float, rate: float) -> float:
    """A one-pole low-pass coefficient; the lowest cutoff passes the side unchanged."""
    return 0.0 if hz <= 1.0001 * CLOSED_HZ else one_pole_share(hz, rate)


@njit(error_model="numpy", forceinline=True)
def _unlike(x: float, memory: Memory, size: int, write: int, rate: float) -> float:
    """A sample through all-passes: as loud at every frequency, but no longer the same wave."""
    for k in range(FOUR):
        at = write - int(DELAYS_S[k] * rate)
        old = memory[k * size + (at if at >= 0 else at + size)]
        fresh = fma(-FACTORS[k], old, x)
        memory[k * size + write] = fresh
        x = fma(FACTORS[k], fresh, old)
    return x


def _remembers(given: Given) -> float:
    """The all-passes of the made side, and the low-pass that takes the depths out of it."""
    kept = MADE_S if given.used("made") else 0.0
    closed = given.values["low_mono_hz"] <= CLOSED_HZ and "low_mono_hz" not in given.linked
    return kept if closed else kept + 2.0 * pole_s(lowest_hz(given, "low_mono_hz"))


MODULE = ModuleSpec(
    id="width",
    name="Width",
    stage="space",
    sentence="Widens or narrows a sound, keeps its lows in mono, and makes mono sounds stereo.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("width", "Width", "ratio", 0, 2, 1, "0 %: mono; 100 %: unchanged; above: wider.", amount=0.3),
        Param("low_mono_hz", "Mono below", "hz", CLOSED_HZ, 500, CLOSED_HZ, "Below this frequency it is mono; 10 Hz: "
              "off.", taper="octaves", amount=1.0),
        Param("made", "Made side", "ratio", 0, 1, 0, "Amount of side signal made from the mid signal; it cancels in "
              "mono.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True, width="made"),),
    state=STATE,
    cycle=Cycle(memory_s=_remembers),
    memory_s=FOUR * 0.012,
    face="width",
    passes="audio",
    words=("stereo", "mono", "mid side", "wide", "narrow", "decorrelate"),
    presets=(
        Preset("Mono", "Both sides the same.",
               {"width": 0.0}, ("fold to mono", "narrow")),
    ),
    sources=("middle and side: Blumlein (textbook)", "Schroeder 1961 (artificial stereo by all-passes, from memory)"),
)  # fmt: skip
