"""Sound outputs: PortAudio through ``sounddevice``, or the simulated output that ships with the application."""

from __future__ import annotations

import contextlib
import os
import threading
import time
from collections.abc import Callable
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from dunefall.base.errors import DeviceError
from dunefall.base.language import tr
from dunefall.base.pages import put_at_hand
from dunefall.base.preferences import RATES_HZ
from dunefall.engine.devices.ports import chosen_port, close_stream, portaudio, sound_ports, usual_channels

__all__ = [
    "HELD_S",
    "AudioOutput",
    "RealOutput",
    "SimulatedOutput",
    "ask_for_real_time",
    "fitting_rate",
    "open_output",
    "raise_thread_priority",
]

Fill = Callable[[NDArray[np.float64]], None]
"""Writes the next frames into an array of shape (n, channels)."""
KEPT_S = 120.0
FIRST = -10
INVALID_RATE = -9997
"""PortAudio's ``paInvalidSampleRate``."""
SILENT_S = 2.0
"""A device that has not asked for sound for so long is gone, whatever it says."""
HELD_S = 0.043
"""What the simulated output holds ahead, as a sound server does."""


class AudioOutput(Protocol):
    """What the engine needs of a device."""

    name: str
    simulated: bool
    underruns: int

    def start(self, fill: Fill) -> None:
        """Begin to ask for sound, from a thread of the device's own."""

    def stop(self) -> None:
        """Stop asking; returns when the last call of ``fill`` has ended."""

    def abandon(self) -> None:
        """Ask no more, when the device is gone: it may never let itself be closed."""

    @property
    def alive(self) -> bool:
        """Whether it still asks for sound; a device that was unplugged does not."""


def ask_for_real_time() -> None:
    """Let the calling thread go before all ordinary ones, as sound must; without the right to, it stays ordinary."""
    with contextlib.suppress(OSError, AttributeError):
        os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(10))


def raise_thread_priority() -> None:
    """Let the calling thread go before ordinary ones, as it holds Python's lock at times, for which the sound waits;
    without the right to, it stays ordinary."""
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, 0, FIRST)


class SimulatedOutput:
    """Consumes sound in real time and keeps the last two minutes (``kept``, float32, oldest first).

    Like a sound server it holds some sound ahead (``HELD_S``, at least two pieces): only when that has run out is it an
    underrun.
    """

    simulated = True
    name = tr("simulated output")

    def __init__(self, rate: float, frames: int, channels: int = 2) -> None:
        self.underruns = 0
        self._rate, self._frames = rate, frames
        self._ring = np.zeros((int(KEPT_S * rate), channels), np.float32)
        put_at_hand(self._ring)
        self._written = 0
        self._ended = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self, fill: Fill) -> None:
        """Begin to consume."""
        self._ended.clear()
        self._thread = threading.Thread(target=self._run, args=(fill,), name="simulated output", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Stop and wait for the thread."""
        self._ended.set()
        if self._thread is not None:
            self._thread.join()
            self._thread = None

    def abandon(self) -> None:
        """Its thread has ended by itself."""
        self.stop()

    @property
    def alive(self) -> bool:
        """Whether its thread runs."""
        return self._thread is not None and self._thread.is_alive()

    @property
    def kept(self) -> NDArray[np.float32]:
        """The last frames, shape (n, channels), oldest first."""
        size = len(self._ring)
        if self._written <= size:
            return self._ring[: self._written].copy()
        return np.roll(self._ring, -(self._written % size), axis=0)

    def _run(self, fill: Fill) -> None:
        ask_for_real_time()
        piece = np.zeros((self._frames, self._ring.shape[1]))
        period = self._frames / self._rate
        due = time.monotonic()
        while not self._ended.is_set():
            fill(piece)
            place = np.arange(self._written, self._written + self._frames) % len(self._ring)
            self._ring[place] = piece
            self._written += self._frames
            due += period
            wait = due - time.monotonic()
            if wait > 0:
                self._ended.wait(wait)
            elif wait < -max(HELD_S, 2 * period):
                self.underruns += 1
                due = time.monotonic()


class _Flags(Protocol):
    """What PortAudio says of a block."""

    output_underflow: bool


class RealOutput:
    """A device of the machine, through PortAudio."""

    simulated = False

    def __init__(self, device: int | None, name: str, rate: float, frames: int, channels: int) -> None:
        self.name, self.underruns, self._channels = name, 0, channels
        self._device, self._rate, self._frames = device, rate, frames
        self._stream: Any = None
        self._asked = 0.0
        self._abandoned = False

    def start(self, fill: Fill) -> None:
        """Open the stream; raises DeviceError if the device refuses."""
        sounddevice = portaudio()

        piece = np.zeros((self._frames, self._channels))

        def callback(out: NDArray[np.float32], frames: int, _time: object, status: _Flags) -> None:
            self._asked = time.monotonic()
            if self._abandoned:  # it was gone, and is back: another has its place
                out[:] = 0.0
                return
            if status.output_underflow:
                self.underruns += 1
            done = 0
            while done < frames:
                part = min(frames - done, self._frames)
                fill(piece[:part])
                out[done : done + part] = piece[:part]
                done += part

        try:
            self._stream = sounddevice.OutputStream(
                samplerate=self._rate, blocksize=self._frames, device=self._device,
                channels=self._channels, callback=callback,
            )  # fmt: skip
            self._asked = time.monotonic()
            self._stream.start()
        except sounddevice.PortAudioError as error:
            raise DeviceError(
                tr("the sound device {name} cannot be used: {error}", name=self.name, error=error)
            ) from error

    @property
    def alive(self) -> bool:
        """Whether the stream runs, and asks."""
        return bool(self._stream and self._stream.active) and time.monotonic() - self._asked < SILENT_S

    def abandon(self) -> None:
        """Leave the stream as it is. PortAudio ends the process where it closes one of a JACK server that has died."""
        self._abandoned = True

    def stop(self) -> None:
        """Close the stream."""
        if self._stream is not None:
            close_stream(self._stream)
            self._stream = None


def fitting_rate(choice: str, rate: float) -> float:
    """The rate at which the chosen output can run: the wanted one, or the one that its sound server runs at.

    Parameters
    ----------
    choice : str
        ``auto``, ``simulated`` or part of a device's name.
    rate : float
        The wanted one in Hz.

    Returns
    -------
    float
        In Hz; the wanted one where nothing else can be had either.
    """
    if choice == "simulated":
        return rate
    try:
        sounddevice = portaudio()

        ports = sound_ports("output", 2)
        if not ports:
            return rate
        number = None if choice == "auto" else chosen_port(choice, ports, tr("sound device")).number
        try:
            sounddevice.check_output_settings(device=number, channels=2, samplerate=rate)
            return rate
        except sounddevice.PortAudioError as error:
            own = float(sounddevice.query_devices(number, "output")["default_samplerate"])
            return own if error.args[1:2] == (INVALID_RATE,) and own in RATES_HZ else rate
    except (ImportError, OSError, ValueError, DeviceError):
        return rate  # opening it says what is wrong


def open_output(choice: str, rate: float, frames: int, channels: int = 2) -> AudioOutput:
    """The output for a choice: ``auto``, ``simulated`` or part of a device's name.

    A device with fewer than ``channels`` is opened in stereo: what it gets is folded.

    Raises
    ------
    DeviceError
        If a named device is not there. ``auto`` never fails: without a device it gives the simulated one.
    """
    if choice == "simulated":
        return SimulatedOutput(rate, frames, channels)
    try:
        ports = sound_ports("output", 2)
    except (ImportError, OSError) as error:
        if choice == "auto":
            return SimulatedOutput(rate, frames, channels)
        raise DeviceError(tr("the sound system (PortAudio) cannot be used: {error}", error=error)) from error
    if choice == "auto":
        if not ports:
            return SimulatedOutput(rate, frames, channels)
        return RealOutput(
            None, tr("default output"), rate, frames, channels if usual_channels("output") >= channels else 2
        )
    port = chosen_port(choice, ports, tr("sound device"))
    return RealOutput(port.number, port.name, rate, frames, channels if port.channels >= channels else 2)
