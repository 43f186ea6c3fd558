"""Amplitude panning over the loudspeakers of a layout.

Sources: Pulkki 1997, "Virtual sound source positioning using vector base amplitude panning" (pairs of speakers);
Gerzon 1992, "Optimum reproduction matrices for multispeaker stereo" (how much of the middle the centre takes); both
from memory. The power over all speakers is always that of the sound.
"""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.layouts import layout_of
from dunefall.dsp.maths import sine

__all__ = ["QUAD", "SURROUND", "back_deg", "front_half_deg", "speaker_gains"]

STEREO, QUAD, SURROUND = range(3)
"""Places of the layouts in ``base.layouts.LAYOUTS``."""
QUAD_FRONT, QUAD_BACK = layout_of("quad").speakers[1].angle_deg, layout_of("quad").speakers[3].angle_deg
FRONT, BACK = layout_of("5.1").speakers[1].angle_deg, layout_of("5.1").speakers[5].angle_deg


@njit(error_model="numpy", forceinline=True)
def _pair(angle_deg: float, low_deg: float, high_deg: float) -> tuple[float, float]:
    """Gains of two speakers for a sound between them."""
    low, high = sine((high_deg - angle_deg) * (1.0 / 360.0)), sine((angle_deg - low_deg) * (1.0 / 360.0))
    scale = 1.0 / math.sqrt(low * low + high * high)
    return low * scale, high * scale


@njit(error_model="numpy", forceinline=True)
def speaker_gains(angle_deg: float, centre: float, layout: float) -> tuple[float, float, float, float, float]:
    """Gains of left, right, centre, left behind and right behind for a sound at an angle, 0 ahead, 90 right.

    ``layout`` is ``QUAD`` or ``SURROUND``; ``centre`` how much of the power in front its own speaker takes, 0..1:
    the rest comes from between left and right.

    Parameters
    ----------
    angle_deg : float
        Degrees from straight ahead, to the right positive.
    centre : float [0, 1]
        Share of the centre loudspeaker.
    layout : float
        Place in `base.layouts.LAYOUTS`.

    Returns
    -------
    tuple[float, float, float, float, float]
    """
    turned = angle_deg - 360.0 * math.floor(angle_deg * (1.0 / 360.0) + 0.5)
    aside = abs(turned)
    front, back = (QUAD_FRONT, QUAD_BACK) if layout == QUAD else (FRONT, BACK)
    near, far, middle, near_back, far_back = 0.0, 0.0, 0.0, 0.0, 0.0
    if aside <= front:
        far, near = _pair(aside, -front, front)
        if layout != QUAD and centre > 0.0:
            own, beside = _pair(aside, 0.0, front)
            middle = math.sqrt(centre) * own
            near = math.sqrt(centre * beside * beside + (1.0 - centre) * near * near)
            far *= math.sqrt(1.0 - centre)
    elif aside <= back:
        near, near_back = _pair(aside, front, back)
    else:
        near_back, far_back = _pair(aside, back, 360.0 - back)
    if turned < 0.0:
        return near, far, middle, near_back, far_back
    return far, near, middle, far_back, near_back


@njit(error_model="numpy", forceinline=True)
def front_half_deg(layout: float) -> float:
    """The angle between straight ahead and the front speakers."""
    return QUAD_FRONT if layout == QUAD else FRONT


@njit(error_model="numpy", forceinline=True)
def back_deg(layout: float) -> float:
    """The angle between straight ahead and the speakers behind."""
    return QUAD_BACK if layout == QUAD else BACK
