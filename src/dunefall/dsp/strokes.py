"""Live traces drawn straight into a picture's memory: per pixel column from lowest to highest, coverage as alpha.

Kinds: 0 audio (a filled band), 1 control (a thin line), 2 gate (ticks on a base line), 3 pitch (stairs).
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dunefall.base.arrays import Grid
from dunefall.dsp.cache import cached_njit

__all__ = ["KIND_AUDIO", "KIND_CONTROL", "KIND_GATE", "KIND_PITCH", "draw_trace"]

KIND_AUDIO, KIND_CONTROL, KIND_GATE, KIND_PITCH = range(4)


@njit(nogil=True, error_model="numpy")
def _column(
    image: NDArray[np.uint32], x: int, top: float, bottom: float, y0: int, y1: int, rgb: int, alpha: float
) -> None:
    """Cover one column from ``top`` to ``bottom`` (real numbers), within rows y0..y1."""
    red, green, blue = (rgb >> 16) & 255, (rgb >> 8) & 255, rgb & 255
    first, last = max(int(top), y0), min(int(bottom) + 1, y1)
    for y in range(first, last):
        cover = min(y + 1.0, bottom) - max(float(y), top)
        if cover > 0.0:
            a = int(min(cover, 1.0) * alpha * 255.0 + 0.5)
            if a > (image[y, x] >> 24):
                image[y, x] = (a << 24) | (red * a // 255 << 16) | (green * a // 255 << 8) | (blue * a // 255)


@njit(nogil=True, error_model="numpy")
def _reach(bins: Grid, kind: int, low: float, high: float) -> tuple[float, float]:
    """The span that is drawn: audio around 0 up to its peak, other kinds as they are, or wider where they pass it."""
    if kind == KIND_AUDIO:
        high = 0.02
        for i in range(bins.shape[0]):
            high = max(high, abs(bins[i, 0]), abs(bins[i, 1]))
        return -high, high
    for i in range(bins.shape[0]):
        low, high = min(low, bins[i, 0]), max(high, bins[i, 1])
    return low, high


@cached_njit()
def draw_trace(
    image: NDArray[np.uint32], x: int, y: int, width: int, height: int, bins: Grid, kind: int, low: float, high: float,
    rgb: int, alpha: float, stroke: float,
) -> None:  # fmt: skip
    """Draw one trace.

    Parameters
    ----------
    image : ndarray of uint32 [shape=(rows, columns)]
        Premultiplied ARGB; the box must be clear.
    x, y, width, height : int
        Box in pixels; it is cut at the picture's edges.
    bins : ndarray of float32 [shape=(n, 2)]
        Lowest and highest values, oldest first.
    kind : int
        Kind of signal.
    low, high : float
        Span of the values; widened where the trace passes it. Audio is drawn around 0, up to its own peak.
    rgb : int
        Colour as 0xRRGGBB.
    alpha : float [0, 1]
        Opacity.
    stroke : float
        Thickness of lines in pixels.
    """
    n = bins.shape[0]
    low, high = _reach(bins, kind, low, high)
    scale = (height - stroke) / max(high - low, 1e-12)
    base = y + height - stroke * 0.5
    y0, y1 = max(y, 0), min(y + height, image.shape[0])
    before_top, before_bottom, was_high = -1.0, -1.0, True
    for c in range(width):
        first = c * n // width
        last = max((c + 1) * n // width, first + 1)
        least, most = bins[first, 0], bins[first, 1]
        for i in range(first, min(last, n)):
            least, most = min(least, bins[i, 0]), max(most, bins[i, 1])
        inside = 0 <= x + c < image.shape[1]
        if kind == KIND_GATE:
            high_now = most > 0.5
            if inside:
                rises = high_now and not was_high
                _column(image, x + c, y + 0.0 if rises else base - 0.5, base + 0.5, y0, y1, rgb, alpha)
                if rises and x + c + 1 < image.shape[1] and c + 1 < width:
                    _column(image, x + c + 1, y + 0.0, base, y0, y1, rgb, alpha * 0.6)
            was_high = high_now
            continue
        top = base - (most - low) * scale
        bottom = base - (least - low) * scale
        if kind != KIND_AUDIO and before_bottom >= 0.0:
            draw_top, draw_bottom = min(top, before_bottom), max(bottom, before_top)
        else:
            draw_top, draw_bottom = top, bottom
        before_top, before_bottom = top, bottom
        if inside:
            half = stroke * 0.5
            _column(image, x + c, draw_top - half, draw_bottom + half, y0, y1, rgb, alpha)
