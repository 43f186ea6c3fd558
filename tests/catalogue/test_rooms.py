"""Reverb, plate, spring, convolution and places against ISO 3382-1, Abel and Huang 2006, scipy and pyroomacoustics."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import signal
from scipy.special import erfc

from dunefall.compiler.sounds import take_in
from dunefall.dsp import network, partitions, responses, transform
from dunefall.dsp.place import pan_gains
from rig import RATE, Rig, level_db, tone

FLAT = {"bands": (1.0,) * 8}
ALONE = {"dry": 0.0, "wet": 1.0}


def struck(kind: str, seconds: float, drawn: dict[str, tuple[float, ...]] | None = None, **params: float) -> np.ndarray:
    impulse = np.zeros(round(seconds * RATE))
    impulse[0] = 1.0
    out = Rig(kind, drawn=drawn, **ALONE, **params).run(len(impulse), audio=impulse)
    return np.stack([out["out"], out["out_right"]])


def decay_s(response: np.ndarray, hz: float) -> float:
    """T30 in an octave by backward integration (ISO 3382-1)."""
    sos = signal.butter(3, [hz / 2**0.5, hz * 2**0.5], "bandpass", fs=RATE, output="sos")
    energy = np.cumsum(signal.sosfilt(sos, response)[::-1] ** 2)[::-1]
    level = 10 * np.log10(energy / energy[0] + 1e-30)
    at = np.flatnonzero((level < -5) & (level > -35))
    slope = np.polyfit(at / RATE, level[at], 1)[0]
    return -60 / slope


@pytest.mark.parametrize(("seconds", "size"), [(0.1, 4.0), (0.5, 10.0), (2.0, 20.0), (10.0, 20.0), (60.0, 40.0)])
def test_the_set_time_is_the_measured_time(seconds: float, size: float) -> None:
    """Within 10 % in the octaves from 250 Hz to 4 kHz."""
    response = struck("reverb", min(seconds * 1.2, 35) + 0.5, FLAT, decay_s=seconds, size_m=size, motion=0)[0]
    for hz in (250, 500, 1000, 2000, 4000):
        assert decay_s(response, hz) == pytest.approx(seconds, rel=0.1), hz


def test_each_octave_has_its_own_time() -> None:
    bands = (1.5, 1.4, 1.25, 1.1, 1.0, 0.8, 0.6, 0.4)
    response = struck("reverb", 4.0, {"bands": bands}, decay_s=2.0, size_m=20, motion=0)[0]
    for hz, share in zip((250, 500, 1000, 2000, 4000), bands[2:7], strict=True):
        assert decay_s(response, hz) == pytest.approx(2.0 * share, rel=0.1), hz


def echo_density(response: np.ndarray, at_s: float, window_s: float = 0.02) -> float:
    """Share of samples outside of the standard deviation, against that of Gaussian noise (Abel and Huang 2006)."""
    half = round(window_s * RATE / 2)
    piece = response[round(at_s * RATE) - half : round(at_s * RATE) + half]
    weights = np.hanning(len(piece))
    weights /= weights.sum()
    deviation = math.sqrt(float(weights @ piece**2))
    return float(weights @ (np.abs(piece) > deviation)) / float(erfc(1 / math.sqrt(2)))


@pytest.mark.parametrize("size", [40, 50, 60])
def test_a_large_room_is_dense_within_150_ms(size: float) -> None:
    """Up to the largest room that there is, in both channels."""
    for response in struck("reverb", 0.6, FLAT, decay_s=10, size_m=size, motion=0, predelay_s=0.0001, early=0.5):
        assert max(echo_density(response, at) for at in np.arange(0.05, 0.151, 0.005)) >= 0.9


def test_no_mode_stands_out_at_the_end_of_a_long_decay() -> None:
    """Below 12 dB above the mean of its third of an octave, 60 Hz to 8 kHz, 8 to 10 s after the strike."""
    response = struck("reverb", 10.0, FLAT, decay_s=10, size_m=40)[0]
    tail = response[round(8 * RATE) :] * np.hanning(round(2 * RATE))
    power = np.abs(np.fft.rfft(tail)) ** 2
    hz = np.fft.rfftfreq(len(tail), 1 / RATE)
    # the fluctuation of noise itself is taken off by means over 4 Hz
    smooth = np.convolve(power, np.ones(8) / 8, "same")
    for middle in 1000 * 2.0 ** (np.arange(-12, 10) / 3):
        band = (hz > middle / 2 ** (1 / 6)) & (hz < middle * 2 ** (1 / 6))
        assert 10 * np.log10(smooth[band].max() / power[band].mean()) < 12, middle


def test_frozen_a_room_neither_falls_nor_grows() -> None:
    rig = Rig("reverb", **ALONE, decay_s=3, drawn=FLAT)
    rig.run(48000, audio=np.random.default_rng(3).normal(size=48000) * 0.1)
    rig.program.set_base("m", "freeze", 1.0)
    rig.run(9600)
    first = level_db(rig.run(48000)["out"])
    rig.run(48000 * 20)
    assert level_db(rig.run(48000)["out"]) == pytest.approx(first, abs=0.5)


def test_the_table_of_section_gains_is_the_least_squares_solution() -> None:
    """Välimäki and Liski 2017, with ``scipy.signal.freqz`` for the sections' responses."""
    middles = np.array(network.BANDS)
    hz = np.sort(np.concatenate([middles, np.sqrt(middles[1:] * middles[:-1])]))

    def reach(band: int) -> np.ndarray:
        b0, b1, b2, a1, a2 = network.section(band, 2.0, 1 / 48000)
        return 20 * np.log10(np.abs(signal.freqz([b0, b1, b2], [1, a1, a2], worN=hz, fs=48000)[1])) / 2.0

    wanted = np.stack([np.interp(np.log(hz), np.log(middles), row) for row in np.eye(8)], axis=1)
    solved = np.linalg.lstsq(np.stack([reach(k) for k in range(8)], axis=1), wanted, rcond=None)[0]
    np.testing.assert_allclose(network.SOLVED, solved, atol=1e-4)


@pytest.mark.parametrize("seconds", [1.0, 4.0])
def test_a_plate_rings_as_long_as_set(seconds: float) -> None:
    response = struck("plate", seconds * 1.3 + 0.5, decay_s=seconds, damping_hz=20000, motion=0)[0]
    assert decay_s(response, 1000) == pytest.approx(seconds, rel=0.15)


def test_in_a_spring_high_partials_come_later() -> None:
    """Abel et al. 2006: the first echo is a chirp that the all-passes smear."""
    response = struck("spring", 0.2, splash=0.9, width=0)[0]

    def arrival(low: float, high: float) -> float:
        band = signal.sosfiltfilt(signal.butter(2, [low, high], "bandpass", fs=RATE, output="sos"), response)[:3600]
        return float(np.argmax(np.abs(band))) / RATE

    assert arrival(3400, 4200) > arrival(300, 600) + 0.001


# -- convolution ------------------------------------------------------------------------------------------------


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


# -- place ------------------------------------------------------------------------------------------------------


def test_pan_keeps_the_power() -> None:
    """Textbook: -3.01 dB in the middle, the sum of squares is constant."""
    for angle in range(-180, 181, 15):
        left, right = pan_gains(float(angle))
        assert left**2 + right**2 == pytest.approx(1.0, abs=1e-9)
    assert 20 * math.log10(pan_gains(0.0)[0]) == pytest.approx(-3.01, abs=0.01)
    assert pan_gains(90.0)[1] == pytest.approx(1.0, abs=1e-9)


def test_a_doubled_distance_takes_six_decibels() -> None:
    """Inverse distance law (textbook)."""
    sound = tone(200, 0.5)
    levels = [
        level_db(Rig("position", distance_m=far, air=0, early=0, doppler=0).run(24000, audio=sound)["out"][12000:])
        for far in (2.0, 4.0, 8.0)
    ]
    np.testing.assert_allclose(np.diff(levels), -6.02, atol=0.03)


def test_the_air_takes_the_heights() -> None:
    """0.105 dB per metre at 8 kHz (ISO 9613-1, 20 degrees, 50 %, from memory)."""

    def level(distance: float) -> float:
        rig = Rig("position", distance_m=distance, falloff_db=0, early=0, doppler=0)
        return level_db(rig.run(24000, audio=tone(8000, 0.5))["out"][9600:])

    near, far = level(0.3), level(60.0)
    assert far - near == pytest.approx(-0.105 * 60, abs=1.0)


def test_doppler_is_the_rate_of_change_of_the_way() -> None:
    """f (1 - v / c) for a source that goes away at v (textbook)."""
    seconds = np.arange(96000) / RATE
    distance = 5.0 + 17.15 * seconds  # a twentieth of the speed of sound
    out = Rig("position", air=0, falloff_db=0, early=0).run(96000, audio=tone(1000, 2.0), distance_m=distance)["out"]
    piece = out[48000 : 48000 + 32768] * np.hanning(32768)
    assert np.argmax(np.abs(np.fft.rfft(piece))) * RATE / 32768 == pytest.approx(950, abs=2)
