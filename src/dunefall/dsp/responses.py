"""Impulse responses worked out from the geometry of rooms.

Early reflections by mirrored sources (Allen and Berkley 1979, Image method for efficiently simulating small-room
acoustics), the late part as noise that decays in each octave as the room's surfaces and volume ask for (Eyring 1930),
both weakened by frequency at each wall.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

__all__ = ["LONGEST_S", "ROOMS", "Room", "decay_s", "response"]

LONGEST_S = 6.0
OCTAVES_HZ = np.array([125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0])
SOUND_M_PER_S = 343.0
EARS_M = 0.22
ORDER = 9
"""Most mirrors in each direction."""
AIR = np.array([0.0001, 0.0003, 0.0006, 0.001, 0.0019, 0.0058])
"""Attenuation of the air per metre in these octaves (ISO 9613-1, from memory)."""
CONCRETE = (0.04, 0.035, 0.03, 0.03, 0.03, 0.035)
STEEL = (0.05, 0.04, 0.03, 0.03, 0.02, 0.02)
WOOD = (0.15, 0.12, 0.10, 0.08, 0.08, 0.08)
ROUGH = (0.08, 0.07, 0.07, 0.09, 0.12, 0.16)
CLOTH = (0.12, 0.25, 0.45, 0.6, 0.65, 0.65)
OPEN = (0.4, 0.45, 0.5, 0.55, 0.6, 0.65)


@dataclass(frozen=True)
class Room:
    """A room: its name, its edges in metres, and how much its walls swallow in each octave from 125 Hz to 4 kHz."""

    name: str
    edges_m: tuple[float, float, float]
    absorption: tuple[float, ...]


ROOMS = (
    Room("turbine hall", (46.0, 18.0, 14.0), ROUGH),
    Room("sluice tunnel", (90.0, 4.2, 4.6), CONCRETE),
    Room("water tank", (7.0, 7.0, 5.0), STEEL),
    Room("gate shaft", (3.1, 3.3, 28.0), ROUGH),
    Room("control room", (6.5, 4.8, 2.9), WOOD),
    Room("cable duct", (30.0, 1.3, 1.7), STEEL),
    Room("pump chamber", (11.0, 8.0, 6.0), ROUGH),
    Room("boat hull", (9.0, 2.6, 1.9), STEEL),
    Room("store of nets", (8.0, 6.0, 3.2), CLOTH),
    Room("cistern", (34.0, 27.0, 6.5), CONCRETE),
    Room("dry dock", (70.0, 16.0, 11.0), OPEN),
    Room("steel locker", (0.9, 0.6, 1.9), STEEL),
)


def decay_s(room: Room) -> NDArray[np.float64]:
    """Time in which the sound falls by 60 dB in each octave (Eyring 1930).

    Parameters
    ----------
    room : Room
        The room.

    Returns
    -------
    ndarray

    Examples
    --------
    >>> bool((decay_s(ROOMS[0]) > decay_s(ROOMS[4])).all())
    True
    """
    x, y, z = room.edges_m
    volume, surface = x * y * z, 2 * (x * y + y * z + x * z)
    swallowed = -surface * np.log(1 - np.array(room.absorption)) + 4 * AIR * volume
    return np.asarray(24 * math.log(10) / SOUND_M_PER_S * volume / swallowed)


def response(number: int, rate: float) -> NDArray[np.float64]:
    """Response of a room of ``ROOMS`` at a rate in Hz, left and right [shape=(2, n)], with an energy of 1 for each.

    Parameters
    ----------
    number : int
        Which of the built-in rooms.
    rate : float
        Sample rate in Hz.

    Returns
    -------
    ndarray
    """
    room = ROOMS[number]
    seconds = min(float(decay_s(room).max()) * 1.1 + 0.1, LONGEST_S)
    count = round(seconds * rate)
    both = np.stack([_ear(room, side, count, rate) + _tail(room, side, number, count, rate) for side in (-1, 1)])
    fade = np.ones(count)
    last = round(0.05 * count)
    fade[-last:] = np.cos(np.linspace(0, np.pi / 2, last)) ** 2
    both *= fade
    return np.asarray(both / np.sqrt(np.sum(both**2) / 2))


def _mixing_s(room: Room) -> float:
    """From when on the reflections are too dense to be heard apart: about three free ways."""
    x, y, z = room.edges_m
    return min(3 * 4 * x * y * z / (2 * (x * y + y * z + x * z)) / SOUND_M_PER_S + 0.01, 0.12)


def _ear(room: Room, side: int, count: int, rate: float) -> NDArray[np.float64]:
    """The mirrored sources as one ear hears them, up to the mixing time; it begins with the sound itself."""
    edges = np.array(room.edges_m)
    source, ear = edges * (0.31, 0.42, 0.45), edges * (0.68, 0.55, 0.4) + (0, side * min(EARS_M, edges[1] / 4) / 2, 0)
    steps = np.arange(-ORDER, ORDER + 1)
    n = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    places = np.where(n % 2 == 0, n * edges + source, (n + 1) * edges - source)
    away = np.linalg.norm(places - ear, axis=1)
    at, walls = (away - away.min()) / SOUND_M_PER_S * rate, np.abs(n).sum(axis=1)
    kept = at < min(_mixing_s(room) * rate, count - 2)
    spectrum = np.zeros(count // 2 + 1, complex)
    hz = np.fft.rfftfreq(count, 1 / rate)
    reflects = np.interp(hz, OCTAVES_HZ, np.sqrt(1 - np.array(room.absorption)))
    for mirrors in np.unique(walls[kept]):
        chosen = kept & (walls == mirrors)
        whole = np.floor(at[chosen]).astype(int)
        part = at[chosen] - whole
        row = np.bincount(whole, (1 - part) / away[chosen], count) + np.bincount(whole + 1, part / away[chosen], count)
        spectrum += np.fft.rfft(row) * reflects**mirrors
    return np.fft.irfft(spectrum, count)


def _tail(room: Room, side: int, number: int, count: int, rate: float) -> NDArray[np.float64]:
    """Noise that decays in each octave, as loud at the mixing time as the mirrored sources would be by then."""
    noise = np.random.Generator(np.random.Philox(key=[number, 2 + side])).normal(size=count)
    seconds = np.arange(count) / rate
    volume = math.prod(room.edges_m)
    dense = math.sqrt(4 * math.pi * SOUND_M_PER_S / volume / rate)
    rises = np.clip((seconds / _mixing_s(room) - 0.7) / 0.6, 0, 1)
    from scipy import signal  # seldom needed, and half a second to import

    tail = np.zeros(count)
    for hz, decay in zip(OCTAVES_HZ, decay_s(room), strict=True):
        band = signal.sosfilt(_octave(hz, rate), noise)
        tail += band * 10 ** (-3 * seconds / decay)
    return np.asarray(tail * dense * rises)


def _octave(hz: float, rate: float) -> NDArray[np.float64]:
    """Filter of an octave; the first one also takes all below, the last one all above."""
    from scipy import signal

    low, high = hz / 2**0.5, min(hz * 2**0.5, 0.45 * rate)
    if hz == OCTAVES_HZ[0]:
        return np.asarray(signal.butter(4, high, "lowpass", fs=rate, output="sos"))
    if hz == OCTAVES_HZ[-1]:
        return np.asarray(signal.butter(4, low, "highpass", fs=rate, output="sos"))
    return np.asarray(signal.butter(4, [low, high], "bandpass", fs=rate, output="sos"))
