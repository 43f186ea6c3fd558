"""What goes with the sound: the MIDI clock, notes, controllers and Open Sound Control out, and the transport of a sound
server."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

from dunefall.base.errors import DeviceError
from dunefall.engine import messages as say
from dunefall.engine.devices.clockout import open_clock_out
from dunefall.engine.devices.midiout import GoingOut
from dunefall.engine.devices.sending import open_sending
from dunefall.engine.devices.transport import TransportWatch, open_transport
from dunefall.engine.messages import EngineOptions
from dunefall.engine.sounding import Sounding

__all__ = ["Peers"]


class Peers:
    """Other instruments and programs, which go with the sound.

    Parameters
    ----------
    news : deque of object
        Takes messages to the window from other threads.
    """

    def __init__(self, news: deque[object]) -> None:
        self._news = news
        self._open: list[GoingOut] = []
        self._with: tuple[EngineOptions, Sounding] | None = None
        self._follows = False
        self._transport: TransportWatch | None = None

    def open(self, options: EngineOptions, sounding: Sounding, tell: Callable[[object], None]) -> None:
        """Let them go with a sound; what cannot be used is told."""
        rate, frames = options.rate, options.frames
        begins: tuple[Callable[[], GoingOut | None], ...] = (
            lambda: open_clock_out(options.clock_out, lambda: sounding.beats, self._failed),
            lambda: open_sending(sounding.outgoing, rate, frames, options.midi_out, options.osc_out, self._failed),
        )
        for begin in begins:
            try:
                opened = begin()
            except DeviceError as error:
                tell(say.Trouble(f"{error}."))
            else:
                self._open += [opened] if opened is not None else []
        self._with = options, sounding
        self._go_along()

    def follow_transport(self, on: bool) -> None:
        """Roll and rest with the transport, or no longer; before there is a sound, from then on."""
        self._follows = on
        self._go_along()

    def move_transport(self, rolls: bool | None, seconds: float | None) -> None:
        """Let the transport roll or rest, and go to a time, if one is followed."""
        if self._transport is not None:
            self._transport.move(rolls, seconds)

    def close(self) -> None:
        """Let go of them."""
        while self._open:
            self._open.pop().close()
        self._with = None
        self._leave_transport()

    def _go_along(self) -> None:
        self._leave_transport()
        if self._follows and self._with is not None:
            options, sounding = self._with
            self._transport = TransportWatch(
                lambda: open_transport(options.audio),
                lambda rolls: sounding.later(lambda: sounding.set_playing(rolls)),
                lambda moment: self._news.append(say.Transported(moment is not None, *(moment or ()))),
            )

    def _leave_transport(self) -> None:
        if self._transport is not None:
            self._transport.close()
            self._transport = None

    def _failed(self, text: str) -> None:
        self._news.append(say.Trouble(text))
