"""Filter: low, band, high, notch and peak at once from one state-variable filter."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Given, Input, ModuleSpec, Output, Param, Preset, lowest_hz, resonance_s
from dunefall.dsp.maths import fma
from dunefall.dsp.svf import mean, svf_factors, svf_next

__all__ = ["MODULE"]

S1, S2, AGAIN = range(3)
MOVES, SLOPE_MOVES = 0b110, 0b1000
LOW, BAND, HIGH, NOTCH, PEAK, MORPH = (1 << k for k in range(6))
MOVED = 5.0
"""Kind of the output whose form is a parameter."""
WIDEST, NARROWEST = 1.4142135623730951, 0.02


def kernel(
    audio: Row, cutoff_hz: Row, resonance: Row, slope: Row, form: Row, low: Row, band: Row, high: Row, notch: Row,
    peak: Row, morph: Row, state: State, rate: Scalar, moving: Mask, wanted: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: the two integrators, then those of the second filter of each output.

    The integrators run as a two-by-two recurrence, whose factors are worked out before it; an integrator's output is
    the mean of what it holds before and after the sample. The other outputs are made from the low one, which comes
    last. For 24 dB each output passes through a second filter of its own kind.
    """
    n = low.size
    s1, s2, scale = state[S1], state[S2], 2.0 / rate
    take, cross, sink = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n]
    middle = scratch[192 : 192 + n]
    twice = moving & SLOPE_MOVES != 0 or slope[0] != 0.0
    if moving & MOVES:
        for i in range(n):
            take[i], cross[i], sink[i] = svf_factors(cutoff_hz[i], _damping(resonance[i]), scale)
        for i in range(n):
            t1, t2 = svf_next(s1, s2, audio[i], take[i], cross[i], sink[i])
            middle[i], low[i] = mean(s1, t1), mean(s2, t2)
            s1, s2 = t1, t2
    else:
        t, c, s = svf_factors(cutoff_hz[0], _damping(resonance[0]), scale)
        for i in range(n):
            t1, t2 = svf_next(s1, s2, audio[i], t, c, s)
            middle[i], low[i] = mean(s1, t1), mean(s2, t2)
            s1, s2 = t1, t2
        if twice:
            take[:], cross[:], sink[:] = t, c, s
    state[S1], state[S2] = s1, s2
    if wanted & BAND:
        _give(band, 1.0, form, low, audio, resonance, slope, state, twice, scratch)
    if wanted & HIGH:
        _give(high, 2.0, form, low, audio, resonance, slope, state, twice, scratch)
    if wanted & NOTCH:
        _give(notch, 3.0, form, low, audio, resonance, slope, state, twice, scratch)
    if wanted & PEAK:
        _give(peak, 4.0, form, low, audio, resonance, slope, state, twice, scratch)
    if wanted & MORPH:
        _give(morph, MOVED, form, low, audio, resonance, slope, state, twice, scratch)
    if wanted & LOW and twice:
        _give(low, 0.0, form, low, audio, resonance, slope, state, twice, scratch)


@njit(error_model="numpy", forceinline=True)
def _give(
    out: Row, kind: float, form: Row, low: Row, audio: Row, resonance: Row, slope: Row, state: State, twice: float,
    scratch: Scratch,
) -> None:  # fmt: skip
    """One output from the integrators; then, as far as the slope says, that output filtered once more."""
    n, own = out.size, AGAIN + 2 * int(kind)
    take, cross, sink, middle = scratch[:n], scratch[64 : 64 + n], scratch[128 : 128 + n], scratch[192 : 192 + n]
    for i in range(n):
        here = form[i] if kind == MOVED else kind
        out[i] = _parts(here, audio[i], _damping(resonance[i]) * middle[i], low[i])
    if twice:
        s1, s2 = state[own], state[own + 1]
        for i in range(n):
            if slope[i] == 0.0:
                continue
            x, here = out[i], form[i] if kind == MOVED else kind
            t1, t2 = svf_next(s1, s2, x, take[i], cross[i], sink[i])
            again = _parts(here, x, _damping(resonance[i]) * mean(s1, t1), mean(s2, t2))
            s1, s2 = t1, t2
            out[i] = fma(again - x, slope[i], x)
        state[own], state[own + 1] = s1, s2


@njit(error_model="numpy", forceinline=True)
def _parts(form: float, x: float, band: float, low: float) -> float:
    """From low (0) over band, high and notch to peak (4): the notch is low and high together, the peak their
    difference."""
    is_low, is_band, is_high = _near(form, 0.0), _near(form, 1.0), _near(form, 2.0)
    is_notch, is_peak = _near(form, 3.0), _near(form, 4.0)
    high = x - band - low
    return fma(is_low + is_notch + is_peak, low, fma(is_band, band, (is_high + is_notch - is_peak) * high))


@njit(error_model="numpy", forceinline=True)
def _near(form: float, kind: float) -> float:
    return max(1.0 - abs(form - kind), 0.0)


@njit(error_model="numpy", forceinline=True)
def _damping(resonance: float) -> float:
    return fma(NARROWEST - WIDEST, resonance, WIDEST)


def _remembers(given: Given) -> float:
    """Its poles fall as one at half of the frequency by Q."""
    resonance = 1.0 if "resonance" in given.linked else given.values["resonance"]
    return resonance_s(lowest_hz(given, "cutoff_hz"), WIDEST + (NARROWEST - WIDEST) * resonance)


MODULE = ModuleSpec(
    id="filter",
    name="Filter",
    stage="shape",
    sentence="Low-pass, band-pass and high-pass, each on its own output, at 12 or 24 dB per octave.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("cutoff_hz", "Cutoff", "hz", 10, 20000, 950, "Cutoff frequency.", taper="octaves",
              amount=1.5),
        Param("resonance", "Resonance", "ratio", 0, 1, 0.1, "From flat (Q 0.71) to ringing (Q 50).", amount=0.3),
        Param("slope", "Slope", "choice", 0, 1, 0, "Slope; 24 dB is the filter twice in series.",
              ("12 dB", "24 dB"), usual=0),
        Param("form", "Morph", "choice", 0, 4, 0, "Response at the output Morph, gliding from one to the next.",
              ("low", "band", "high", "notch", "peak"), amount=1.0),
    ),
    outputs=(Output("low", "Low", "audio"), Output("band", "Band", "audio"), Output("high", "High", "audio"),
             Output("notch", "Notch", "audio"), Output("peak", "Peak", "audio"), Output("morph", "Morph", "audio")),
    state=14,
    handle=("cutoff_hz", "resonance"),
    cycle=Cycle(memory_s=_remembers),
    face="cutoff_hz",
    passes="audio",
    words=("muffle", "tone", "darken", "brighten", "morph", "vcf", "state variable"),
    presets=(
        Preset("Low-pass", "Takes away what lies above its cutoff.",
               {}, ("lowpass", "low pass filter", "lpf", "high cut", "muffle"), "low"),
        Preset("High-pass", "Takes away what lies below its cutoff.",
               {"cutoff_hz": 300.0}, ("highpass", "high pass filter", "hpf", "low cut", "thin"), "high"),
        Preset("Band-pass", "Leaves what lies around its centre.",
               {"resonance": 0.4}, ("bandpass", "band pass filter", "bpf"), "band"),
        Preset("Notch", "Takes away what lies around its centre.",
               {"resonance": 0.4}, ("band-stop", "bandstop", "band reject"), "notch"),
        Preset("Steep low-pass", "A low-pass of 24 dB an octave.",
               {"slope": "24 dB"}, ("24 db", "four-pole"), "low"),
    ),
    sources=(
        "Zavalishin 2018, The Art of VA Filter Design (topology-preserving transform)",
        "Simper 2013, Linear trapezoidal integrated state variable filter",
    ),
)  # fmt: skip
