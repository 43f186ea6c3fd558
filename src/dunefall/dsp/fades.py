"""Cross-fades between two sounds that may be alike or not."""

from __future__ import annotations

import math

from numba import njit

from dunefall.dsp.maths import smooth_step

__all__ = ["cross_gains"]


@njit(error_model="numpy", forceinline=True)
def cross_gains(passed: float, alike: float) -> tuple[float, float]:
    """Gains of the sound that comes and of the one that goes: equal gain for sounds that are the same, equal power for
    those that have nothing in common, and what keeps the power for all between (textbook).

    Parameters
    ----------
    passed : float [0, 1]
        How much of the fade is over.
    alike : float [0, 1]
        Correlation of both.

    Returns
    -------
    (float, float)

    Examples
    --------
    >>> cross_gains(0.5, 1.0), round(cross_gains(0.5, 0.0)[0], 4)
    ((0.5, 0.5), 0.7071)
    """
    comes = smooth_step(min(max(passed, 0.0), 1.0))
    goes = 1.0 - comes
    scale = 1.0 / math.sqrt(comes * comes + goes * goes + 2.0 * alike * comes * goes)
    return comes * scale, goes * scale
