"""What goes out of the engine beside the sound: the MIDI clock, notes, controllers, Open Sound Control."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

from dunefall.base.errors import DeviceError
from dunefall.engine import messages as say
from dunefall.engine.devices.clockout import ClockOut, open_clock_out
from dunefall.engine.devices.sending import Sending, open_sending
from dunefall.engine.messages import EngineOptions
from dunefall.engine.sounding import Sounding

__all__ = ["Others"]


class Others:
    """Other instruments and programs, which go with the sound.

    Parameters
    ----------
    news : deque of object
        Takes messages to the window from other threads.
    """

    def __init__(self, news: deque[object]) -> None:
        self._news = news
        self._open: list[ClockOut | Sending] = []

    def open(self, options: EngineOptions, sounding: Sounding, tell: Callable[[object], None]) -> None:
        """Let them go with a sound; what cannot be used is told."""
        rate, frames = options.rate, options.frames
        for begin in (
            lambda: open_clock_out(options.clock_out, lambda: sounding.beats, self._failed),
            lambda: open_sending(sounding.outgoing, rate, frames, options.midi_out, options.osc_out, self._failed),
        ):
            try:
                opened = begin()
            except DeviceError as error:
                tell(say.Trouble(f"{error}."))
            else:
                self._open += [opened] if opened is not None else []

    def close(self) -> None:
        """Let go of them."""
        while self._open:
            self._open.pop().close()

    def _failed(self, text: str) -> None:
        self._news.append(say.Trouble(text))
