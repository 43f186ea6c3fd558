"""One pinned signal over time."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPixmap

from dunefall.app.controls.painting import TraceImage, draw_text
from dunefall.app.controls.theme import Theme, mono
from dunefall.app.watch.watchplots import Plot
from dunefall.base.language import decimal, tr
from dunefall.base.units import format_value

__all__ = ["History", "Scope", "Trigger", "columns_of"]

SAME, LIKE, ABOUT = 0.9, 0.5, 0.005
"""Likenesses: of one and the same wave; of one that has changed; what counts as about as alike."""
COARSE_STEP = 100
COURSE_S, COURSE_BINS = 0.05, 12_000
"""Ten minutes in pieces of 50 ms: what is longer ago than the engine's own samples."""


def columns_of(samples: NDArray[np.float32], columns: int) -> NDArray[np.float32]:
    """Lowest and highest value per column, shape (columns, 2); short signals are interpolated."""
    n = len(samples)
    if n <= columns:
        line = np.interp(np.linspace(0, n - 1, columns), np.arange(n), samples)
        return np.stack([line, line], axis=1).astype(np.float32)
    starts = np.arange(columns) * n // columns
    return np.stack([np.minimum.reduceat(samples, starts), np.maximum.reduceat(samples, starts)], axis=1)


class Trigger:
    """Finds pieces of a signal that look alike, so that any periodic wave stands still on the screen.

    The first piece begins at a rise through the middle, and is the model of those that follow: the latest of the places
    that are about as like it as the most alike one. Where the signal has become another, the piece that is most like
    the model is the next model.
    """

    def __init__(self) -> None:
        self._model = np.zeros(0)

    def piece(self, samples: NDArray[np.float32], length: int) -> NDArray[np.float32]:
        """The piece of ``length`` samples to show; the end where nothing recurs."""
        start, likeness = self._alike(samples.astype(float), length)
        if likeness < SAME:
            start = start if likeness > LIKE else _last_rise(samples, length)
            piece = samples[start : start + length].astype(float)
            self._model = piece - piece.mean()
        return samples[start : start + length]

    def _alike(self, samples: NDArray[np.float64], length: int) -> tuple[int, float]:
        """Where the latest piece begins that is like the model, and how like it is: the correlation of both as a share
        of their strengths, 0 to 1."""
        strength = float(np.sqrt((self._model**2).sum()))
        if len(self._model) != length or strength <= 1e-6 * np.sqrt(length):
            return 0, 0.0
        sums, squares = (np.concatenate([[0.0], np.cumsum(x)]) for x in (samples, samples**2))
        means = (sums[length:] - sums[:-length]) / length
        strengths = np.sqrt(np.maximum((squares[length:] - squares[:-length]) - length * means**2, 1e-12))
        size = 1 << (len(samples) - 1).bit_length()  # no need for more: what wraps round is cut off
        both = np.fft.irfft(np.fft.rfft(samples, size) * np.conj(np.fft.rfft(self._model, size)), size)
        likeness = both[: len(strengths)] / (strengths * strength)
        best, inner = float(likeness.max()), likeness[1:-1]
        peaks = np.flatnonzero((inner >= likeness[:-2]) & (inner >= likeness[2:]) & (inner >= best - ABOUT)) + 1
        return int(peaks[-1]) if len(peaks) else int(likeness.argmax()), best


def _last_rise(samples: NDArray[np.float32], length: int) -> int:
    """The last place before the final piece at which it rises through its middle; that piece where there is none."""
    head = samples[: len(samples) - length]
    middle = (float(samples.min()) + float(samples.max())) / 2
    rises = np.flatnonzero((head[:-1] < middle) & (head[1:] >= middle))
    return int(rises[-1]) if len(rises) else len(samples) - length


class History:
    """The last ten minutes of a signal, as lowest and highest value of each 50 ms."""

    def __init__(self) -> None:
        self._bins = np.zeros((COURSE_BINS, 2), np.float32)
        self._rest = np.zeros(0, np.float32)

    def add(self, samples: NDArray[np.float32], rate: float) -> None:
        """Take in what is new."""
        size = max(1, round(COURSE_S * rate))
        joined = np.concatenate([self._rest, samples])
        count = min(len(joined) // size, COURSE_BINS)
        self._rest = joined[len(joined) - len(joined) % size :].copy()
        if count:
            whole = joined[: len(joined) - len(self._rest)][-count * size :].reshape(count, size)
            self._bins[:-count] = self._bins[count:].copy()
            self._bins[-count:] = np.stack([whole.min(axis=1), whole.max(axis=1)], axis=1)

    def last(self, seconds: float) -> NDArray[np.float32]:
        """Lowest and highest values of the last seconds, alternating, oldest first."""
        count = min(COURSE_BINS, max(2, round(seconds / COURSE_S)))
        return self._bins[-count:].reshape(-1)


class Scope(Plot):
    """The signal over time; others may be laid over it, and a picture that was kept behind it.

    Attributes
    ----------
    samples : ndarray
        What it shows.
    trigger : Trigger
        Where a quick wave begins.
    """

    kind = tr("Scope")

    def __init__(self, name: str, layer: str, role: str, theme: Theme) -> None:
        super().__init__(name, layer, role, theme)
        self.samples = np.zeros(2, np.float32)
        self._kept: NDArray[np.float32] | None = None
        self.over: list[Scope] = []
        self._seconds = 1.0
        self.trigger = Trigger()
        self._image = TraceImage()
        self._still: tuple[object, QPixmap] | None = None
        self.setToolTip(tr("P on a selected card pins or unpins it"))

    def show_course(self, samples: NDArray[np.float32], seconds: float) -> None:
        """Draw these samples over this time."""
        self.samples, self._seconds = samples, seconds
        self.update()

    def columns(self, length: int) -> tuple[int, int]:
        """In how many columns it shows so many samples, and how many in each: where these are many, all columns have
        the same number, so that they can begin at the same samples at each frame."""
        count = max(2, round(self.plot.width() * self.devicePixelRatioF()))
        step = round(length / count)
        return (count, step) if step >= COARSE_STEP else (length, 1)

    def keep(self, on: bool) -> None:
        """Hold the picture of now faintly behind what comes, or no longer."""
        self._kept = self.samples.copy() if on else None

    @property
    def span(self) -> tuple[float, float]:
        """Lowest and highest value on the screen."""
        low, high = float(self.samples.min()), float(self.samples.max())
        if self._role == "gate":
            return 0.0, 1.0
        if self._role in ("audio", "control"):
            peak = max(abs(low), abs(high), 1e-3)
            top = next(t for t in (0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 1e9) if peak <= t)
            return (0.0 if low >= 0 and self._role == "control" else -top), top
        return low - 1, high + 1

    def paintEvent(self, event: QPaintEvent) -> None:
        """Grid and axes, kept as a picture until they change; the value; the traces."""
        theme, painter, plot, scale = self._theme, QPainter(self), self.plot, self.devicePixelRatioF()
        looks = (self.size().toTuple(), scale, self.span, self._seconds)
        if self._still is None or self._still[0] != looks:
            picture = QPixmap(self.size() * scale)
            picture.setDevicePixelRatio(scale)
            picture.fill(Qt.GlobalColor.transparent)
            still = QPainter(picture)
            self._title(still, "")
            self._draw_axes(still, plot)
            still.end()
            self._still = (looks, picture)
        painter.drawPixmap(0, 0, self._still[1])
        told = QRectF(0, 0, self.width() - 8, 18)
        draw_text(painter, told, self._told(), mono(12), theme.colour("text"), right=True)
        self._draw_traces(painter, plot, *self.span)
        if self._cursor is not None:
            painter.setPen(QPen(theme.colour("text"), 1))
            painter.drawLine(QPointF(self._cursor.x(), plot.top()), QPointF(self._cursor.x(), plot.bottom()))
        painter.end()

    def _draw_axes(self, painter: QPainter, plot: QRect) -> None:
        theme = self._theme
        painter.setPen(QPen(theme.colour("line"), 1))
        for k in range(1, 4):
            painter.drawLine(
                plot.x() + plot.width() * k // 4, plot.y(), plot.x() + plot.width() * k // 4, plot.bottom()
            )
        low, high = self.span
        middle = plot.y() + plot.height() // 2
        painter.drawLine(plot.x(), middle, plot.right(), middle)
        for y, number in ((plot.y() + 6, high), (middle, (low + high) / 2), (plot.bottom() - 6, low)):
            text = decimal(f"{number:+.2g}".replace("0.", ".")).replace("-", "−") if number else "0"
            room = QRectF(0, y - 8, plot.x() - 5, 16)
            draw_text(painter, room, text, mono(11, 400), theme.colour("text2"), right=True)
        for k, text in ((0, f"−{format_value(self._seconds, 's')}"), (2, f"−{format_value(self._seconds / 2, 's')}"),
                        (4, tr("now"))):  # fmt: skip
            x = plot.x() + plot.width() * k / 4
            box = QRectF(x - (0 if k == 0 else 70 if k == 4 else 35), plot.bottom() + 2, 70, 14)
            draw_text(painter, box, text, mono(11, 400), theme.colour("text2"), right=k == 4, centre=k == 2)

    def _told(self) -> str:
        """The value now, or the one under the cursor and how long ago it was."""
        value, ago = float(self.samples[-1]), ""
        if self._cursor is not None:
            share = min(max((self._cursor.x() - self.plot.x()) / max(1, self.plot.width()), 0.0), 1.0)
            value = float(self.samples[int(share * (len(self.samples) - 1))])
            ago = f"−{format_value(self._seconds * (1 - share), 's')}  "
        return ago + decimal(f"{value:+.2f}").replace("-", "−")

    def _draw_traces(self, painter: QPainter, plot: QRect, low: float, high: float) -> None:
        """What was kept, the signal itself, and what is laid over it, each by its own span."""
        theme, scale, box = self._theme, self.devicePixelRatioF(), plot.adjusted(0, 2, 0, -2)
        count = max(2, round(plot.width() * scale))
        self._image.clear(self.width(), self.height(), scale)
        kind = "control" if self._role == "audio" else self._role
        if self._kept is not None:
            kept = columns_of(self._kept, count)
            self._image.trace(box, kept, kind, theme.colour("edge"), low=low, high=high, alpha=0.6)
        own = columns_of(self.samples, count)
        self._image.trace(box, own, kind, theme.colour(self._role), low=low, high=high)
        for other in self.over:
            low, high = other.span
            kind = "control" if other._role == "audio" else other._role
            colour = theme.colour(other._role)
            self._image.trace(box, columns_of(other.samples, count), kind, colour, low=low, high=high, alpha=0.8)
        self._image.draw(painter)
