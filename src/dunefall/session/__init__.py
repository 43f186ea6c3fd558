"""The open document, sounding."""

from __future__ import annotations

from dunefall.session.opening import open_patch, open_take
from dunefall.session.session import Session

__all__ = ["Session", "open_patch", "open_take"]
