"""The device that sounds: opened, watched, replaced by the simulated one where it fails, and found again."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from dunefall.base.errors import DeviceError
from dunefall.base.language import tr
from dunefall.engine import messages as say
from dunefall.engine.devices.lookout import Lookout
from dunefall.engine.devices.output import AudioOutput, SimulatedOutput, open_output
from dunefall.engine.shared import SharedState, Status

if TYPE_CHECKING:
    from dunefall.engine.messages import EngineOptions
    from dunefall.engine.sounding import Sounding

__all__ = ["Outlet"]


class Outlet:
    """Holds the open device; tells the window which it is.

    Attributes
    ----------
    back : bool
        The device that went away is there again. Another process can open it: this one's PortAudio cannot.
    """

    def __init__(self, tell: Callable[[object], None]) -> None:
        self.back = False
        self._tell = tell
        self._output: AudioOutput | None = None
        self._options: EngineOptions | None = None
        self._channels = 0
        self._lookout: Lookout | None = None

    def open(self, options: EngineOptions, sounding: Sounding, channels: int, note: str = "") -> None:
        """Open the chosen device for so many channels unless it is open; the simulated one where it cannot be had."""
        if self._output is not None and channels == self._channels:
            return
        if self._output is not None:
            self._output.stop()
        self._options, self._channels = options, channels
        if self.lost:
            self._simulate(options, sounding, "")
            return
        try:
            self._output = open_output(options.audio, options.rate, options.frames, channels)
            self._output.start(sounding.fill)
        except DeviceError as error:
            self._simulate(options, sounding, tr("{error}. Using the simulated output instead.", error=error))
        else:
            self._announce(options, note)

    def maintain(self, sounding: Sounding, shared: SharedState) -> None:
        """Count underruns; switch to the simulated output if the device disappears, and look out for it."""
        if self._output is None or self._options is None:
            return
        shared.status[Status.UNDERRUNS] = self._output.underruns
        if not self._output.alive:
            gone = self._output
            gone.abandon()
            note = tr("The sound device {name} is gone; the simulated output continues from the same position.",
                      name=gone.name)  # fmt: skip
            self._simulate(self._options, sounding, note)
            if not gone.simulated:
                self._lookout = Lookout(self._options.audio)
        if self._lookout is not None:
            self.back = self._lookout.sees_it()

    @property
    def is_open(self) -> bool:
        """Whether something sounds."""
        return self._output is not None

    @property
    def lost(self) -> bool:
        """Whether the device went away and this process can open no other."""
        return self._lookout is not None

    def close(self) -> None:
        """Close the device; returns when it asks for no more sound."""
        if self._lookout is not None:
            self._lookout.end()
            self._lookout = None
        if self._output is not None:
            self._output.stop()
            self._output = None

    def _simulate(self, options: EngineOptions, sounding: Sounding, note: str) -> None:
        self._output = SimulatedOutput(options.rate, options.frames, self._channels)
        self._output.start(sounding.fill)
        self._announce(options, note)

    def _announce(self, options: EngineOptions, note: str = "") -> None:
        assert self._output is not None
        name, simulated = self._output.name, self._output.simulated
        self._tell(say.DeviceChosen(name, simulated, options.rate, options.frames, note))
