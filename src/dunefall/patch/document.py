"""The open patch with its history: every edit is one undo step, and one event tells that it happened."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, replace
from pathlib import Path

from dunefall.base.events import Event
from dunefall.patch.model import Patch

__all__ = ["MOST_STEPS", "Document"]

MOST_STEPS = 5000
"""Steps that can be undone; older ones are forgotten."""


@dataclass(frozen=True)
class _Step:
    label: str
    before: Patch
    after: Patch
    merge: str


class Document:
    """Holds the current patch, its file and its history.

    Attributes
    ----------
    changed : Event[Patch, Patch]
        Emitted once after each edit with the patch before and after, never for an edit without effect.
    saved : Event[]
        A file holds the present patch now; ``path`` may be another.
    """

    def __init__(self, patch: Patch, path: Path | None = None) -> None:
        self.patch = patch
        self.path = path
        self.changed: Event[Patch, Patch] = Event()
        self.saved: Event[[]] = Event()
        self._saved = patch
        self._done: deque[_Step] = deque(maxlen=MOST_STEPS)
        self._undone: list[_Step] = []

    def open(self, patch: Patch, path: Path | None) -> None:
        """Hold another patch, with a new history; listeners stay, and are not notified.

        Parameters
        ----------
        patch : Patch
            The patch that is held from now on.
        path : Path or None
            Its file.
        """
        self.patch, self.path, self._saved = patch, path, patch
        self._done.clear()
        self._undone.clear()

    @property
    def modified(self) -> bool:
        """Whether the patch differs from the one last saved or opened."""
        return self.patch is not self._saved and self.patch != self._saved

    @property
    def undo_label(self) -> str:
        """What undo would take back; empty if nothing."""
        return self._done[-1].label if self._done else ""

    @property
    def redo_label(self) -> str:
        """What redo would do again; empty if nothing."""
        return self._undone[-1].label if self._undone else ""

    def edit(self, label: str, patch: Patch, *, merge: str = "") -> None:
        """Make ``patch`` the current one.

        Parameters
        ----------
        label : str
            What the user did, as it reads after "Undo".
        patch : Patch
            The patch; it is not changed.
        merge : str
            Successive edits with the same non-empty key (one drag of a rail) become one step.
        """
        before = self.patch
        if patch == before:
            return
        if merge and self._done and self._done[-1].merge == merge:
            self._done[-1] = _Step(label, self._done[-1].before, patch, merge)
        else:
            self._done.append(_Step(label, before, patch, merge))
        self._undone.clear()
        self._set(patch)

    def follow(self, patch: Patch) -> None:
        """The patch goes on by itself, as a take does that is heard again: no step; undo leads to where it led.

        Parameters
        ----------
        patch : Patch
            How it is now.
        """
        if patch != self.patch:
            self.end_merge()
            self._set(patch)

    def end_merge(self) -> None:
        """Close the present step: the next edit becomes a separate undo step, whatever its key."""
        if self._done and self._done[-1].merge:
            last = self._done[-1]
            self._done[-1] = _Step(last.label, last.before, last.after, "")

    def retitle(self, title: str) -> None:
        """Give the patch another title, also in its history: no undo step, and undo does not bring the old one back.

        Parameters
        ----------
        title : str
            The new title.
        """
        old = self.patch.title

        def named(patch: Patch) -> Patch:
            return replace(patch, title=title) if patch.title == old else patch

        before, self.patch = self.patch, named(self.patch)
        self._saved = named(self._saved)
        for steps in (self._done, self._undone):
            renamed = [replace(step, before=named(step.before), after=named(step.after)) for step in steps]
            steps.clear()
            steps.extend(renamed)
        if self.patch is not before:
            self.changed.emit(before, self.patch)

    def undo(self) -> None:
        """Take back the last step, if there is one."""
        if self._done:
            step = self._done.pop()
            self._undone.append(step)
            self._set(step.before)

    def redo(self) -> None:
        """Do the step again that was last taken back, if there is one."""
        if self._undone:
            step = self._undone.pop()
            self._done.append(step)
            self._set(step.after)

    def mark_saved(self, path: Path | None) -> None:
        """Note that the present patch is what a file holds.

        Parameters
        ----------
        path : Path or None
            The file; None: none is known.
        """
        self.path, self._saved = path, self.patch
        self.saved.emit()

    def mark_unsaved(self) -> None:
        """Note that no file holds the present patch."""
        self._saved = Patch()

    def _set(self, patch: Patch) -> None:
        before, self.patch = self.patch, patch
        self.changed.emit(before, patch)
        before.forget_indexes()
