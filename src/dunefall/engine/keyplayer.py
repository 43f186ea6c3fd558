"""What comes in by MIDI: keys go to the Keyboard modules that want them, controllers and clocks to the window."""

from __future__ import annotations

from collections import deque

from dunefall.catalogue import spec_of
from dunefall.engine import messages as say
from dunefall.engine.devices.keys import Keys, Takes, open_keys
from dunefall.engine.sounding import Sounding
from dunefall.patch.model import Patch
from dunefall.patch.take import Entry, Note
from dunefall.render.performance import by_hand
from dunefall.render.player import Player, wants_note

__all__ = ["KeyPlayer"]


class KeyPlayer:
    """Lets a keyboard sound.

    Parameters
    ----------
    choice : str
        The keyboard, as in ``EngineOptions``.
    sounding : Sounding
        What it plays.
    news : deque of object
        Takes messages to the window.

    Raises
    ------
    DeviceError
        If there is none.
    """

    def __init__(self, choice: str, sounding: Sounding, news: deque[object]) -> None:
        self._sounding, self._news = sounding, news
        self._modules: tuple[str, ...] = ()
        self._keys: Keys | None = open_keys(choice, Takes(self._played, self._turned, self._timed))

    def show(self, patch: Patch) -> None:
        """This patch sounds now: its modules are played."""
        self._modules = tuple(m.id for m in patch.modules() if (spec := spec_of(m.type)) and spec.keys)

    def stop(self) -> None:
        """Close the keyboard."""
        if self._keys is not None:
            self._keys.stop()

    def _turned(self, controller: int, place: float) -> None:
        """A controller moved (in the keyboard's thread): the window knows what depends on it."""
        self._news.append(say.Turned(controller, place))

    def _timed(self, what: say.ClockWord, at_s: float, sixteenths: int) -> None:
        """A clock ticked (in the keyboard's thread): the window sets the tempo."""
        self._news.append(say.Ticked(what, at_s, self._sounding.place_s(at_s), sixteenths))

    @property
    def told(self) -> str:
        """What is wrong with the keyboard, in a sentence; empty: nothing."""
        return self._keys.told if self._keys is not None else ""

    def _played(self, note: float, velocity: float, channel: int, at_s: float) -> None:
        """A key went down or up (in the keyboard's thread): every Keyboard module that wants it plays it."""
        news, checkpoints = self._news, self._sounding.checkpoints
        for module in self._modules:
            what = Note(module, note, velocity)

            def step(player: Player, what: Note = what) -> None:
                if velocity == 0.0 or wants_note(player.program, what.module, note, channel):
                    by_hand(what)(player)
                    checkpoints.forget_after(player.position)
                    news.append(say.Happened(Entry(player.position, what)))

            self._sounding.play(at_s, step)
