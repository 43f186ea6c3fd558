"""Live inputs: PortAudio through ``sounddevice``, or the simulated microphone that ships with the application."""

from __future__ import annotations

from functools import cache
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from dunefall.base.errors import DeviceError
from dunefall.base.language import tr
from dunefall.engine.devices.ports import chosen_port, close_stream, portaudio, sound_ports

__all__ = ["AudioInput", "RealInput", "SimulatedInput", "open_input", "voice"]

HELD_S = 0.5
"""What a real input holds at most for a sound that stands still: older samples are forgotten."""
VOWELS = ((730.0, 1090.0, 2440.0), (270.0, 2290.0, 3010.0), (300.0, 870.0, 2240.0), (530.0, 1840.0, 2480.0))
"""First three resonances of four vowels in Hz (Peterson and Barney 1952, doi:10.1121/1.1906875, from memory)."""
SYLLABLE_S, SYLLABLES = 0.4, 15


class AudioInput(Protocol):
    """What the engine needs of an input."""

    name: str
    simulated: bool

    def read(self, out: NDArray[np.float32]) -> None:
        """The next samples (audio thread); zeros where none have arrived."""

    def stop(self) -> None:
        """Close it."""


@cache
def voice(rate: float) -> NDArray[np.float32]:
    """Some seconds of a voice that is none: pulses through the resonances of vowels, syllables with rests between."""
    n = round(SYLLABLE_S * rate)
    time = np.arange(n) / rate
    swell = np.sin(np.pi * np.arange(n) / n) ** 2
    parts = []
    for k in range(SYLLABLES):
        pitch = 110.0 * 2.0 ** ((k * 5 % 7 - 3) / 12.0) * (1.0 + 0.03 * np.sin(2 * np.pi * 5.0 * time))
        phase = 2 * np.pi * np.cumsum(pitch) / rate
        sound = np.zeros(n)
        for h in range(1, 30):
            hz = 110.0 * h
            level = sum(1.0 / (1.0 + ((hz - peak) / (40.0 + 0.06 * peak)) ** 2) for peak in VOWELS[k % len(VOWELS)])
            sound += level / h * np.sin(h * phase)  # the voice itself falls by 6 dB per octave
        parts.append(sound * swell * (k % 5 != 4))
    whole = np.concatenate(parts)
    return np.asarray(0.3 * whole / np.abs(whole).max(), np.float32)


class SimulatedInput:
    """A voice that speaks over and over."""

    simulated = True
    name = tr("simulated microphone")

    def __init__(self, rate: float) -> None:
        self._sound = voice(rate)
        self._at = 0

    def read(self, out: NDArray[np.float32]) -> None:
        """The next samples."""
        done = 0
        while done < len(out):
            n = min(len(out) - done, len(self._sound) - self._at)
            out[done : done + n] = self._sound[self._at : self._at + n]
            self._at = (self._at + n) % len(self._sound)
            done += n

    def stop(self) -> None:
        """Nothing to close."""


class RealInput:
    """An input of the machine, its channels mixed to one; raises DeviceError if it refuses."""

    simulated = False

    def __init__(self, device: int | None, name: str, rate: float) -> None:
        sounddevice = portaudio()

        self.name = name
        self._ring = np.zeros(round(HELD_S * rate), np.float32)
        self._written = self._read = 0
        try:
            self._stream: Any = sounddevice.InputStream(
                samplerate=rate, device=device, channels=1, dtype="float32", callback=self._take_in
            )
            self._stream.start()
        except sounddevice.PortAudioError as error:
            raise DeviceError(tr("the input {name} cannot be used: {error}", name=name, error=error)) from error

    def _take_in(self, samples: NDArray[np.float32], frames: int, _time: object, _status: object) -> None:
        place = np.arange(self._written, self._written + frames) % len(self._ring)
        self._ring[place] = samples[:, 0]
        self._written += frames

    def read(self, out: NDArray[np.float32]) -> None:
        """The next samples; zeros until there are enough."""
        out[:] = 0.0
        waiting = self._written - self._read
        if waiting > len(self._ring) // 2:  # the sound stood still: go on with what is heard now
            self._read = self._written - len(out)
        elif waiting < len(out):
            return
        out[:] = self._ring[np.arange(self._read, self._read + len(out)) % len(self._ring)]
        self._read += len(out)

    def stop(self) -> None:
        """Close the stream."""
        close_stream(self._stream)


def open_input(choice: str, rate: float) -> AudioInput:
    """The input for a choice: ``auto``, ``simulated`` or part of a device's name.

    Raises
    ------
    DeviceError
        If a named device is not there, or the one that is refuses; without any, ``auto`` gives the simulated one.
    """
    if choice == "simulated":
        return SimulatedInput(rate)
    try:
        ports = sound_ports("input", 1)
    except (ImportError, OSError):
        ports = []
    if choice == "auto":
        return RealInput(None, tr("default input"), rate) if ports else SimulatedInput(rate)
    port = chosen_port(choice, ports, tr("sound input"))
    return RealInput(port.number, port.name, rate)
