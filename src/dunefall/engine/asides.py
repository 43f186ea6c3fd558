"""What the engine in reserve works out for the window, beside the sound: curves of a module, clicks of patches."""

from __future__ import annotations

from dunefall.catalogue import spec_of
from dunefall.engine import messages as say
from dunefall.render.clickcount import count_clicks
from dunefall.render.portrait import portrait

__all__ = ["clicks_counted", "portrait_drawn"]

RESPONSE_S = 0.2
"""Length of the impulse responses from which the window's curves are made."""


def portrait_drawn(asked: say.AskPortrait) -> say.GotPortrait | None:
    """The curves of a module; None where its type is unknown."""
    spec = spec_of(asked.type_id)
    if spec is None:
        return None
    seconds = RESPONSE_S if spec.shows_as == "response" else None
    return say.GotPortrait(asked, portrait(spec, asked.params, asked.sound, seconds, asked.series))


def clicks_counted(asked: say.AskClicks, rate_hz: float) -> say.GotClicks:
    """How often a layer clicks in each of some patches."""
    counts = (count_clicks(patch, asked.end, asked.seconds, rate_hz) for patch in asked.patches)
    return say.GotClicks(asked, tuple(counts))
