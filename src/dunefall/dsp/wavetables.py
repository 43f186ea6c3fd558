"""Wavetables: single cycles, band-limited for each octave, in frames that a position glides through.

A table is a row of frames; a frame is the same cycle at ``LEVELS`` levels, each with half the harmonics of the one
before, so that none reaches beyond half the sample rate (common practice). All phases begin where the wave rises
through 0.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

__all__ = [
    "FRAMES", "FRAME_SIZE", "HARMONICS", "LEVELS", "NAMES", "OFFSETS", "SIZES", "built_in_tables", "tables_of_sound",
]  # fmt: skip

HARMONICS = 512
LEVELS = 10
SIZES = tuple(max(min(16 * HARMONICS >> level, 8 * HARMONICS), 256) for level in range(LEVELS))
"""Samples of a cycle at each level: sixteen or more for the highest harmonic, at the first level eight."""
OFFSETS = tuple(sum(SIZES[:level]) for level in range(LEVELS))
FRAME_SIZE = sum(SIZES)
FRAMES = 16
CYCLE = 2048
"""Samples of a frame in files that hold several (common practice)."""
MOST_FRAMES = 256
RMS = 0.3
Partials = NDArray[np.complex128]


def _series(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """One harmonic after the other comes in."""
    return np.clip(1.0 + 31.0 * t - (n - 1.0), 0.0, 1.0) / n


def _octaves(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """The fundamental and its octaves, upwards one after the other."""
    octave = np.log2(n)
    return np.where((octave == np.round(octave)) & (n <= 128), np.clip(1.0 + 7.0 * t - octave, 0.0, 1.0), 0.0)


def _hollow(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """Odd harmonics, brighter and brighter."""
    return np.where(n % 2 == 1, n ** -(2.5 - 1.7 * t), 0.0)


VOWELS = ((730, 1090, 2440), (530, 1840, 2480), (270, 2290, 3010), (570, 840, 2410), (300, 870, 2240))
"""Formants in Hz of five vowels: Peterson and Barney 1952 (from memory)."""


def _vowels(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """Five vowels on a voice of 110 Hz."""
    at = t * (len(VOWELS) - 1)
    low = min(int(at), len(VOWELS) - 2)
    hz = 110.0 * n
    formants = [a + (b - a) * (at - low) for a, b in zip(VOWELS[low], VOWELS[low + 1], strict=True)]
    peaks = [1.0 / (1.0 + ((hz - f) / (60.0 + 0.04 * f)) ** 2) for f in formants]
    return np.asarray((peaks[0] + 0.5 * peaks[1] + 0.3 * peaks[2] + 0.004) / n**0.3)


def _bell(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """The partials of a minor-third bell on a hum of the fifth harmonic; the high ones die away."""
    ratios = (5, 10, 12, 15, 20, 25, 26, 33, 40, 53)
    levels = np.zeros(len(n))
    for k, ratio in enumerate(ratios):
        levels[ratio - 1] = np.exp(-(0.1 + 3.5 * t) * k / 3.0)
    levels[0] = 0.4 * t
    return levels


def _plucked(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """A string that is plucked from its middle to near its end."""
    return np.asarray(np.abs(np.sin(np.pi * n * (0.5 - 0.46 * t))) / n**1.2)


def _pulse(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """A pulse from half a cycle to a needle."""
    return np.asarray(np.sin(np.pi * n * (0.5 - 0.48 * t)) / n)


def _folded(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """A sine whose phase another sine bends, more and more (Chowning 1973)."""
    index = 0.1 + 9.0 * t
    from scipy.special import jv  # half a second to import, and seldom needed: the tables are kept

    return np.asarray(jv(n - 1.0, index) - jv(n + 1.0, index))


def _pipes(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """Pipes of eight ranks drawn one after the other."""
    levels = np.zeros(len(n))
    for k, rank in enumerate((1, 2, 3, 4, 6, 8, 12, 16)):
        levels[rank - 1] = np.clip(1.0 + 7.0 * t - k, 0.0, 1.0) * 0.8**k
    return levels


def _combed(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """All harmonics through a comb whose teeth wander."""
    return np.asarray((1.0 + np.cos(2.0 * np.pi * n * (0.04 + 0.11 * t))) / n**0.9)


def _glass(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """Prime harmonics only, from low to high."""
    prime = np.array([m > 1 and all(m % d for d in range(2, int(m**0.5) + 1)) for m in n.astype(int)])
    return np.where(prime | (n == 1), np.exp(-(((np.log2(n) - 1.0 - 4.0 * t) / 1.4) ** 2)), 0.0)


def _noise(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """A single cycle of noise, from dull to bright."""
    return np.asarray(n ** -(1.4 - 1.4 * t))


def _swarm(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """Crowds of partials around every eighth, closing in."""
    away = np.abs((n + 4.0) % 8.0 - 4.0)
    return np.asarray(np.exp(-((away / (3.0 - 2.7 * t)) ** 2)) / n**0.8)


def _breath(t: float, n: NDArray[np.float64]) -> NDArray[np.float64]:
    """A soft tone that noise grows out of."""
    return np.asarray(np.where(n <= 3, 1.0 / n**2, t * 0.12 * np.exp(-(((n - 40.0) / 60.0) ** 2))))


_RECIPES: dict[str, tuple[Callable[[float, NDArray[np.float64]], NDArray[np.float64]], bool]] = {
    "series": (_series, False),
    "octaves": (_octaves, False),
    "hollow": (_hollow, False),
    "vowels": (_vowels, False),
    "bell": (_bell, False),
    "plucked": (_plucked, False),
    "pulse": (_pulse, False),
    "bent sine": (_folded, False),
    "pipes": (_pipes, False),
    "comb": (_combed, False),
    "glass": (_glass, False),
    "noise": (_noise, True),
    "swarm": (_swarm, True),
    "breath": (_breath, True),
}
"""Levels of the harmonics over the position [0, 1], and whether their phases are random."""
NAMES = tuple(_RECIPES)


def built_in_tables() -> NDArray[np.float32]:
    """All built-in tables, one after the other in the order of ``NAMES``, each of ``FRAMES`` frames."""
    n = np.arange(1.0, HARMONICS + 1)
    random = np.random.default_rng(1)
    frames = []
    for recipe, loose in _RECIPES.values():
        phases = random.uniform(0, 2 * np.pi, HARMONICS) if loose else np.zeros(HARMONICS)
        for frame in range(FRAMES):
            frames.append(_frame(recipe(frame / (FRAMES - 1), n) * np.exp(1j * phases)))
    return np.concatenate(frames)


def tables_of_sound(samples: NDArray[np.float32]) -> tuple[NDArray[np.float32], int]:
    """One table of a file's cycles: frames of ``CYCLE`` samples if it holds several, else a single cycle; and its
    number of frames, at most ``MOST_FRAMES``.

    Parameters
    ----------
    samples : ndarray [shape=(n,)]
        A sound file.

    Returns
    -------
    tuple[ndarray of float32, int]
    """
    several = len(samples) >= 2 * CYCLE
    count = min(len(samples) // CYCLE, MOST_FRAMES) if several else 1
    cycles = np.asarray(samples[: count * CYCLE] if several else samples, np.float64).reshape(count, -1)
    made = []
    for cycle in cycles:
        found = np.fft.rfft(cycle)[1 : HARMONICS + 1] * 1j  # as sines
        partials = np.zeros(HARMONICS, complex)
        partials[: len(found)] = found
        made.append(_frame(partials))
    return np.concatenate(made), count


def _frame(partials: Partials) -> NDArray[np.float32]:
    """All levels of a cycle of these harmonics (sines, with their phases), as loud as every other."""
    whole = _cycle(partials, SIZES[0])
    gain = min(RMS / max(float(np.sqrt(np.mean(whole**2))), 1e-9), 1.0 / max(float(np.abs(whole).max()), 1e-9))
    gain = gain if np.abs(whole).max() > 1e-9 else 0.0
    n = np.arange(1, HARMONICS + 1)
    turned = partials * np.exp(2j * np.pi * n * _rise(whole)) * gain
    return np.concatenate(
        [_cycle(turned[: HARMONICS >> level], size).astype(np.float32) for level, size in enumerate(SIZES)]
    )


def _cycle(partials: Partials, size: int) -> NDArray[np.float64]:
    spectrum = np.zeros(size // 2 + 1, complex)
    count = min(len(partials), size // 2 - 1)
    spectrum[1 : count + 1] = -0.5j * size * partials[:count]
    return np.fft.irfft(spectrum, size)


def _rise(cycle: NDArray[np.float64]) -> float:
    """Place in the cycle [0, 1) at which it rises through 0, the first one."""
    after = np.roll(cycle, -1)
    places = np.flatnonzero((cycle <= 0.0) & (after > 0.0))
    if not len(places) or cycle[0] == 0.0:
        return 0.0
    k = int(places[0])
    return float(k + cycle[k] / (cycle[k] - after[k])) / len(cycle)
