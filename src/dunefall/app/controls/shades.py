"""The colours of spectrograms."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor

__all__ = ["shades"]


@lru_cache(maxsize=4)
def shades(ground: str, ink: str, edge: str) -> NDArray[np.uint32]:
    """Colours of 256 steps from a card's ground over the colour of sound to ink."""
    stops = np.array([[QColor(c).red(), QColor(c).green(), QColor(c).blue()] for c in (ground, ink, edge)], float)
    share = np.linspace(0.0, 1.0, 256)
    rgb = np.stack([np.interp(share, [0.0, 0.62, 1.0], stops[:, k]) for k in range(3)], axis=1).astype(np.uint32)
    return np.asarray(0xFF000000 | rgb[:, 0] << 16 | rgb[:, 1] << 8 | rgb[:, 2])
