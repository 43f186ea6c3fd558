"""Which module made a layer click, and the cure, where it helps: a slew of a few milliseconds behind it."""

from __future__ import annotations

import time

from dunefall.base.language import tr
from dunefall.engine.client import EngineClient
from dunefall.engine.messages import AskClicks, Clicked
from dunefall.patch.model import Patch
from dunefall.render.culprit import Culprit, find_culprit
from dunefall.session.edits.links import softened

__all__ = ["ClickWatch"]

LOOK_AHEAD_S = 6.0
"""So much of the patch is rendered with and without the cure."""
PAUSE_S = 8.0
"""Clicks are told no more often than this."""


class ClickWatch:
    """Finds out which module made a click, and whether a slew behind it would help, by looking ahead.

    Attributes
    ----------
    culprit : Culprit or None
        What would be softened: a slew behind it was found to help.
    """

    def __init__(self) -> None:
        self.culprit: Culprit | None = None
        self._told = -PAUSE_S
        self._tried: tuple[Culprit, AskClicks] | None = None

    def take(self, click: Clicked, patch: Patch, engine: EngineClient) -> str:
        """Find out which module made a layer click; returns a notice from time to time.

        Parameters
        ----------
        click : Clicked
            What the engine reported.
        patch : Patch
            The patch; it is not changed.
        engine : EngineClient
            Where traces come from, and who looks ahead.

        Returns
        -------
        str
        """
        ago = max(engine.position - click.at, 0)
        found = find_culprit(patch, click.module, ago, engine)
        if found is None or time.monotonic() - self._told < PAUSE_S:
            return ""
        self._told, self._tried = time.monotonic(), None
        if self.culprit is not None and self.culprit.module != found.module:
            self.culprit = None  # what was offered before is kept where it is to blame again
        cured = softened(patch, found.module) if found.softens else None
        if cured is not None:
            wanted = AskClicks((patch, cured[0]), click.module, LOOK_AHEAD_S)
            self._tried = (found, wanted) if engine.ask_clicks(wanted) else None
        times = "once" if click.count == 1 else tr("{count} times so far", count=click.count)
        return tr(
            "{name} clicked ({times}): {told}.", name=patch.module(click.module).name, times=times, told=found.told
        )

    def follow(self, patch: Patch, engine: EngineClient, key: str) -> str:
        """Whether the cure of the last click was found to help; returns a notice once it was.

        Parameters
        ----------
        patch : Patch
            The patch of now: the cure is offered only for the one that it was tried on.
        engine : EngineClient
            Who looked ahead.
        key : str
            Key of the command that softens the click, in words.

        Returns
        -------
        str
        """
        answer = engine.clicks(self._tried[1]) if self._tried else None
        if self._tried is None or answer is None:
            return ""
        (found, wanted), self._tried = self._tried, None
        before, after = answer.counts
        if wanted.patches[0] is not patch or not before or after > before / 2:
            return ""
        self.culprit = found
        name = patch.module(found.module).name
        return tr("{key} puts a slew of 5 ms behind {name}: of {before} clicks in the first {LOOK_AHEAD_S:.0f} s, "
                  "{after} would be left.", key=key, name=name, before=before, LOOK_AHEAD_S=LOOK_AHEAD_S,
                  after=after or "none")  # fmt: skip
