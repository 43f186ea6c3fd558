"""Joins the document and the engine: what window and command line talk to."""

from __future__ import annotations

from pathlib import Path

from dunefall.engine.client import EngineClient
from dunefall.engine.devices.osc import OscInput
from dunefall.engine.messages import EngineOptions
from dunefall.patch.changes import apply_changes, difference
from dunefall.patch.document import Document
from dunefall.patch.files import save_patch
from dunefall.patch.model import UNTITLED, Patch
from dunefall.session.compoundedits import CompoundEdits
from dunefall.session.copyedits import CopyEdits
from dunefall.session.layeredits import LayerEdits
from dunefall.session.moduleedits import ModuleEdits

__all__ = ["Session"]


class Session(ModuleEdits, LayerEdits, CopyEdits, CompoundEdits):
    """The open document, sounding. Every method that edits is one undo step, or part of one."""

    def __init__(self, patch: Patch, path: Path | None, options: EngineOptions) -> None:
        self.engine = EngineClient(options)
        self.document = Document(patch, path)
        self.document.changed.connect(self._sound)
        self.engine.set_patch(patch)
        self.osc: OscInput | None = None

    @property
    def options(self) -> EngineOptions:
        """Device, rate and block of now."""
        return self.engine.options

    def replace_document(self, patch: Patch, path: Path | None) -> None:
        """Open another patch: it begins at its start, stopped or playing as the old one was."""
        listeners = self.document.changed
        self.document = Document(patch, path)
        self.document.changed = listeners
        self.engine.open(patch)

    def close(self) -> None:
        """End the engine, and listen to no other program any more."""
        if self.osc is not None:
            self.osc.close()
            self.osc = None
        self.engine.close()

    def _sound(self, _before: Patch, after: Patch) -> None:
        self.engine.set_patch(after)

    # -- what sounds ----------------------------------------------------------------------------------------------

    def try_out(self, patch: Patch | None) -> None:
        """Let another patch sound without changing the document; None: the document again. What is heard so is in the
        take's journal as everything else is."""
        self.engine.set_patch(patch or self.patch)

    @property
    def seconds(self) -> float:
        """Where the sound stands."""
        return self.engine.position / self.options.rate

    def seek(self, seconds: float) -> None:
        """Go to a time of the take: sound and patch are as they were there; the patch comes back by undo."""
        then = self.engine.seek(round(seconds * self.options.rate))
        changed = apply_changes(self.patch, difference(self.patch, then))
        self.document.edit(f"Go to {seconds:.1f} s", changed)

    # -- files --------------------------------------------------------------------------------------------------

    def save(self, path: Path) -> None:
        """Save the patch; raises StorageError and leaves the old file whole if it cannot be written.

        A patch that has no title yet takes the file's name.
        """
        if self.patch.title == UNTITLED:
            self.set_title(path.stem)
        save_patch(self.patch, path)
        self.document.mark_saved(path)
