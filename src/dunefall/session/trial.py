"""Hearing another patch for a moment: the document does not change."""

from __future__ import annotations

import time

from dunefall.engine.client import EngineClient
from dunefall.patch.document import Document
from dunefall.patch.model import Patch

__all__ = ["Trial"]


class Trial:
    """What is heard instead of the document; any edit ends it. What is heard so is in the take's journal as everything
    else is.

    Attributes
    ----------
    part : str
        What it was begun for: a module, a compound; "" where nothing is on trial, or what is has no name.
    """

    def __init__(self, document: Document, engine: EngineClient) -> None:
        self._document, self._engine = document, engine
        self.part, self._since = "", 0.0
        document.changed.connect(lambda *_: self.forget())

    @property
    def seconds(self) -> float:
        """How long it has lasted."""
        return time.monotonic() - self._since

    def hear(self, patch: Patch, part: str = "") -> None:
        """Let another patch sound.

        Parameters
        ----------
        patch : Patch
            What is heard instead.
        part : str
            Module or compound that it is for.
        """
        self.part, self._since = part, time.monotonic()
        self._engine.set_patch(patch)

    def end(self) -> None:
        """Let the document sound again."""
        self.part = ""
        self._engine.set_patch(self._document.patch)

    def forget(self) -> None:
        """The document sounds again already."""
        self.part = ""
