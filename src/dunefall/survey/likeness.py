"""Whether what is heard comes again: a period of the whole, and stretches that resemble each other.

Both are told by the spectrogram in 24 bands, every 85 ms at 48 kHz. The period rests on how far the sound is from
itself some time later (the structure function of a series, common practice), beside how far it is from what is next to
it: a loop is as near to its next round as its events let it be, while slow waves that move apart never are.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dunefall.survey.findings import View
from dunefall.survey.listening import BANDS

__all__ = ["Alike", "Period", "alike_stretches", "course_of", "period_of"]

HOP_BINS, GROUP = 8, 3
SHORTEST_S, ROUNDS = 1.0, 2.0
"""No period is shorter; so many rounds must be known."""
NEAR, WITHIN = 0.03, 0.6
"""Of all that the sound changes, so much may be left between two rounds; or so much of what changes in a moment."""
AGAIN = 2.0
WINDOW_S, WINDOW_HOP_S, APART_S = 15.0, 2.0, 30.0
MOST, MOST_WINDOWS = 8, 3600
"""Pairs that are told; windows that are compared, which are further apart where that is more than two hours."""
MOVES = 0.5
"""Steps of a spectrogram: what changes less than this does not move at all."""

Course = NDArray[np.float32]


@dataclass(frozen=True)
class Period:
    """A time after which the sound is as it was.

    Attributes
    ----------
    seconds : float
    left : float
        Share of its changes that is not the same, 0..1.
    """

    seconds: float
    left: float


@dataclass(frozen=True)
class Alike:
    """Two stretches of ``WINDOW_S`` that resemble each other.

    Attributes
    ----------
    first_s, second_s : float
        Where they begin.
    likeness : float
        0..1; 1 is the same.
    """

    first_s: float
    second_s: float
    likeness: float


def course_of(view: View) -> tuple[Course, float]:
    """What is compared, shape (frames, 24), and the seconds of a frame."""
    count = view.bins // HOP_BINS
    bands = view.bands[: count * HOP_BINS].reshape(count, HOP_BINS, BANDS // GROUP, GROUP)
    return bands.mean(axis=(1, 3), dtype=np.float32), view.seconds_of(HOP_BINS)


def _distances(course: Course) -> NDArray[np.float64]:
    """How far the course is from itself so many frames later, as a share of what two unrelated moments are apart."""
    centred = (course - course.mean(axis=0)).astype(float)
    count = len(centred)
    size = 1 << (2 * count - 1).bit_length()
    spectrum = np.fft.rfft(centred, size, axis=0)
    products = np.fft.irfft((np.abs(spectrum) ** 2).sum(axis=1), size)[:count]
    sums = np.concatenate([[0.0], np.cumsum((centred**2).sum(axis=1))])
    lags = np.arange(count)
    both = (sums[count] - sums[lags]) + sums[count - lags]
    usual = 2.0 * sums[count] / count
    return np.asarray((both - 2.0 * products) / (count - lags) / max(usual, 1e-12))


def period_of(course: Course, frame_s: float) -> Period | None:
    """The shortest period that the sound keeps, if there is one.

    Parameters
    ----------
    course : ndarray [shape=(frames, bands)]
        See ``course_of``.
    frame_s : float
        Seconds of a frame.

    Returns
    -------
    Period or None
    """
    shortest = max(2, round(SHORTEST_S / frame_s))
    longest = int(len(course) / ROUNDS)
    if longest <= shortest or float(course.std(axis=0).max(initial=0.0)) < MOVES:
        return None
    far = _distances(course)
    limit = max(NEAR, WITHIN * float(far[1]))
    inside = far[: longest + 1]
    if inside[shortest:].min() > limit or limit > 0.7 * float(np.median(inside[shortest:])):
        return None
    for lag in range(shortest, longest):
        if inside[lag] > limit or inside[lag] > inside[lag - 1] or inside[lag] > inside[lag + 1]:
            continue
        twice = 2 * lag
        if twice + 1 < len(far) and far[twice - 1 : twice + 2].min() > max(limit, AGAIN * inside[lag]):
            continue
        if inside[shortest // 2 : lag].max() < 2.0 * limit:
            continue  # it never went away
        return Period(_between(inside, lag) * frame_s, float(inside[lag]))
    return None


def _between(values: NDArray[np.float64], at: int) -> float:
    """The place of a minimum, by the parabola through it and its neighbours."""
    left, middle, right = values[at - 1 : at + 2]
    bend = left - 2.0 * middle + right
    return at + 0.5 * float(left - right) / float(bend) if bend > 1e-12 else float(at)


def alike_stretches(course: Course, frame_s: float, begin_s: float = 0.0) -> list[Alike]:
    """The pairs of stretches that resemble each other most, each place once, the closest first.

    Parameters
    ----------
    course : ndarray [shape=(frames, bands)]
        See ``course_of``.
    frame_s : float
        Seconds of a frame.
    begin_s : float
        When the first one begins.

    Returns
    -------
    list of Alike
    """
    long, hop = round(WINDOW_S / frame_s), round(WINDOW_HOP_S / frame_s)
    if len(course) < 2 * long:
        return []
    hop *= -(-len(course) // (MOST_WINDOWS * hop))
    centred = course - course.mean(axis=0)
    starts = np.arange(0, len(course) - long + 1, hop)
    windows = np.stack([centred[at : at + long].ravel() for at in starts])
    windows /= np.maximum(np.linalg.norm(windows, axis=1, keepdims=True), 1e-9)
    likeness = windows @ windows.T
    apart = np.abs(starts[:, None] - starts[None, :]) * frame_s >= APART_S
    likeness[~apart | (np.arange(len(starts))[:, None] > np.arange(len(starts))[None, :])] = -1.0
    found = list[Alike]()
    for place in np.argsort(likeness, axis=None)[::-1][: 50 * MOST]:
        i, j = divmod(int(place), len(starts))
        first_s, second_s = (begin_s + float(starts[k]) * frame_s for k in (i, j))
        pair = Alike(first_s, second_s, float(likeness[i, j]))
        if pair.likeness <= 0.0 or len(found) == MOST:
            break
        if all(abs(pair.first_s - o.first_s) >= WINDOW_S or abs(pair.second_s - o.second_s) >= WINDOW_S for o in found):
            found.append(pair)
    return found
