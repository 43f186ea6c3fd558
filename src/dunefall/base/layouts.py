"""Output layouts: the loudspeakers, their angles, and their order in files and devices.

Sources: ITU-R BS.775-4 (angles of 5.1, downmix; from memory), ITU-R BS.1770-5, Annex 3 (weights by angle), the channel
order of WAVE_FORMAT_EXTENSIBLE; quad uses the corners (common practice).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from dunefall.base.language import tr

__all__ = ["LAYOUTS", "MOST_CHANNELS", "Layout", "Speaker", "layout_of", "weight_at"]

BESIDE = math.sqrt(0.5)
"""What the centre and the speakers behind give to a side when all is folded to stereo: -3 dB."""


def weight_at(angle_deg: float) -> float:
    """What a loudspeaker on the level of the ears counts in loudness: those beside the listener, 60 to 120 degrees
    from the front, 1.5 dB more (ITU-R BS.1770-5, Annex 3, Table 4; from memory).

    Examples
    --------
    >>> weight_at(-30.0), weight_at(110.0), weight_at(135.0)
    (1.0, 1.41, 1.0)
    """
    return 1.41 if 60.0 <= abs(angle_deg) <= 120.0 else 1.0


@dataclass(frozen=True)
class Speaker:
    """A channel of a layout.

    Attributes
    ----------
    port : str
        Output of Layer output that feeds it.
    angle_deg : float
        Where it stands: 0 ahead, 90 right; of the low effects there is no place.
    weight : float
        What it counts in loudness.
    left, right : float
        What it gives to both sides when all is folded to stereo.
    """

    name: str
    short: str
    port: str
    angle_deg: float
    weight: float = 1.0
    left: float = 0.0
    right: float = 0.0


@dataclass(frozen=True)
class Layout:
    """A set of loudspeakers, in the order of files and devices."""

    id: str
    name: str
    speakers: tuple[Speaker, ...]

    @property
    def channels(self) -> int:
        """How many channels it has."""
        return len(self.speakers)

    @cached_property
    def weights(self) -> NDArray[np.float64]:
        """What each channel counts in loudness."""
        return np.array([speaker.weight for speaker in self.speakers])

    @cached_property
    def fold(self) -> NDArray[np.float64]:
        """What each channel gives to left and right, shape (channels, 2)."""
        return np.array([(speaker.left, speaker.right) for speaker in self.speakers])


def _front(angle_deg: float) -> tuple[Speaker, Speaker]:
    return (
        Speaker("Left", "L", "left", -angle_deg, left=1.0),
        Speaker("Right", "R", "right", angle_deg, right=1.0),
    )


def _behind(angle_deg: float) -> tuple[Speaker, Speaker]:
    return (
        Speaker(tr("Left behind"), "Lb", "left_behind", -angle_deg, weight_at(angle_deg), left=BESIDE),
        Speaker(tr("Right behind"), "Rb", "right_behind", angle_deg, weight_at(angle_deg), right=BESIDE),
    )


LAYOUTS = (
    Layout("stereo", tr("Stereo"), _front(30.0)),
    Layout("quad", tr("Quad"), (*_front(45.0), *_behind(135.0))),
    Layout(
        "5.1", "5.1",
        (
            *_front(30.0), Speaker(tr("Centre"), "C", "centre", 0.0, left=BESIDE, right=BESIDE),
            Speaker(tr("Low effects"), "LFE", "low_effects", math.nan, 0.0), *_behind(110.0),
        ),
    ),
)  # fmt: skip
_BY_ID = {layout.id: layout for layout in LAYOUTS}
MOST_CHANNELS = max(layout.channels for layout in LAYOUTS)


def layout_of(layout_id: str) -> Layout:
    """The layout of this id; raises KeyError if there is none.

    Examples
    --------
    >>> [speaker.short for speaker in layout_of("5.1").speakers]
    ['L', 'R', 'C', 'LFE', 'Lb', 'Rb']
    """
    return _BY_ID[layout_id]
