"""Joins the document, the engine, the devices and incoming control: what window and command line talk to."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from dunefall.base.door import clean
from dunefall.base.events import Event
from dunefall.base.language import tr
from dunefall.engine.client import EngineClient
from dunefall.engine.devices.clockout import SIXTEENTH, TICKS
from dunefall.engine.lastminutes import forget_last_minutes, last_minutes_folder
from dunefall.engine.messages import EngineOptions, Play, Ticked, Transported
from dunefall.patch.changes import apply_changes, difference
from dunefall.patch.claims import mark_of
from dunefall.patch.document import Document
from dunefall.patch.files import save_patch
from dunefall.patch.model import UNTITLED, KeptTake, Patch
from dunefall.patch.take import END, Take, first_difference
from dunefall.render.known import Ahead
from dunefall.session.clickwatch import ClickWatch
from dunefall.session.clockin import ClockFollower, take_tempo
from dunefall.session.control import IncomingControl
from dunefall.session.edits.takes import kept_take
from dunefall.session.takelog import TakeLog
from dunefall.session.trial import Trial

__all__ = ["RUN_UP_S", "Session"]

RUN_UP_S = 2.0
"""A place that was changed is heard from so long before it."""
NEAR_S = 0.15
"""The sound server's transport is where the sound is, if they differ by less."""
NO_TRANSPORT = Transported(there=False)


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
    clock : ClockFollower
        Lets the tempo follow a MIDI clock.
    transport : Transported
        What was last heard of the sound server's transport, if it is followed: then play, pause and the place are its.
    trial : Trial
        Another patch that is heard for a moment instead of the document.
    playing_changed : Event of bool
        Sound was started, or stopped.
    heard : str
        Name of the kept take that is heard again, or was until something else was done by hand.
    ahead : function
        Gives what was made ahead of a take, near a sample.
    """

    def __init__(self, patch: Patch, path: Path | None, options: EngineOptions) -> None:
        self.engine = EngineClient(options)
        self.document = Document(patch, path)
        self.trial = Trial(self.document, self.engine)
        self.document.changed.connect(self._changed)
        self.engine.set_patch(patch)
        self._log = TakeLog(last_minutes_folder())
        self.control = IncomingControl(self.document)
        self.clicks = ClickWatch()
        self.clock = ClockFollower(self.engine)
        self.transport, self._located_s = NO_TRANSPORT, -1.0
        self.playing = False
        self.playing_changed: Event[bool] = Event()
        self._mark = mark_of(path)
        self.heard, self._behind, self._furthest = "", False, 0
        self.ahead: Callable[[Take, int], Ahead] = lambda take, position: Ahead()

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
        self.engine.left.clear()
        self.heard, self._furthest = "", 0
        self._mark = mark_of(path)

    def close(self) -> None:
        """End the engine, and listen to no other program any more."""
        self.control.close()
        self.engine.close()
        self._log.end()
        forget_last_minutes()

    # -- what sounds ----------------------------------------------------------------------------------------------

    def play(self, fade_s: float = Play.fade_s) -> None:
        """Let sound run, fading in.

        Parameters
        ----------
        fade_s : float
            Length of the fade in seconds.
        """
        if self.transport.there:  # it comes back from there, and is heard
            self.engine.move_transport(rolls=True)
            return
        self._play(fade_s)

    def _play(self, fade_s: float = Play.fade_s) -> None:
        self.engine.play(fade_s)
        self._set_playing(True)

    def pause(self) -> None:
        """Let sound rest where it is."""
        if self.transport.there:
            self.engine.move_transport(rolls=False)
            return
        self._pause()

    def _pause(self) -> None:
        self.engine.stop()
        self._set_playing(False)

    def rewind(self) -> None:
        """Stop, and go back to the start."""
        self._take_along(0.0, rolls=False)
        self.engine.rewind()
        self.heard, self._furthest = "", 0
        self._set_playing(False)

    def _set_playing(self, playing: bool) -> None:
        self.playing = playing
        self.playing_changed.emit(playing)

    @property
    def seconds(self) -> float:
        """The present position of the sound."""
        return self.engine.position / self.options.rate

    @property
    def length_s(self) -> float:
        """How long the take is: as far as it was heard, or as something is still to come."""
        journal = self.engine.journal
        last = max((entry.at for entry in journal.since(max(len(journal) - 1, 0))), default=0)
        return max(self._furthest, last, self.engine.position) / self.options.rate

    def seek(self, seconds: float) -> None:
        """Go to a time of the take: sound and patch are as they were there, and go on as they went until something else
        is done by hand; the patch of before comes back by undo.

        Parameters
        ----------
        seconds : float
            Time in seconds.
        """
        self._take_along(seconds)
        self._seek(seconds)

    def _seek(self, seconds: float) -> None:
        position = round(seconds * self.options.rate)
        then = self.engine.seek(position, self.ahead(self.engine.take, position))
        self.document.end_merge()
        self.document.edit(tr("Go to {seconds:.1f} s", seconds=seconds), self._as_sounding(then))

    # -- takes ----------------------------------------------------------------------------------------------------

    def hear_take(self, kept: KeptTake, seconds: float = 0.0) -> None:
        """Hear a take that the patch keeps, from a time on; the patch of before comes back by undo.

        Parameters
        ----------
        kept : KeptTake
            The take.
        seconds : float
            Time in seconds.
        """
        self.heard = kept.name
        self._take_along(seconds)
        then = self._take_up(kept.take, round(seconds * self.options.rate))
        self.document.end_merge()
        self.document.edit(tr("Hear {name}", name=kept.name), self._as_sounding(then))

    def _take_up(self, take: Take, position: int) -> Patch:
        self._furthest = 0
        return self.engine.seek(position, self.ahead(take.at_rate(self.options.rate), position), take)

    def _changed(self, before: Patch, after: Patch) -> None:
        """The document has changed: that is heard; a kept take that was corrected, from where it sounds otherwise."""
        was, kept = kept_take(before, self.heard), kept_take(after, self.heard)
        take = kept.take if kept is not None and (was is None or was.take is not kept.take) else None
        differs = END if take is None else first_difference(self.engine.take, take.at_rate(self.options.rate))
        if take is None or differs == END:
            self.engine.set_patch(after)
        else:
            self._take_up(take, max(differs - round(RUN_UP_S * self.options.rate), 0))
            self._behind = True

    def _as_sounding(self, then: Patch) -> Patch:
        """The patch of the document, sounding as another one."""
        return apply_changes(self.patch, difference(self.patch, then))

    def poll(self) -> list[object]:
        """What the engine says; the document follows a take that is heard again."""
        messages = self.engine.poll()
        for message in messages:
            if isinstance(message, Ticked):
                self._timed(message)
            elif isinstance(message, Transported):
                self._transported(message)
        self._furthest = max(self._furthest, self.engine.position)
        if self.playing:
            self._log.follow(self.engine.journal)
        if self._behind or self.engine.moved_on:
            self._behind = self.engine.moved_on = False
            self.document.follow(self._as_sounding(self.engine.patch))
        return messages

    def _timed(self, message: Ticked) -> None:
        """A MIDI clock: it starts and stops the sound, and has its tempo."""
        self.clock.take(message, playing=self.playing)
        if not self.clock.on:
            return
        if message.what == "start":
            self.rewind()
        elif message.what == "place":
            beats = message.sixteenths * SIXTEENTH / TICKS
            self.seek(min(beats * 60.0 / self.patch.tempo_bpm, self.length_s))
        if message.what in ("start", "continue"):
            self.play()
        elif message.what == "stop":
            self.pause()

    def follow_transport(self, on: bool) -> None:
        """Roll and rest with the transport of the sound server, at its time and tempo, or no longer.

        Parameters
        ----------
        on : bool
            Whether.
        """
        self.transport = NO_TRANSPORT
        self.engine.follow_transport(on)

    def _take_along(self, seconds: float, rolls: bool | None = None) -> None:
        """Let the transport go where the sound goes."""
        if self.transport.there:
            self._located_s = seconds
            self.engine.move_transport(rolls, seconds)

    def _transported(self, message: Transported) -> None:
        """The transport of the sound server was moved: sound goes along, as far as there is a take."""
        if not self.engine.follows_transport:
            return
        self.transport, own = message, abs(message.seconds - self._located_s) < NEAR_S
        self._located_s = -1.0
        if not message.there:
            return
        seconds = min(message.seconds, self.length_s)
        if not own and abs(seconds - self.seconds) > NEAR_S:
            self._seek(seconds)
        if message.rolls != self.playing:
            (self._play if message.rolls else self._pause)()
        if message.bpm and not self.engine.heard_again:
            take_tempo(self.engine, message.bpm)

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
