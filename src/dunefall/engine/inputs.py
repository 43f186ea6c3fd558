"""What the engine is played with: the live input, open while something listens to it, and the keyboard."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from pathlib import Path

from dunefall.base.errors import DeviceError
from dunefall.base.language import tr
from dunefall.compiler.program import Program
from dunefall.engine import messages as say
from dunefall.engine.devices.input import open_input
from dunefall.engine.keyplayer import KeyPlayer
from dunefall.engine.live import LiveTap
from dunefall.engine.messages import EngineOptions
from dunefall.engine.sounding import Sounding
from dunefall.patch.model import Patch
from dunefall.patch.take import Entry, Heard

__all__ = ["Inputs"]


class Inputs:
    """The devices that play.

    Parameters
    ----------
    options : EngineOptions
        Which, and the rate.
    tell : function
        Sends a message to the window.
    news : deque of object
        Takes messages to the window from other threads.

    Attributes
    ----------
    tap : LiveTap
        Gives the live input to the audio thread.
    """

    def __init__(self, options: EngineOptions, tell: Callable[[object], None], news: deque[object]) -> None:
        self._options, self._tell, self._news = options, tell, news
        self._keys: KeyPlayer | None = None
        self.tap = LiveTap(options.rate, self._recording_began)

    def open_keys(self, sounding: Sounding, patch: Patch) -> None:
        """Let the keyboard play what sounds."""
        try:
            self._keys = KeyPlayer(self._options.keys, sounding, self._news)
            self._keys.show(patch)
            if self._keys.told:
                self._tell(say.Trouble(self._keys.told))
        except DeviceError as error:
            self._tell(say.Trouble(f"{error}."))

    def show(self, program: Program) -> None:
        """This program sounds now."""
        if self._keys is not None:
            self._keys.show(program.patch)
        self._listen(program.live)

    def close(self) -> None:
        """Let go of the devices; what was recorded is on the disk."""
        if self._keys is not None:
            self._keys.stop()
            self._keys = None
        self._listen(False)
        self.tap.keep()
        self.tap.end()

    def _listen(self, on: bool) -> None:
        """Open the live input while somebody listens to it, and only then."""
        if on and self.tap.source is None:
            try:
                self.tap.source = open_input(self._options.live, self._options.rate)
            except DeviceError as error:
                self.tap.source = open_input("simulated", self._options.rate)
                self._tell(say.Trouble(tr("{error}. Using the simulated microphone instead.", error=error)))
        elif not on and self.tap.source is not None:
            source, self.tap.source = self.tap.source, None
            source.stop()

    def _recording_began(self, at: int, path: Path) -> None:
        self._tell(say.Happened(Entry(at, Heard(str(path)))))
