"""Smooth random: new values at a rate, joined by smooth curves."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key, Row, Scalar, State
from dunefall.catalogue.declare import ModuleSpec, Output, Param, Preset
from dunefall.dsp.maths import fma
from dunefall.dsp.random import uniform

__all__ = ["MODULE"]

PHASE, DRAWS, FROM, TO = range(4)


def kernel(rate_hz: Row, polarity: Row, out: Row, state: State, key: Key, rate: Scalar) -> None:
    """State: place between two values [0, 1), number of draws, the two values (-1..1)."""
    place, draws, start, end = state[PHASE], state[DRAWS], state[FROM], state[TO]
    if draws < 2.0:
        start = 2.0 * uniform(key, 0.0, 0) - 1.0
        end = 2.0 * uniform(key, 1.0, 0) - 1.0
        draws = 2.0
    begin, per = 0, 1.0 / rate
    for i in range(out.size):
        out[i] = place
        place += min(rate_hz[i] * per, 1.0)
        if place >= 1.0:
            place -= 1.0
            _bend(out[begin : i + 1], start, end)
            begin, start = i + 1, end
            end = 2.0 * uniform(key, draws, 0) - 1.0
            draws += 1.0
    _bend(out[begin:], start, end)
    for i in range(out.size):
        out[i] = fma(fma(-0.5, out[i], 0.5), polarity[i], out[i])
    state[PHASE], state[DRAWS], state[FROM], state[TO] = place, draws, start, end


@njit(error_model="numpy", forceinline=True)
def _bend(out: Row, start: float, end: float) -> None:
    """Places between two values into the curve that joins them."""
    for i in range(out.size):
        place = out[i]
        out[i] = fma(end - start, place * place * place * fma(place, fma(6.0, place, -15.0), 10.0), start)


MODULE = ModuleSpec(
    id="smooth-random",
    name="Smooth random",
    stage="motion",
    sentence="Wanders smoothly and never takes the same path twice.",
    kernel=kernel,
    params=(
        Param("rate_hz", "Rate", "hz", 1 / 3600, 200, 0.3, "New values per second.", taper="octaves", amount=1.0),
        Param("polarity", "Span", "choice", 0, 1, 0, "Both ways, or upwards only.", ("−1 to 1", "0 to 1")),
    ),
    outputs=(Output("out", "Value", "control"),),
    state=4,
    face="rate_hz",
    words=("drift", "wander", "gusts", "wind", "slow random"),
    presets=(
        Preset(
            "Gusts",
            "Swells up to full strength and back, irregularly.",
            {"rate_hz": 0.15, "polarity": "0 to 1"},
            ("gust", "swells", "wind speed"),
        ),
        Preset(
            "Slow drift", "Wanders through its range in about a minute.", {"rate_hz": 0.02}, ("slow wander", "creeping")
        ),
    ),
    sources=("Perlin 2002, Improving noise (quintic interpolation), doi:10.1145/566654.566636",),
)
