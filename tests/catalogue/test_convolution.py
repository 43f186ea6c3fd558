"""Convolution."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import signal

from dunefall.compiler.sounds import take_in
from dunefall.dsp import partitions, responses, transform
from measuring import decay_s
from rig import RATE, Rig

ALONE = {"dry": 0.0, "wet": 1.0}


@pytest.mark.parametrize("rate", [44100.0, 48000.0])
def test_convolution_is_that_of_scipy(rate: float) -> None:
    generator = np.random.default_rng(4)
    left, right = generator.normal(size=(2, 40000)) * 0.1
    for place in (5, 11):
        out = Rig("convolution", rate=rate, **ALONE, place=place).run(40000, audio=left, audio_right=right)
        response = responses.response(place, rate)
        for mine, sound, one in zip((out["out"], out["out_right"]), (left, right), response, strict=True):
            np.testing.assert_allclose(mine, signal.fftconvolve(sound, one)[:40000], atol=1e-9)


def test_convolution_with_a_file_adds_no_delay(tmp_path) -> None:  # type: ignore[no-untyped-def]
    import soundfile

    response = np.random.default_rng(5).normal(size=30000) * np.exp(-np.arange(30000) / 6000)
    soundfile.write(tmp_path / "place.wav", response.astype(np.float32), 48000, subtype="FLOAT")
    sound = np.random.default_rng(6).normal(size=60000) * 0.1
    out = Rig("convolution", sound=take_in(tmp_path / "place.wav"), **ALONE).run(60000, audio=sound)["out"]
    heard = response.astype(np.float32).astype(float)
    heard /= np.sqrt(np.sum(heard**2))
    np.testing.assert_allclose(out, signal.fftconvolve(sound, heard)[:60000], atol=1e-9)


@pytest.mark.parametrize("size", [64, 1024, 8192])
def test_the_transform_is_that_of_numpy(size: int) -> None:
    both = np.random.default_rng(size).normal(size=(2, 2 * size))
    work, table = np.zeros(transform.room(2 * size)), transform.turns()
    work[: 4 * size] = both.ravel()
    spectra = np.zeros((2, 2, size + 1))
    transform.spectra_of(work, spectra[0].reshape(-1), spectra[1].reshape(-1), table)
    kept = transform.kept_bins(2 * size)
    assert sorted(np.minimum(kept, 2 * size - kept)) == list(range(size + 1)), "every frequency once"
    for mine, wave in zip(spectra, both, strict=True):
        np.testing.assert_allclose(mine[0] + 1j * mine[1], np.fft.fft(wave)[kept], atol=1e-10)
    transform.back(spectra[0].reshape(-1), spectra[1].reshape(-1), work, table)
    np.testing.assert_allclose(work[: 4 * size].reshape(2, -1) / (2 * size), both, atol=1e-12)


def test_the_memory_of_the_longest_response_is_there() -> None:
    from dunefall.catalogue import spec_of

    spec = spec_of("convolution")
    assert spec is not None
    for rate in (44100.0, 48000.0, 88200.0, 96000.0):
        needed = partitions.memory_numbers(math.ceil(responses.LONGEST_S * rate))
        assert needed <= spec.memory_size({}, rate)


def test_computed_places_decay_as_eyring_says() -> None:
    """Eyring 1930, and ``pyroomacoustics`` for the same formula's inverse where it is there."""
    for number in (4, 6, 11):
        room = responses.ROOMS[number]
        response = responses.response(number, RATE)[0]
        for hz, told in zip((500.0, 1000.0, 2000.0), responses.decay_s(room)[2:5], strict=True):
            assert decay_s(response, hz) == pytest.approx(float(told), rel=0.25), (room.name, hz)
    pra = pytest.importorskip("pyroomacoustics")
    x, y, z = responses.ROOMS[6].edges_m
    volume, surface = x * y * z, 2 * (x * y + y * z + x * z)
    absorption = responses.ROOMS[6].absorption[3]
    theirs = pra.experimental.rt60.rt60_eyring if hasattr(pra.experimental.rt60, "rt60_eyring") else None
    if theirs:
        assert theirs(surface, volume, absorption, 4 * responses.AIR[3], 343.0) == pytest.approx(
            float(responses.decay_s(responses.ROOMS[6])[3]), rel=0.05
        )
