"""What all edits of the open document share."""

from __future__ import annotations

from dunefall.patch.document import Document
from dunefall.patch.model import Patch

__all__ = ["Edits"]


class Edits:
    """The document that is edited; every method of a subclass is one undo step, or part of one."""

    document: Document

    @property
    def patch(self) -> Patch:
        """The patch as it is now."""
        return self.document.patch
