"""A wave that another one sets back or turns round, at any time between the samples.

The wave is drawn without care, and every jump and every corner of it, its own and those that the sync makes, is rounded
by what a windowed sinc, sixteen samples to each side, lacks of it (Kaiser window, 60 dB; Brandt 2001, "Hard sync
without aliasing", from memory). When the sync signal passes through 0 is found by a polynomial through six samples
(Lagrange), of which two come behind it. So the wave comes eighteen samples later.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dunefall.base.arrays import Row
from dunefall.dsp.maths import floor, fma, sine

__all__ = [
    "HALF",
    "RING",
    "bare",
    "crossing",
    "edged",
    "edged_slope",
    "go_on",
    "round_corner",
    "round_jump",
    "round_sine",
]

HALF, PER = 16, 64
RING = 64
"""Samples that are still to come, of each voice."""
CUTOFF, KAISER = 0.455, 5.65


def _lacks() -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """What a rounded jump, and a rounded corner, lacks at a distance after its middle, ``PER`` places a sample; and the
    sinc itself."""
    at = np.arange(-HALF * PER, HALF * PER + 1) / PER
    kernel = np.sinc(2.0 * CUTOFF * at) * np.kaiser(len(at), KAISER)
    rising = np.concatenate(([0.0], np.cumsum(0.5 * (kernel[1:] + kernel[:-1]))))
    jump = 1.0 - rising[HALF * PER :] / rising[-1]
    pieces = 0.5 * (jump[1:] + jump[:-1]) / PER
    corner = np.concatenate((np.cumsum(pieces[::-1])[::-1], [0.0]))
    sinc = kernel[HALF * PER :] / rising[-1] * PER
    return np.append(jump, 0.0), np.append(corner, 0.0), np.append(sinc, (0.0, 0.0))


JUMP, CORNER, SINC = _lacks()
P0, P1, P3, P4 = 0.04691007703066802, 0.23076534494715845, 0.7692346550528415, 0.9530899229693319
W0, W1, W2 = 0.11846344252809454, 0.23931433524968324, 0.28444444444444444
"""Places and weights of Gauss and Legendre's rule for five points between two samples."""


@njit(error_model="numpy", forceinline=True)
def crossing(near: Row) -> float:
    """Where between the third and the fourth of six samples the signal passes through 0.

    Parameters
    ----------
    near : ndarray [shape=(6,)]
        The samples.

    Returns
    -------
    float
        [0, 1].
    """
    a, b, c, d, e, f = near[0], near[1], near[2], near[3], near[4], near[5]
    x = c / (c - d)
    for _ in range(3):
        here, later = _through(a, b, c, d, e, f, x), _through(a, b, c, d, e, f, x + 1e-4)
        slope = (later - here) * 1e4
        x = min(max(x - here / slope, 0.0), 1.0) if slope > 0.0 else x
    return x


@njit(error_model="numpy", forceinline=True)
def _through(a: float, b: float, c: float, d: float, e: float, f: float, x: float) -> float:
    """The polynomial through six samples at -2 to 3."""
    p, q, r, s, t, u = x + 2.0, x + 1.0, x, x - 1.0, x - 2.0, x - 3.0
    one = fma(a * (-1.0 / 120.0), q, b * (1.0 / 24.0) * p) * (r * s * t * u)
    two = fma(c * (-1.0 / 12.0), s, d * (1.0 / 12.0) * r) * (p * q * t * u)
    three = fma(e * (-1.0 / 24.0), u, f * (1.0 / 120.0) * t) * (p * q * r * s)
    return one + two + three


@njit(error_model="numpy")
def round_sine(
    late: Row, now: int, height: float, here: float, step: float, there: float, onwards: float, since: float
) -> None:
    """Round where a sine ends at one phase and begins at another: what a sinc leaves of half of it is integrated.

    Parameters
    ----------
    late : ndarray [shape=(RING,)]
        Samples that are still to come.
    now : int
        Place of this sample among them.
    height : float
        Of the sine.
    here, step : float
        Its phase where it ends, and how fast it goes, in cycles.
    there, onwards : float
        The phase where it begins, and how fast it goes then: as fast, either way.
    since : float
        How long ago that was, in samples.
    """
    spokes = (
        sine(fma(P0, step, 0.25)), -sine(P0 * step), sine(fma(P1, step, 0.25)), -sine(P1 * step),
        sine(fma(0.5, step, 0.25)), -sine(0.5 * step), sine(fma(P3, step, 0.25)), -sine(P3 * step),
        sine(fma(P4, step, 0.25)), -sine(P4 * step),
    )  # fmt: skip
    begin = since - HALF
    whole = left = right = 0.0
    for k in range(2 * HALF):
        whole += _piece(begin + k, step, spokes)[0]
    whole = max(whole, 0.5)
    side = 1.0 if onwards * step >= 0.0 else -1.0
    for k in range(2 * HALF):  # so much of the sinc lies before: a sine that begins there is by so much too small
        away = begin + k
        re, im = left / whole, right / whole
        if away >= 0.0:
            re, im = re - 1.0, im
        cos, sin = sine(fma(away, step, 0.25)), sine(away * step)
        grown, turned = fma(re, cos, -im * sin), fma(re, sin, im * cos)
        new = fma(sine(there), grown, side * sine(there + 0.25) * turned)
        old = fma(sine(here), grown, sine(here + 0.25) * turned)
        late[(now + k) & (RING - 1)] += height * (new - old)
        piece_re, piece_im = _piece(away, step, spokes)
        left, right = left + piece_re, right + piece_im


@njit(error_model="numpy", forceinline=True)
def _piece(at: float, step: float, spokes: tuple[float, ...]) -> tuple[float, float]:
    """The sinc times a turning pointer, integrated over a sample from a distance of its middle on."""
    re = fma(
        W0,
        _sinc(at + P0) * spokes[0] + _sinc(at + P4) * spokes[8],
        fma(W1, _sinc(at + P1) * spokes[2] + _sinc(at + P3) * spokes[6], W2 * _sinc(at + 0.5) * spokes[4]),
    )
    im = fma(
        W0,
        _sinc(at + P0) * spokes[1] + _sinc(at + P4) * spokes[9],
        fma(W1, _sinc(at + P1) * spokes[3] + _sinc(at + P3) * spokes[7], W2 * _sinc(at + 0.5) * spokes[5]),
    )
    cos, sin = sine(fma(at, step, 0.25)), -sine(at * step)
    return fma(re, cos, -im * sin), fma(re, sin, im * cos)


@njit(error_model="numpy", forceinline=True)
def _sinc(away: float) -> float:
    fine = min(abs(away) * PER, float(HALF * PER))
    at = int(fine)
    return fma(fine - at, SINC[at + 1] - SINC[at], SINC[at])


@njit(error_model="numpy", forceinline=True)
def bare(form: float, at: float, width: float) -> float:
    """The wave without rounding: from sine (0) over triangle (1) and saw (2) to pulse (3).

    Parameters
    ----------
    form : float
        Shape of the wave.
    at : float
        Phase in cycles.
    width : float (0, 1)
        Share of the period in which a pulse is high.

    Returns
    -------
    float
    """
    return fma(max(1.0 - form, 0.0), sine(at - floor(at)), edged(form, at, width))


@njit(error_model="numpy", forceinline=True)
def edged(form: float, at: float, width: float) -> float:
    """What of it has jumps or corners: all but the sine.

    Parameters
    ----------
    form : float
        Shape of the wave.
    at : float
        Phase in cycles.
    width : float (0, 1)
        Share of the period in which a pulse is high.

    Returns
    -------
    float
    """
    at -= floor(at)
    b, c, d = max(1.0 - abs(form - 1.0), 0.0), max(1.0 - abs(form - 2.0), 0.0), max(form - 2.0, 0.0)
    quarter, half = at + 0.25 - floor(at + 0.25), at + 0.5 - floor(at + 0.5)
    high = 2.0 * (1.0 - width) if at < width else -2.0 * width
    return fma(c, fma(2.0, half, -1.0), fma(d, high, b * (1.0 - abs(4.0 * quarter - 2.0))))


@njit(error_model="numpy", forceinline=True)
def edged_slope(form: float, at: float) -> float:
    """How much that rises for a cycle; its jumps do not count.

    Parameters
    ----------
    form : float
        Shape of the wave.
    at : float
        Phase in cycles.

    Returns
    -------
    float
    """
    b, c = max(1.0 - abs(form - 1.0), 0.0), max(1.0 - abs(form - 2.0), 0.0)
    quarter = at + 0.25 - floor(at + 0.25)
    return fma(b, 4.0 if quarter < 0.5 else -4.0, 2.0 * c)


@njit(error_model="numpy")
def go_on(late: Row, now: int, form: float, width: float, at: float, way: float, long: float, since: float) -> None:
    """Round what a wave does on its way by itself.

    Parameters
    ----------
    late : ndarray [shape=(RING,)]
        Samples that are still to come.
    now : int
        Place of this sample among them.
    form, width : float
        Of the wave.
    at, way : float
        Phase at the begin, and how far it goes, in cycles.
    long, since : float
        How long that takes, and how long ago it ends, in samples.
    """
    b, c = max(1.0 - abs(form - 1.0), 0.0), max(1.0 - abs(form - 2.0), 0.0)
    d, side = max(form - 2.0, 0.0), 1.0 if way >= 0.0 else -1.0
    if way == 0.0 or long <= 0.0:
        return
    if d > 0.0:
        round_jump(late, now, 2.0 * d * side, _passed(at, way, 0.0, long, since))
        round_jump(late, now, -2.0 * d * side, _passed(at, way, width, long, since))
    if c > 0.0:
        round_jump(late, now, -2.0 * c * side, _passed(at, way, 0.5, long, since))
    if b > 0.0:
        speed = 8.0 * b * abs(way) / long
        round_corner(late, now, -speed, _passed(at, way, 0.25, long, since))
        round_corner(late, now, speed, _passed(at, way, 0.75, long, since))


@njit(error_model="numpy", forceinline=True)
def _passed(at: float, way: float, place: float, long: float, since: float) -> float:
    """How long ago a place of the cycle was passed, in samples; -1: it was not."""
    if way > 0.0:
        there = place + floor(at + way - place)
        reached = there > at
    else:
        there = place - floor(place - at - way)
        reached = there < at
    return since + (1.0 - (there - at) / way) * long if reached else -1.0


@njit(error_model="numpy")
def round_jump(late: Row, now: int, height: float, since: float) -> None:
    """Round a jump.

    Parameters
    ----------
    late : ndarray [shape=(RING,)]
        Samples that are still to come.
    now : int
        Place of this sample among them.
    height : float
        Of the jump.
    since : float
        How many samples ago; -1: there is none.
    """
    if since >= 0.0 and height != 0.0:
        _add(late, now, JUMP, height, -height, since)


@njit(error_model="numpy")
def round_corner(late: Row, now: int, bend: float, since: float) -> None:
    """Round a change of slope.

    Parameters
    ----------
    late : ndarray [shape=(RING,)]
        Samples that are still to come.
    now : int
        Place of this sample among them.
    bend : float
        How much steeper it gets, a sample.
    since : float
        How many samples ago; -1: there is none.
    """
    if since >= 0.0 and bend != 0.0:
        _add(late, now, CORNER, bend, bend, since)


@njit(error_model="numpy")
def _add(late: Row, now: int, lacks: NDArray[np.float64], before: float, after: float, since: float) -> None:
    """Add what is lacking, by a table, times a factor before an event so many samples ago and one from it on."""
    fine = since * PER
    whole = int(fine)
    share = fine - whole
    for k in range(HALF):
        at = k * PER + whole
        if at < HALF * PER:
            late[(now + HALF + k) & (RING - 1)] += after * fma(share, lacks[at + 1] - lacks[at], lacks[at])
    for k in range(1, HALF + 1):
        at = k * PER - whole
        late[(now + HALF - k) & (RING - 1)] += before * fma(share, lacks[max(at - 1, 0)] - lacks[at], lacks[at])
