"""Three-band resonator: three ringing bands side by side."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, lowest_hz, resonance_s
from dunefall.dsp.maths import exp2
from dunefall.dsp.svf import band_rows, svf_factors, three_bands

__all__ = ["MODULE"]

WIDEST, NARROWEST = 2.0, 0.0025
OCTAVES = 9.643856189774724  # log2(WIDEST / NARROWEST)


def kernel(
    audio: Row, a_hz: Row, b_hz: Row, c_hz: Row, a_level: Row, b_level: Row, c_level: Row, shift_st: Row,
    resonance: Row, mix: Row, out: Row, state: State, rate: Scalar, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: the integrators of three band-passes."""
    shared = moving & 0b110000000
    _band(0, a_hz, a_level, shift_st, resonance, rate, shared | moving & 0b10010, scratch)
    _band(1, b_hz, b_level, shift_st, resonance, rate, shared | moving & 0b100100, scratch)
    _band(2, c_hz, c_level, shift_st, resonance, rate, shared | moving & 0b1001000, scratch)
    three_bands(audio, mix, out, scratch, state)


@njit(error_model="numpy", forceinline=True)
def _band(
    k: int, hz: Row, level: Row, shift_st: Row, resonance: Row, rate: float, moves: int, scratch: Scratch
) -> None:
    n = hz.size
    take, cross, sink, gain = band_rows(scratch, k, n)
    if moves:
        for i in range(n):
            take[i], cross[i], sink[i], gain[i] = _factors(hz[i], level[i], shift_st[i], resonance[i], rate)
    else:
        take[:], cross[:], sink[:], gain[:] = _factors(hz[0], level[0], shift_st[0], resonance[0], rate)


@njit(error_model="numpy", forceinline=True)
def _factors(hz: float, level: float, shift: float, resonance: float, rate: float) -> tuple[float, float, float, float]:
    """Factors of a band-pass, and half of its level times its damping, by which its gain at the middle is 1."""
    damping = WIDEST * exp2(-OCTAVES * resonance)
    take, cross, sink = svf_factors(hz * exp2(shift * (1.0 / 12.0)), damping, 2.0 / rate)
    return take, cross, sink, 0.5 * level * damping


def _remembers(given: Given) -> float:
    """As long as its lowest band rings."""
    resonance = 1.0 if "resonance" in given.linked else given.values["resonance"]
    lowest = min(lowest_hz(given, name) for name in ("a_hz", "b_hz", "c_hz"))
    down = 2.0 ** ((given.values["shift_st"] - (24.0 if "shift_st" in given.linked else 0.0)) / 12.0)
    return resonance_s(lowest * down, WIDEST * 2.0 ** (-OCTAVES * resonance))


MODULE = ModuleSpec(
    id="resonator",
    name="Three-band resonator",
    stage="shape",
    sentence="Three ringing bands side by side, each with its own frequency and level: hollow bodies, radios, throats.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("a_hz", "First", "hz", 20, 18000, 240, "Frequency of the first band.", taper="octaves", amount=1.0),
        Param("b_hz", "Second", "hz", 20, 18000, 900, "Frequency of the second band.", taper="octaves", amount=1.0),
        Param("c_hz", "Third", "hz", 20, 18000, 2700, "Frequency of the third band.", taper="octaves", amount=1.0),
        Param("a_level", "First level", "ratio", -1, 1, 1, "Level of the first band; negative inverts the polarity.",
              amount=0.3),
        Param("b_level", "Second level", "ratio", -1, 1, 0.7, "Level of the second band.", amount=0.3),
        Param("c_level", "Third level", "ratio", -1, 1, 0.5, "Level of the third band.", amount=0.3),
        Param("shift_st", "Shift", "st", -48, 48, 0, "Moves all three together.", amount=7.0),
        Param("resonance", "Resonance", "ratio", 0, 1, 0.4, "From broad colouring to long ringing tones (Q 400).",
              amount=0.3),
        Param("mix", "Mix", "ratio", 0, 1, 1, "Dry/wet: from the dry sound to the bands.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=6,
    cycle=Cycle(memory_s=_remembers),
    handle=("shift_st", "resonance"),
    face="resonance",
    passes="audio",
    words=("band-pass", "formant", "body", "box", "radio", "peaks"),
    sources=("Zavalishin 2018, The Art of VA Filter Design (state-variable band-pass)",),
)  # fmt: skip
