"""Gain, limiter and fades of a finished sound: it is measured first, and never cut off."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.loudness import loudness_of
from dunefall.base.language import tr
from dunefall.deliver.measure import surely_under, true_peak
from dunefall.dsp.limiter import Limiter

__all__ = ["Reached", "brought_to", "fade", "gained", "keep_under", "level_of", "limited"]

Sound = NDArray[np.float64]
PIECE = 1 << 16
TRIES = 6
CLOSE_LU = 0.03
MOST_LIMITED_DB = 6.0
"""Peaks are lowered by no more than this to reach a loudness."""
SAFE_DB = 0.01


@dataclass(frozen=True)
class Reached:
    """What became of a target.

    Attributes
    ----------
    lufs : float
        The loudness that was reached.
    missed : str
        Why the target could not be reached, or empty.
    """

    lufs: float
    missed: str = ""


def gained(sound: Sound, gain: float) -> None:
    """Multiply a sound in place, piece by piece."""
    for at in range(0, len(sound), PIECE):
        sound[at : at + PIECE] *= gain


def level_of(decibels: float) -> float:
    """Linear level of decibels."""
    return float(10.0 ** (decibels / 20.0))


def fade(sound: Sound, rate: int, in_s: float, out_s: float) -> None:
    """Fade a sound in and out in place, by a quarter of a cosine; what is too long for it meets in the middle.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.
    rate : int
        Sample rate in Hz.
    in_s, out_s : float
        Seconds; 0 leaves that end as it is.
    """
    first, last = round(in_s * rate), round(out_s * rate)
    if first + last > len(sound):
        first = len(sound) * first // max(1, first + last)
        last = len(sound) - first
    if first:
        sound[:first] *= np.sin(np.linspace(0.0, np.pi / 2, first, endpoint=False))[:, None]
    if last:
        sound[-last:] *= np.sin(np.linspace(np.pi / 2, 0.0, last))[:, None]


def limited(sound: Sound, rate: int, peak_db: float, around: bool = False) -> None:
    """Keep the true peaks of a sound under a level, in place.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.
    rate : int
        Sample rate in Hz.
    peak_db : float
        In dBTP.
    around : bool
        It is a loop: what is reduced at its end is reduced at its start as well.
    """
    limiter = Limiter(float(rate), peak_db, sound.shape[1])
    late, start = limiter.latency, sound[: limiter.latency].copy()
    if around:
        limiter.process(np.array(sound[-rate:]))
    limiter_ready = np.array(sound[:late])
    limiter.process(limiter_ready)
    for at in range(0, len(sound), PIECE):
        begin, end = at + late, min(at + PIECE, len(sound)) + late
        piece = np.zeros((end - begin, sound.shape[1]))
        have = np.asarray(sound[begin : min(end, len(sound))])
        piece[: len(have)] = have
        if around and len(have) < len(piece):
            over = piece[len(have) :]
            first = begin + len(have) - len(sound)
            source = start[first : first + len(over)]
            over[: len(source)] = source
        limiter.process(piece)
        sound[at : at + len(piece)] = piece[: len(sound) - at]


def keep_under(sound: Sound, rate: int, peak_db: float, limit: bool, around: bool = False) -> float:
    """Keep true peaks under a level in place: by the limiter, or by lowering the whole; gives the gain in dB.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.
    rate : int
        Sample rate in Hz.
    peak_db : float
        In dBTP.
    limit : bool
        Whether the limiter may do it.
    around : bool
        It is a loop.

    Returns
    -------
    float
    """
    ceiling = level_of(peak_db)
    if surely_under(sound, ceiling) or true_peak(sound) <= ceiling:
        return 0.0
    if limit:
        limited(sound, rate, peak_db, around)
    peak = true_peak(sound)
    if peak <= ceiling:
        return 0.0
    gained(sound, ceiling / peak * level_of(-SAFE_DB))
    return 20.0 * math.log10(ceiling / peak) - SAFE_DB


def brought_to(
    sound: Sound,
    rate: int,
    lufs: float,
    peak_db: float,
    limit: bool,
    around: bool = False,
    room: Callable[[int, int], Sound] = lambda frames, channels: np.zeros((frames, channels)),
) -> Reached:
    """Bring a sound to a loudness under a true peak, in place.

    It is measured, gained, limited, and measured again until both are right; where peaks would have to be lowered by
    more than 6 dB it stays as loud as that allows.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.
    rate : int
        Sample rate in Hz.
    lufs, peak_db : float
        The targets.
    limit : bool
        Whether the limiter may be used; without it, peaks decide.
    around : bool
        It is a loop.
    room : function of (frames, channels)
        Where a copy of the sound is kept meanwhile.

    Returns
    -------
    Reached
    """
    own = loudness_of(sound, rate)
    peak_of = 20.0 * math.log10(max(true_peak(sound), 1e-9))
    if own <= -100.0 or peak_of <= -100.0:
        return Reached(own, tr("it is silent"))
    wanted = lufs - own
    over = peak_of + wanted - peak_db
    if over <= 0.0:
        gained(sound, level_of(wanted))
        return Reached(loudness_of(sound, rate))
    if not limit:
        gained(sound, level_of(peak_db - peak_of - SAFE_DB))
        reached = loudness_of(sound, rate)
        return Reached(reached, tr("its peaks would be {over:.1f} dB over {peak_db:g} dBTP, and the limiter is off",
                                   over=over, peak_db=peak_db))  # fmt: skip
    most = peak_db + MOST_LIMITED_DB - peak_of
    gain, reached = min(wanted, most), own
    first = room(*sound.shape)
    first[:] = sound
    for _ in range(TRIES):
        sound[:] = first
        gained(sound, level_of(gain))
        keep_under(sound, rate, peak_db, True, around)
        reached = loudness_of(sound, rate)
        if abs(reached - lufs) < CLOSE_LU or gain >= most:
            break
        gain = min(gain + lufs - reached, most)
    return Reached(reached, _too_far() if reached < lufs - 0.1 else "")


def _too_far() -> str:
    return tr("its peaks would have to be lowered by more than {most:g} dB", most=MOST_LIMITED_DB)


def loudest(sounds: Sequence[Sound], rate: int) -> float:
    """Loudness of the loudest of a set."""
    return max((loudness_of(sound, rate) for sound in sounds), default=-120.0)
