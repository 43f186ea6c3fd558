"""Joins the document, the engine, the devices and incoming control: what window and command line talk to."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from dunefall.base.door import clean
from dunefall.base.events import Event
from dunefall.engine.client import EngineClient
from dunefall.engine.lastminutes import forget_last_minutes
from dunefall.engine.messages import EngineOptions, Play
from dunefall.patch.changes import apply_changes, difference
from dunefall.patch.claims import mark_of
from dunefall.patch.document import Document
from dunefall.patch.files import save_patch
from dunefall.patch.model import UNTITLED, Patch
from dunefall.session.clickwatch import ClickWatch
from dunefall.session.control import IncomingControl
from dunefall.session.trial import Trial

__all__ = ["Session"]


class Session:
    """The open document, sounding.

    Attributes
    ----------
    document : Document
        The patch and its history; it stays the same object when another patch is opened.
    engine : EngineClient
        What sounds.
    control : IncomingControl
        MIDI controllers and Open Sound Control, which turn values of the document.
    clicks : ClickWatch
        Which module made the last click.
    trial : Trial
        Another patch that is heard for a moment instead of the document.
    playing_changed : Event of bool
        Sound was started, or stopped.
    """

    def __init__(self, patch: Patch, path: Path | None, options: EngineOptions) -> None:
        self.engine = EngineClient(options)
        self.document = Document(patch, path)
        self.trial = Trial(self.document, self.engine)
        self.document.changed.connect(lambda _before, after: self.engine.set_patch(after))
        self.engine.set_patch(patch)
        self.control = IncomingControl(self.document)
        self.clicks = ClickWatch()
        self.playing = False
        self.playing_changed: Event[bool] = Event()
        self._mark = mark_of(path)

    @property
    def patch(self) -> Patch:
        """The patch as it is now."""
        return self.document.patch

    @property
    def options(self) -> EngineOptions:
        """Device, rate and block of now."""
        return self.engine.options

    def replace_document(self, patch: Patch, path: Path | None) -> None:
        """Open another patch: it begins at its start, stopped or playing as the old one was.

        Parameters
        ----------
        patch : Patch
            The patch that is opened.
        path : Path or None
            Its file.
        """
        self.trial.forget()
        self.document.open(patch, path)
        self.engine.open(patch)
        self._mark = mark_of(path)

    def close(self) -> None:
        """End the engine, and listen to no other program any more."""
        self.control.close()
        self.engine.close()
        forget_last_minutes()

    # -- what sounds ----------------------------------------------------------------------------------------------

    def play(self, fade_s: float = Play.fade_s) -> None:
        """Let sound run, fading in.

        Parameters
        ----------
        fade_s : float
            Length of the fade in seconds.
        """
        self.engine.play(fade_s)
        self._set_playing(True)

    def pause(self) -> None:
        """Let sound rest where it is."""
        self.engine.stop()
        self._set_playing(False)

    def rewind(self) -> None:
        """Stop, and go back to the start."""
        self.engine.rewind()
        self._set_playing(False)

    def _set_playing(self, playing: bool) -> None:
        self.playing = playing
        self.playing_changed.emit(playing)

    @property
    def seconds(self) -> float:
        """The present position of the sound."""
        return self.engine.position / self.options.rate

    def seek(self, seconds: float, kept: Path | None = None) -> None:
        """Go to a time of the take: sound and patch are as they were there; the patch comes back by undo.

        Parameters
        ----------
        seconds : float
            Time in seconds.
        kept : Path, optional
            A checkpoint that was made ahead.
        """
        then = self.engine.seek(round(seconds * self.options.rate), kept)
        changed = apply_changes(self.patch, difference(self.patch, then))
        self.document.edit(f"Go to {seconds:.1f} s", changed)

    # -- files --------------------------------------------------------------------------------------------------

    def save(self, path: Path) -> None:
        """Save the patch. A patch without a title, or saved to a new file, takes the file's name.

        Parameters
        ----------
        path : Path
            The file.

        Raises
        ------
        StorageError
            If the file cannot be written; the old file stays whole.
        """
        renamed = self.patch.title == UNTITLED or path != self.document.path
        title = clean(path.stem) if renamed else self.patch.title
        save_patch(replace(self.patch, title=title), path)
        self.document.retitle(title)
        self.document.mark_saved(path)
        self._mark = mark_of(path)

    @property
    def changed_elsewhere(self) -> bool:
        """Whether something else has written to the patch's file since it was opened or saved here."""
        now = mark_of(self.document.path)
        return bool(now) and now != self._mark
