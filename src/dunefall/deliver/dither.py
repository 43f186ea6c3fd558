"""From numbers to samples of 16 or 24 bits, with dither.

Method: noise of triangular distribution, two steps wide, added before rounding (TPDF: Lipshitz, Wannamaker, Vanderkooy
1992, "Quantization and dither", from memory): the error has no DC and does not depend on the sound.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dunefall.dsp.figures import rounded

__all__ = ["dithered"]


def dithered(sound: NDArray[np.float64], bits: int, dice: np.random.PCG64) -> NDArray[np.int16] | NDArray[np.int32]:
    """Samples as whole numbers: int16, or int32 with 24 bits at the top, as sound files take them.

    Parameters
    ----------
    sound : ndarray
        Full scale is 1; what is beyond is cut.
    bits : int
        16 or 24.
    dice : PCG64
        Where the noise comes from; the same gives the same samples.

    Returns
    -------
    ndarray
    """
    whole = np.empty(sound.shape, np.int16 if bits == 16 else np.int32)
    rounded(np.ascontiguousarray(sound).ravel(), dice.random_raw(sound.size), bits, whole.ravel())
    return whole
