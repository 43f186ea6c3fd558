"""Tells which layers have clicked since they were looked at last."""

from __future__ import annotations

from dunefall.compiler.program import Program
from dunefall.dsp.clicks import CLICK_STATE, COUNT, PLACE, SIZE
from dunefall.engine import messages as say

__all__ = ["ClickNews"]


class ClickNews:
    """Remembers what was told of each layer."""

    def __init__(self) -> None:
        self._all = 0.0
        self._told: dict[str, float] = {}

    def of(self, program: Program) -> list[say.Clicked]:
        """Each layer of a running program that has clicked since."""
        clicks = program.memory.clicks
        count = float(clicks[COUNT::CLICK_STATE].sum())
        if count == self._all:
            return []
        self._all, news = count, []
        ends = program.plan.modules["lane_end"]
        for name, place in program.module_at.items():
            at = CLICK_STATE * (int(ends[place]) - 1)
            if at >= 0 and clicks[at + COUNT] != self._told.get(name, 0.0):
                self._told[name] = float(clicks[at + COUNT])
                if clicks[at + COUNT] > 0:
                    where, size = int(clicks[at + PLACE]), float(clicks[at + SIZE])
                    news.append(say.Clicked(name, where, size, int(clicks[at + COUNT])))
        return news
