"""Filter: low, band and high at once from one state-variable filter."""

from __future__ import annotations

from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import flush, tan_half_pi

__all__ = ["MODULE"]

S1, S2, CUTOFF, G, RESONANCE, SHARE = range(6)


def kernel(audio, cutoff_hz, resonance, low, band, high, state, rate):  # type: ignore[no-untyped-def]
    """State: the two integrators, last cutoff in Hz and its prewarped gain, last resonance, share of the input."""
    s1, s2, cutoff, g = state[S1], state[S2], state[CUTOFF], state[G]
    last, share = state[RESONANCE], state[SHARE]
    scale = 2.0 / rate
    for i in range(low.size):
        damping = 1.4142135623730951 - 1.3942135623730951 * resonance[i]
        if cutoff_hz[i] != cutoff or resonance[i] != last:
            if cutoff_hz[i] != cutoff:
                cutoff = cutoff_hz[i]
                g = tan_half_pi(min(cutoff * scale, 0.97))
            last = resonance[i]
            share = 1.0 / (1.0 + g * (damping + g))
        h = (audio[i] - (damping + g) * s1 - s2) * share
        b = g * h + s1
        l = g * b + s2  # noqa: E741
        s1 = g * h + b
        s2 = g * b + l
        low[i], band[i], high[i] = l, damping * b, h
    state[S1], state[S2], state[CUTOFF], state[G] = flush(s1), flush(s2), cutoff, g
    state[RESONANCE], state[SHARE] = last, share


MODULE = ModuleSpec(
    id="filter",
    name="Filter",
    stage="shape",
    sentence="Keeps what lies below, around or above the cutoff, each on its own output.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("cutoff_hz", "Cutoff", "hz", 10, 20000, 950, "Frequency at which the sound divides.", taper="octaves",
              amount=1.5),
        Param("resonance", "Resonance", "ratio", 0, 1, 0.1, "From flat (Q 0.71) to ringing (Q 50).", amount=0.3),
    ),
    outputs=(Output("low", "Low", "audio"), Output("band", "Band", "audio"), Output("high", "High", "audio")),
    state=6,
    face="cutoff_hz",
    passes="audio",
    words=("low-pass", "high-pass", "band-pass", "muffle", "tone", "darken", "brighten"),
    sources=(
        "Zavalishin 2018, The Art of VA Filter Design (topology-preserving transform)",
        "Simper 2013, Linear trapezoidal integrated state variable filter",
    ),
)  # fmt: skip
