"""What a sound is like, in numbers: against librosa where it has the same, and by constructed sounds elsewhere."""

from __future__ import annotations

import librosa
import numpy as np
import pytest
from numpy.typing import NDArray

from dunefall.analysis.descriptors import (
    HOP,
    SIZE,
    described,
    frame_centroids_hz,
    frame_flatness,
    most_onsets_per_s,
    onset_times_s,
    spectra,
)  # fmt: skip

RATE = 48000
DICE = np.random.default_rng(7)
Sound = NDArray[np.float64]


def strokes(times: list[float], seconds: float, *, hz: float = 500.0, fall_s: float = 0.3) -> Sound:
    """Tones that begin at these times and fall by 60 dB in ``fall_s``."""
    t = np.arange(round(seconds * RATE)) / RATE
    made = np.zeros(len(t))
    for at in times:
        since = np.maximum(t - at, 0.0)
        made += (t >= at) * np.sin(2 * np.pi * hz * since) * 10.0 ** (-3.0 * since / fall_s)
    return 0.3 * made


def noise(seconds: float, tilt: float = 0.0) -> Sound:
    """Noise that falls by so many dB per octave."""
    spectrum = np.fft.rfft(DICE.standard_normal(round(seconds * RATE)))
    hz = np.fft.rfftfreq(round(seconds * RATE), 1 / RATE)
    made = np.fft.irfft(spectrum * (np.maximum(hz, 20.0) / 1000.0) ** (-tilt / 6.02))
    return np.asarray(0.1 * made / np.sqrt(np.mean(made**2)))


def stereo(left: Sound, right: Sound | None = None) -> Sound:
    return np.stack([left, left if right is None else right], axis=1)


SOUNDS = {
    "white": noise(2.0), "red": noise(2.0, 6.0), "tone": 0.2 * np.sin(2 * np.pi * 440 * np.arange(96000) / RATE),
    "strokes": strokes([0.2, 0.7, 1.1, 1.6], 2.0), "both": noise(2.0, 3.0) + strokes([0.3, 1.2], 2.0, hz=3000.0),
}  # fmt: skip


@pytest.mark.parametrize("name", SOUNDS)
def test_centroid_and_flatness_are_those_of_librosa(name: str) -> None:
    """librosa.feature.spectral_centroid and spectral_flatness (librosa 0.11), frame by frame, within 2 %."""
    sound = SOUNDS[name]
    magnitudes = spectra(sound)
    theirs = librosa.feature.spectral_centroid(y=sound, sr=RATE, n_fft=SIZE, hop_length=HOP)[0]
    heard = magnitudes.sum(axis=1) > 1e-3 * magnitudes.sum(axis=1).max()
    np.testing.assert_allclose(frame_centroids_hz(magnitudes, RATE)[heard], theirs[: len(heard)][heard], rtol=0.02)
    flat = librosa.feature.spectral_flatness(y=sound, n_fft=SIZE, hop_length=HOP)[0]
    np.testing.assert_allclose(frame_flatness(magnitudes)[heard], flat[: len(heard)][heard], rtol=0.02, atol=1e-9)


@pytest.mark.parametrize("count", [3, 8, 20, 50])
def test_onsets_are_counted_as_by_librosa(count: int) -> None:
    """Strokes at irregular times in 10 s, over a quiet noise; librosa.onset.onset_detect counts within 2 %."""
    times = np.cumsum(DICE.uniform(0.7, 1.3, count)) * 9.5 / (1.3 * count)
    sound = strokes(times.tolist(), 10.0, hz=900.0, fall_s=0.15) + 0.001 * noise(10.0)
    found = onset_times_s(spectra(sound), RATE)
    theirs = librosa.onset.onset_detect(y=sound, sr=RATE, hop_length=HOP, units="time")
    assert len(found) == pytest.approx(count, rel=0.02)
    assert len(found) == pytest.approx(len(theirs), rel=0.02)
    np.testing.assert_allclose(found, times, atol=0.03)


def test_no_more_onsets_are_found_than_are_said_to_be_told_apart() -> None:
    """Clicks at any rate: the densest that are all found are as dense as is said, and none denser are."""
    counts = []
    for per_s in np.arange(8.0, 25.0, 0.25):
        sound = np.zeros(10 * RATE)
        sound[np.arange(RATE / per_s, len(sound) - RATE, RATE / per_s).astype(int)] = 1.0
        counts.append(len(onset_times_s(spectra(sound), RATE)) / (len(sound) - RATE) * RATE)
    assert 0.95 * most_onsets_per_s(RATE) < max(counts) <= most_onsets_per_s(RATE)


def test_what_does_not_begin_has_no_onsets() -> None:
    for name in ("white", "red", "tone"):
        found = onset_times_s(spectra(SOUNDS[name]), RATE)
        assert [at for at in found if at > 0.1] == [], name


def test_each_descriptor_tells_what_was_made() -> None:
    tone = described(stereo(SOUNDS["tone"]), RATE)
    assert tone.brightness_hz == pytest.approx(440.0, rel=0.05)
    assert tone.pitch_note == pytest.approx(69.0, abs=0.02)
    assert tone.flatness < 1e-3
    assert tone.width_db == -60.0
    white = described(stereo(noise(2.0), noise(2.0)), RATE)
    assert white.flatness > 0.5
    assert np.isnan(white.pitch_note)
    assert abs(white.width_db) < 0.5, "two noises are as much side as middle"
    for fall_s in (0.1, 0.4, 1.6):
        assert described(stereo(strokes([0.2, 2.2], 4.0, fall_s=fall_s)), RATE).decay_s == pytest.approx(
            fall_s, rel=0.2
        )
    assert described(stereo(0.1 * SOUNDS["tone"]), RATE).lufs == pytest.approx(tone.lufs - 20.0, abs=0.05)


def test_roughness_is_of_fluctuations_at_seventy_hertz() -> None:
    """Zwicker and Fastl: strongest near 70 Hz, little below 15 Hz (from memory)."""
    t = np.arange(2 * RATE) / RATE
    rough = {
        hz: described(stereo(0.2 * (1 + np.sin(2 * np.pi * hz * t)) * np.sin(2 * np.pi * 1000 * t)), RATE).roughness
        for hz in (4.0, 70.0)
    }
    assert rough[70.0] > 0.2 > 20.0 * rough[4.0]


def test_silence_is_described_as_such() -> None:
    nothing = described(np.zeros((RATE, 2)), RATE)
    assert nothing.lufs == -120.0
    assert nothing.onsets_per_s == 0.0
    assert np.isnan(nothing.pitch_note)
