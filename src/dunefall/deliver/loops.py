"""Seamless loops: three ways to make one, and how much of the seam can be heard.

The seam is measured as a listener would meet it: the step from the last sample to the first beside what the slope leads
one to expect, how far the spectra before and behind it differ, and how far their loudness does. Each is held against
the same value at places all over the sound: a loop is clean where none of the three is above what 95 of 100 places
show (the project's own rule).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from dunefall.dsp.meter import k_weighting

__all__ = ["Seam", "best_length", "crossfaded", "folded", "measure_seam"]

Sound = NDArray[np.float64]
SPECTRUM_S, LOUDNESS_S, RUN_IN_S = 0.2, 0.4, 0.2
PLACES, SPAN = 200, 97.5
"""So many places are compared; the upper end of their 95 % span."""
LEAST_STEP, LEAST_BEND, LEAST_DB, LEAST_LU = 1e-4, 4.0, 1.0, 0.5
"""Smaller ones cannot be heard at all."""
BANDS = 24
CANDIDATES, CALM_LU, JUMPS_COUNT, OUT = 16, 0.4, 4.0, -2.0
"""So many lengths are tried; a jump of loudness above this is to be avoided, and costs that much more."""


@dataclass(frozen=True)
class Seam:
    """What the seam of a loop measures.

    Attributes
    ----------
    step_db : float
        The step at the seam, in dB below the loudest sample of the 40 ms around it; -120 where there is none.
    spectrum_db : float
        How far the spectra of the 200 ms before and behind it differ, mean of the bands.
    loudness_lu : float
        How far the 400 ms before and behind it differ, K-weighted.
    usual : (float, float, float)
        The upper ends of the 95 % spans of step, spectrum and loudness at other places of the sound.
    worst_hz : float
        The band in which the spectra differ most.
    clean : bool
        None of the three is above its usual span.
    """

    step_db: float
    spectrum_db: float
    loudness_lu: float
    usual: tuple[float, float, float]
    worst_hz: float
    clean: bool

    @property
    def verdict(self) -> str:
        """In a word: clean, check it, or heard."""
        if self.clean:
            return "clean"
        return "heard" if self.step_db > -45.0 or self.loudness_lu > 2 * max(self.usual[2], LEAST_LU) else "check it"


def _mono(sound: Sound) -> Sound:
    return np.asarray(sound.mean(axis=1))


def _window(mono: Sound, at: int, length: int) -> Sound:
    """Samples from a place of the loop on, going round."""
    return np.take(mono, range(at, at + length), mode="wrap")


def _step(mono: Sound, at: int) -> float:
    """How far the sample at a place is from where the two before it lead, going round, beside the largest such step of
    its neighbours."""
    near = _window(mono, at - 34, 66)
    bends = np.abs(np.diff(near, 2))
    here = bends[32:34].max()  # the two that reach across the place
    return float(here / max(np.median(bends), 1e-9)) if here > LEAST_STEP else 0.0


def _edges_hz(rate: int) -> NDArray[np.float64]:
    """Edges of the bands that are compared, from 50 Hz to 16 kHz (or to 0.45 of the rate)."""
    return np.geomspace(50.0, min(16000.0, 0.45 * rate), BANDS + 1)


def _bands(mono: Sound, at: int, rate: int) -> NDArray[np.float64]:
    """Levels of the bands in dB."""
    length = round(SPECTRUM_S * rate)
    power = np.abs(np.fft.rfft(_window(mono, at, length) * np.hanning(length))) ** 2
    edges = _edges_hz(rate) * length / rate
    places = np.maximum(np.diff(edges, prepend=0.0).cumsum().astype(int), 1)
    sums = np.array([power[a : max(b, a + 1)].mean() for a, b in pairwise(places.tolist())])
    return np.asarray(10.0 * np.log10(sums + 1e-9))


def _spectra(mono: Sound, at: int, rate: int) -> tuple[float, int]:
    """Mean difference of the spectra before and behind a place, and the band in which it is largest."""
    length = round(SPECTRUM_S * rate)
    before, behind = _bands(mono, at - length, rate), _bands(mono, at, rate)
    floor = max(before.max(), behind.max()) - 50.0
    apart = np.abs(np.maximum(before, floor) - np.maximum(behind, floor))
    return float(apart.mean()), int(apart.argmax())


def _sections(rate: int) -> NDArray[np.float64]:
    """K-weighting as ``scipy.signal.sosfilt`` takes it."""
    return np.array([[b0, b1, b2, 1.0, a1, a2] for b0, b1, b2, a1, a2 in k_weighting(rate)])


def _power(sound: Sound, rate: int) -> Sound:
    """K-weighted power of all channels (ITU-R BS.1770-5), as it is when the loop has gone round before."""
    run_in = np.take(sound, range(-round(RUN_IN_S * rate), 0), axis=0, mode="wrap")
    from scipy import signal  # half a second to import, and not needed until a loop is made

    weighted = signal.sosfilt(_sections(rate), np.concatenate([run_in, sound]), axis=0)[len(run_in) :]
    return np.asarray((weighted**2).sum(axis=1))


def _loudness(power: Sound, at: int, rate: int) -> float:
    length = round(LOUDNESS_S * rate)
    powers = [float(np.mean(_window(power, start, length))) for start in (at - length, at)]
    return abs(10.0 * math.log10((powers[1] + 1e-9) / (powers[0] + 1e-9)))


def measure_seam(sound: Sound, rate: int, seed: int = 1) -> Seam:
    """The seam of a loop: the place where its last sample meets its first.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The loop.
    rate : int
        Sample rate in Hz.
    seed : int
        Chooses the places that are compared.

    Returns
    -------
    Seam
    """
    mono = _mono(sound)
    power = _power(sound, rate)
    aside = min(round(LOUDNESS_S * rate), len(mono) // 4)  # no place from which the seam itself is heard
    places = np.random.default_rng(seed).integers(aside, len(mono) - aside, PLACES)
    usual = (
        float(np.percentile([_step(mono, int(at)) for at in places], SPAN)),
        float(np.percentile([_spectra(mono, int(at), rate)[0] for at in places], SPAN)),
        float(np.percentile([_loudness(power, int(at), rate) for at in places], SPAN)),
    )
    step, (spectrum, band), loudness = _step(mono, 0), _spectra(mono, 0, rate), _loudness(power, 0, rate)
    clean = (
        step <= max(usual[0], LEAST_BEND)
        and spectrum <= max(usual[1], LEAST_DB)
        and loudness <= max(usual[2], LEAST_LU)
    )
    near = np.abs(_window(mono, -round(0.02 * rate), round(0.04 * rate))).max(initial=1e-9)
    jump = abs(mono[0] - 2.0 * mono[-1] + mono[-2]) if len(mono) > 2 else 0.0
    step_db = max(-120.0, 20.0 * math.log10(jump / max(near, 1e-9) + 1e-9)) if step else -120.0
    worst = _edges_hz(rate)[band : band + 2].mean()
    return Seam(step_db, spectrum, loudness, usual, float(worst), bool(clean))


def _ramps(length: int, likeness: float) -> tuple[Sound, Sound]:
    """Gains of what fades out and in, so that the power stays for sounds that are so alike (-1..1): equal gain where
    they are the same, equal power where they have nothing in common."""
    out = np.cos(np.linspace(0.0, np.pi / 2, length, endpoint=False)) ** 2
    inn = 1.0 - out
    power = np.sqrt(out**2 + inn**2 + 2.0 * max(likeness, 0.0) * out * inn)
    return out / power, inn / power


def _likeness(a: Sound, b: Sound) -> float:
    size = math.sqrt(float(np.vdot(a, a)) * float(np.vdot(b, b)))
    return float(np.vdot(a, b)) / size if size > 0.0 else 0.0


def crossfaded(sound: Sound, length: int, fade: int) -> Sound:
    """A loop of ``length`` frames of a sound that is at least ``fade`` longer: what comes behind its end is faded out
    over its start, which fades in.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound.
    length, fade : int
        Frames.

    Returns
    -------
    ndarray [shape=(length, channels)]
    """
    loop = np.array(sound[:length])
    loop[:fade] = _faded_start(sound, length, fade)
    return loop


def _faded_start(sound: Sound, length: int, fade: int) -> Sound:
    start, behind = np.asarray(sound[:fade]), np.asarray(sound[length : length + fade])
    out, inn = _ramps(fade, _likeness(start, behind))
    return np.asarray(behind * out[:, None] + start * inn[:, None])


def folded(sound: Sound, length: int) -> Sound:
    """A loop of ``length`` frames with all that sounds behind its end added over its start, faded out at the very end.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        The sound, with its tail.
    length : int
        Frames.

    Returns
    -------
    ndarray [shape=(length, channels)]
    """
    loop, tail = np.array(sound[:length]), np.array(sound[length : 2 * length])
    fade = len(tail) // 2
    if fade:
        tail[-fade:] *= np.cos(np.linspace(0.0, np.pi / 2, fade))[:, None] ** 2
    loop[: len(tail)] += tail
    return loop


def best_length(sound: Sound, length: int, around: int, fade: int, rate: int) -> int:
    """The length, up to ``around`` frames off, after which a sound goes on best from its start: among those where what
    is faded is most alike, and among those of them where the loudness should not jump, the one whose seam measures
    least.

    Parameters
    ----------
    sound : ndarray [shape=(n, channels)]
        At least ``length + around + fade`` frames.
    length, around, fade : int
        Frames.
    rate : int
        Sample rate in Hz.

    Returns
    -------
    int
    """
    whole = np.asarray(sound[: length + around + fade])
    mono, lowest = _mono(whole), max(fade, length - around)
    target, searched = mono[:fade], mono[lowest:]
    scores = _alike(searched, target)
    sizes = np.sqrt(np.maximum(_sliding(searched, fade), 1e-12))
    likeness = scores / (sizes * math.sqrt(float(np.vdot(target, target)) + 1e-12))
    calm = _expected_jumps(_power(whole, rate), lowest, fade, rate)[: len(likeness)] < CALM_LU
    found = _highest(likeness, fade // 4) + _highest(np.where(calm, likeness, OUT), fade // 4)

    near = min(round((LOUDNESS_S + RUN_IN_S) * rate), lowest)

    def cost(candidate: int) -> float:
        behind = np.concatenate([_faded_start(whole, candidate, fade), whole[fade : fade + near]])[:near]
        around_it = np.concatenate([whole[candidate - near : candidate], behind])
        jump = _loudness(_power(around_it, rate), near, rate)
        return jump + JUMPS_COUNT * max(0.0, jump - CALM_LU) + 0.5 * _spectra(_mono(around_it), near, rate)[0]

    return min((lowest + place for place in dict.fromkeys(found)), key=cost)


def _highest(values: Sound, apart: int) -> list[int]:
    """Places of the highest values, the first first, no two of them close together."""
    free, found = values.copy(), list[int]()
    while len(found) < CANDIDATES:
        at = int(free.argmax())
        if free[at] <= OUT:
            break
        found.append(at)
        free[max(0, at - apart) : at + apart + 1] = OUT
    return found


def _expected_jumps(power: Sound, lowest: int, fade: int, rate: int) -> Sound:
    """How far the loudness before and behind the seam should differ, in LU, for each length from ``lowest`` on: what
    is faded is taken as having nothing in common."""
    near = round(LOUDNESS_S * rate)
    out, inn = (gains[:near] ** 2 for gains in _ramps(fade, 0.0))
    searched = power[lowest - near :] if lowest >= near else np.pad(power, (near - lowest, 0))
    before = _sliding(searched, near)
    start = float(np.vdot(inn, power[: len(inn)])) + float(power[len(inn) : near].sum())
    behind = _alike(searched[near:], out) + start
    frames = min(len(before), len(behind))
    return np.asarray(np.abs(10.0 * np.log10((behind[:frames] + 1e-9) / (before[:frames] + 1e-9))))


def _alike(long: Sound, short: Sound) -> Sound:
    """Sums of the products of a short piece with the long one, for each place of it."""
    from scipy import signal

    return np.asarray(signal.correlate(long, short, "valid", "fft"))


def _sliding(mono: Sound, length: int) -> Sound:
    """Sums of squares of ``length`` neighbours."""
    sums = np.concatenate([[0.0], np.cumsum(mono**2)])
    return np.asarray(sums[length:] - sums[:-length])
