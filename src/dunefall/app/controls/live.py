"""Where live traces come from."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

__all__ = ["TraceSource"]


class TraceSource(Protocol):
    """What has the traces of outputs: the engine's client, or a test's stand-in."""

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest values per bin of an output (the first one), oldest first."""
