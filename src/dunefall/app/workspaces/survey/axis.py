"""The time axis that all plots share: which part is seen, and where a time lies."""

from __future__ import annotations

import math

__all__ = ["SHORTEST_S", "Axis", "tick_told"]

SHORTEST_S = 0.05
_STEPS_S = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600)
TICK_PX = 76.0


def tick_told(seconds: float, step_s: float) -> str:
    """A time at the ruler, as fine as its ticks: ``05:00``, ``1:05:00``, ``03:12.45``."""
    places = 0 if step_s >= 1 else 1 if step_s >= 0.1 else 2
    whole = round(seconds * 10**places)
    seconds_whole, part = divmod(whole, 10**places)
    hours, rest = divmod(seconds_whole, 3600)
    text = f"{hours}:{rest // 60:02}:{rest % 60:02}" if hours else f"{rest // 60:02}:{rest % 60:02}"
    return f"{text}.{part:0{places}}" if places else text


class Axis:
    """Seconds to px and back.

    Attributes
    ----------
    total : float
        All that there is, in seconds.
    first, last : float
        What is seen of it.
    left, width : float
        Where the plots lie, in px.
    """

    def __init__(self) -> None:
        self.total = self.last = 60.0
        self.first = 0.0
        self.left, self.width = 0.0, 100.0

    def set_total(self, total: float) -> None:
        """There is so much now; all of it is seen again where all was seen, or what is seen is no more."""
        all_seen = self.first == 0.0 and self.last == self.total
        self.total = max(total, SHORTEST_S)
        if all_seen or self.first >= self.total:
            self.first, self.last = 0.0, self.total
        self.last = min(self.last, self.total)

    @property
    def span(self) -> float:
        """Seconds that are seen."""
        return self.last - self.first

    def x(self, seconds: float) -> float:
        """Place of a time."""
        return self.left + (seconds - self.first) / self.span * self.width

    def seconds(self, x: float) -> float:
        """Time at a place, within all there is."""
        return min(max(self.first + (x - self.left) / self.width * self.span, 0.0), self.total)

    def zoom(self, factor: float, at: float) -> None:
        """See so many times less (or more, below 1), with a time where it is."""
        span = min(max(self.span / factor, SHORTEST_S), self.total)
        share = (at - self.first) / self.span
        self.show(at - share * span, at + (1.0 - share) * span)

    def scroll(self, share: float) -> None:
        """Move by a share of what is seen."""
        self.show(self.first + share * self.span, self.last + share * self.span)

    def show(self, first: float, last: float) -> None:
        """See this part, moved so far that it lies within all there is."""
        span = min(max(last - first, SHORTEST_S), self.total)
        self.first = min(max(first, 0.0), self.total - span)
        self.last = self.first + span

    def reveal(self, seconds: float) -> None:
        """Scroll so far that a time is seen."""
        if not self.first <= seconds <= self.last:
            self.show(seconds - self.span / 3, seconds + 2 * self.span / 3)

    def ticks(self) -> tuple[list[float], float]:
        """Times at the ruler, and from one to the next."""
        least = self.span * TICK_PX / max(self.width, 1.0)
        step = next((step for step in _STEPS_S if step >= least), _STEPS_S[-1])
        first = math.ceil(self.first / step - 1e-9)
        return [k * step for k in range(first, math.floor(self.last / step + 1e-9) + 1)], step
