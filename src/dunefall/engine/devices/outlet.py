"""The device that sounds: opened, watched, and replaced by the simulated one where it fails."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from dunefall.base.errors import DeviceError
from dunefall.engine import messages as say
from dunefall.engine.devices.output import AudioOutput, SimulatedOutput, open_output
from dunefall.engine.shared import SharedState, Status

if TYPE_CHECKING:
    from dunefall.engine.messages import EngineOptions
    from dunefall.engine.sounding import Sounding

__all__ = ["Outlet"]


class Outlet:
    """Holds the open device; tells the window which it is."""

    def __init__(self, tell: Callable[[object], None]) -> None:
        self._tell = tell
        self._output: AudioOutput | None = None
        self._options: EngineOptions | None = None
        self._channels = 0

    def open(self, options: EngineOptions, sounding: Sounding, channels: int) -> None:
        """Open the chosen device for so many channels unless it is open; the simulated one where it cannot be had."""
        if self._output is not None and channels == self._channels:
            return
        self.close()
        self._options, self._channels = options, channels
        try:
            self._output = open_output(options.audio, options.rate, options.frames, channels)
            self._output.start(sounding.fill)
        except DeviceError as error:
            self._simulate(options, sounding, f"{error}. Using the simulated output instead.")
        else:
            self._announce(options)

    def maintain(self, sounding: Sounding, shared: SharedState) -> None:
        """Count underruns; switch to the simulated output if the device disappears."""
        if self._output is None or self._options is None:
            return
        shared.status[Status.UNDERRUNS] = self._output.underruns
        if not self._output.alive:
            gone = self._output
            gone.stop()
            note = f"The sound device {gone.name} is gone; the simulated output continues from the same position."
            self._simulate(self._options, sounding, note)

    def close(self) -> None:
        """Close the device; returns when it asks for no more sound."""
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
