"""Measurements that the tests of several modules share: impulses, responses, spectra, pitches, decays."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soundfile
from scipy import signal
from scipy.signal import freqz

from dunefall.compiler.sounds import take_in
from dunefall.patch.model import SoundRef
from rig import RATE, Rig

SECOND = round(RATE)

ALONE = {"dry": 0.0, "wet": 1.0}

FILE_RATE = 44100

STEP = 100


def spectrum_of(sound: np.ndarray) -> np.ndarray:
    return np.abs(np.fft.rfft(sound * np.hanning(len(sound))))


def a_sound(folder: Path, samples: np.ndarray, rate: int = FILE_RATE) -> SoundRef:
    soundfile.write(folder / "sound.wav", samples, rate, subtype="FLOAT")
    return take_in(folder / "sound.wav")


def spectrum_db(signal: np.ndarray) -> np.ndarray:
    """Per Hz for a second of sound, the strongest at 0 dB."""
    found = np.abs(np.fft.rfft(signal * np.blackman(len(signal))))
    return 20 * np.log10(found / found.max() + 1e-12)


def decay_s(response: np.ndarray, hz: float) -> float:
    """T30 in an octave by backward integration (ISO 3382-1)."""
    sos = signal.butter(3, [hz / 2**0.5, hz * 2**0.5], "bandpass", fs=RATE, output="sos")
    energy = np.cumsum(signal.sosfilt(sos, response)[::-1] ** 2)[::-1]
    level = 10 * np.log10(energy / energy[0] + 1e-30)
    at = np.flatnonzero((level < -5) & (level > -35))
    slope = np.polyfit(at / RATE, level[at], 1)[0]
    return -60 / slope


def struck(kind: str, seconds: float, drawn: dict[str, tuple[float, ...]] | None = None, **params: float) -> np.ndarray:
    impulse = np.zeros(round(seconds * RATE))
    impulse[0] = 1.0
    out = Rig(kind, drawn=drawn, **ALONE, **params).run(len(impulse), audio=impulse)
    return np.stack([out["out"], out["out_right"]])


def at_steps(signal: np.ndarray) -> list[float]:
    return signal[STEP // 4 :: STEP].tolist()


def row(values: tuple[float, ...], length: int = 64) -> tuple[float, ...]:
    return tuple(values[k % len(values)] for k in range(length))


def impulse(samples: int) -> np.ndarray:
    out = np.zeros(samples)
    out[0] = 1.0
    return out


def impulse_of_shaping(samples: int = SECOND) -> np.ndarray:
    signal = np.zeros(samples)
    signal[0] = 1.0
    return signal


def pitch_hz(sound: np.ndarray, near: float) -> float:
    """Frequency of the strongest partial within 3 % of a frequency, by a parabola through the logarithm of a
    Hann-windowed spectrum (Smith and Serra 1987, from memory)."""
    levels = np.log(np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) + 1e-300)
    per = len(sound) / RATE
    low, high = int(0.97 * near * per), int(1.03 * near * per) + 2
    k = low + int(np.argmax(levels[low:high]))
    a, b, c = levels[k - 1 : k + 2]
    return (k + 0.5 * (a - c) / (a - 2 * b + c)) / per


def response_db(sound: np.ndarray) -> np.ndarray:
    """Levels by whole Hz of a second of sound."""
    return 20 * np.log10(np.abs(np.fft.rfft(sound)) + 1e-300)


def impulse_of_space(samples: int, at: int = 0, level: float = 0.5) -> np.ndarray:
    sound = np.zeros(samples)
    sound[at] = level
    return sound


def cookbook(kind: str, hz: float, gain_db: float, q: float) -> np.ndarray:
    """Bristow-Johnson, Audio EQ Cookbook (from memory), by whole Hz."""
    a, w = 10 ** (gain_db / 40), 2 * np.pi * hz / RATE
    cos, alpha = np.cos(w), np.sin(w) / (2 * q)
    root = 2 * np.sqrt(a) * alpha
    if kind == "peak":
        b, c = [1 + alpha * a, -2 * cos, 1 - alpha * a], [1 + alpha / a, -2 * cos, 1 - alpha / a]
    else:
        s = 1 if kind == "low" else -1
        b = [a * (a + 1 - s * (a - 1) * cos + root), s * 2 * a * (a - 1 - s * (a + 1) * cos),
             a * (a + 1 - s * (a - 1) * cos - root)]  # fmt: skip
        c = [a + 1 + s * (a - 1) * cos + root, -s * 2 * (a - 1 + s * (a + 1) * cos), a + 1 + s * (a - 1) * cos - root]
    _, h = freqz(b, c, worN=np.arange(SECOND // 2 + 1), fs=RATE)
    return np.abs(h)


def response(type_id: str, **params: float) -> np.ndarray:
    """Amplitude response by whole Hz."""
    impulse = np.zeros(SECOND)
    impulse[0] = 1e-3
    return np.abs(np.fft.rfft(Rig(type_id, **params).run(SECOND, audio=impulse)["out"])) * 1e3
