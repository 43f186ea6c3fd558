"""Oscillator."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal, special

from rig import RATE, Rig, level_db


def strangers_db(wave: np.ndarray, hz: float, rate: float) -> float:
    """The strongest component up to 16 kHz that is no harmonic, over the strongest of all."""
    spectrum = 20 * np.log10(np.abs(np.fft.rfft(wave * signal.windows.blackmanharris(len(wave)))) + 1e-12)
    frequencies = np.fft.rfftfreq(len(wave), 1 / rate)
    away = np.abs(frequencies / hz - np.round(frequencies / hz)) * hz
    return float(spectrum[(away > 8) & (frequencies < 16000) & (frequencies > 20)].max() - spectrum.max())


def harmonics(wave: np.ndarray, hz: int, count: int) -> np.ndarray:
    """Amplitudes of the first harmonics in a second of sound."""
    return (2 * np.abs(np.fft.rfft(wave)) / len(wave))[hz : hz * (count + 1) : hz]


@pytest.mark.parametrize(("note", "hz"), [(60, 261.626), (69, 440.0), (33, 55.0)])
def test_oscillator_frequency(note: float, hz: float) -> None:
    # ISO 16:1975; MIDI 1.0
    wave = Rig("oscillator", pitch_note=note, level=1).run(round(4 * RATE))["out"]
    spectrum = np.abs(np.fft.rfft(wave * signal.windows.blackmanharris(len(wave))))
    k = int(spectrum.argmax())
    a, b, c = np.log(spectrum[k - 1 : k + 2])
    peak = (k + 0.5 * (a - c) / (a - 2 * b + c)) * RATE / len(wave)
    assert 1200 * abs(np.log2(peak / hz)) < 0.1  # cents


def test_sine_is_pure() -> None:
    wave = Rig("oscillator", pitch_note=69, level=1).run(round(RATE))["out"]
    phase = 440.0 * np.arange(len(wave)) / RATE
    assert np.abs(wave - np.sin(2 * np.pi * phase)).max() < 1e-6


def test_triangle_harmonics() -> None:
    # Fourier series of the triangle: 8/pi^2 / n^2, odd n
    wave = Rig("oscillator", pitch_note=45, shape=1, level=1).run(48000)["out"]
    spectrum = 2 * np.abs(np.fft.rfft(wave)) / len(wave)
    for n in (1, 3, 5, 7):
        assert spectrum[110 * n] == pytest.approx(8 / np.pi**2 / n**2, rel=0.005)
    assert spectrum[220] < 1e-4


@pytest.mark.parametrize("rate", [44100.0, 48000.0, 96000.0])
@pytest.mark.parametrize("shape", [1, 2, 3], ids=["triangle", "saw", "pulse"])
@pytest.mark.parametrize("hz", [1000.0, 2500.0, 5000.0])
def test_aliasing(hz: float, shape: int, rate: float) -> None:
    """Every component that is no harmonic at least 60 dB below the fundamental up to 16 kHz (CHECKS.md)."""
    hz *= 1.0037
    rig = Rig("oscillator", rate=rate, pitch_note=69 + 12 * np.log2(hz / 440), shape=shape, level=1)
    assert strangers_db(rig.run(1 << 16)["out"], hz, rate) < -60


def test_saw_and_pulse_harmonics() -> None:
    """Fourier series: 2 / (pi n) for the saw, 4 sin(pi n w) / (pi n) for a pulse of width w; nothing at 0 Hz."""
    n = np.arange(1, 31)
    saw = Rig("oscillator", pitch_note=45, shape=2, level=1).run(48000)["out"]
    np.testing.assert_allclose(harmonics(saw, 110, 30), 2 / (np.pi * n), rtol=0.01)
    pulse = Rig("oscillator", pitch_note=45, shape=3, width=0.3, level=1).run(48000)["out"]
    np.testing.assert_allclose(harmonics(pulse, 110, 30), 4 * np.abs(np.sin(0.3 * np.pi * n)) / (np.pi * n), atol=2e-3)
    assert max(abs(saw.mean()), abs(pulse.mean())) < 1e-3


@pytest.mark.parametrize("index", [1.0, 2.4048, 5.0, 12.0])
def test_linear_fm_goes_through_zero(index: float) -> None:
    """Sidebands J_n(index) (Chowning 1973, scipy.special.jv); at index 12 the frequency swings to -1350 Hz: what lies
    below 0 Hz comes back beside the others."""
    modulator = index * 200 * np.cos(2 * np.pi * 200 * np.arange(96000) / RATE)
    note = 69 + 12 * np.log2(1050 / 440)
    wave = Rig("oscillator", pitch_note=note, level=1).run(96000, fm_hz=modulator)["out"][48000:]
    spectrum = 2 * np.abs(np.fft.rfft(wave)) / 48000
    for n in range(-12, 12):
        assert spectrum[abs(1050 + 200 * n)] == pytest.approx(abs(special.jv(n, index)), abs=2e-3)


@pytest.mark.parametrize("shape", [0, 2, 3])
def test_hard_sync_leaves_harmonics_of_the_master_only(shape: int) -> None:
    """The wave begins anew with each cycle of the master (definition); strangers stay 50 dB down."""
    hz = 437.3
    rig = Rig("oscillator", pitch_note=69 + 12 * np.log2(hz * 2.63 / 440), shape=shape, level=1)
    master = np.sin(2 * np.pi * hz * np.arange(1 << 16) / RATE)
    assert strangers_db(rig.run(1 << 16, sync=master)["out"], hz, RATE) < -50


def test_soft_sync_turns_the_wave_round() -> None:
    """No step: the sine goes back and forth (definition), but for how a corner rings when its upper partials are taken
    off (9 % of its bend, Gibbs)."""
    master = np.sin(2 * np.pi * 100 * np.arange(48000) / RATE)
    note = 69 + 12 * np.log2(230 / 440)
    wave = Rig("oscillator", pitch_note=note, level=1, sync_mode=1).run(48000, sync=master)["out"]
    assert np.abs(np.diff(wave)).max() < 2 * np.pi * 230 / RATE * 1.1
    assert harmonics(wave, 50, 4)[0] > 0.05  # it repeats after two cycles of the master


def test_restart_begins_the_wave_anew_beside_a_sync_signal_that_does_nothing() -> None:
    restart, sync = np.zeros(9600), -0.5 + 0.1 * np.sin(np.arange(9600))
    restart[5000:5100] = 1.0
    wave = Rig("oscillator", pitch_note=45, shape=1, level=1).run(9600, restart=restart, sync=sync)["out"]
    np.testing.assert_allclose(wave[5040:8000], wave[40:3000], atol=1e-6)


def test_restart_begins_the_wave_anew() -> None:
    restart = np.zeros(9600)
    restart[5000:5100] = 1.0
    wave = Rig("oscillator", pitch_note=45, shape=1, level=1).run(9600, restart=restart)["out"]
    np.testing.assert_allclose(wave[5000:7000], wave[:2000], atol=1e-9)


@pytest.mark.parametrize("kind", ["oscillator", "wavetable"])
@pytest.mark.parametrize("count", range(2, 8))
def test_unison_voices_stand_evenly_around_the_pitch(kind: str, count: int) -> None:
    """At 20 cents without scatter: from -20 to 20 in even steps; as strong as one voice, and on both sides."""
    rig = Rig(kind, pitch_note=69, unison=count - 1, detune_ct=20, scatter=0, level=1)
    wave = rig.run(1 << 19)["out"]
    spectrum = np.abs(np.fft.rfft(wave * signal.windows.blackmanharris(len(wave))))[:6000]
    peaks, _ = signal.find_peaks(spectrum, height=spectrum.max() * 0.4)
    cents = 1200 * np.log2(peaks * RATE / len(wave) / 440)
    np.testing.assert_allclose(cents, np.linspace(-20, 20, count), atol=0.6)
    both = Rig(kind, pitch_note=69, unison=count - 1, detune_ct=20, scatter=0, level=1, spread=1).run(1 << 18)
    assert level_db(both["out"]) == pytest.approx(level_db(both["out_right"]), abs=0.2)
    one = Rig(kind, pitch_note=69, level=1).run(1 << 16)["out"]
    assert level_db(wave) == pytest.approx(level_db(one), abs=0.6)


def test_scattered_voices_are_centred_too() -> None:
    """The mean of what all are off is nothing, however irregular it is."""
    for seed in range(1, 6):
        rig = Rig("oscillator", seed=seed, pitch_note=69, unison=3, detune_ct=20, scatter=1, level=1)
        wave = rig.run(1 << 20)["out"]
        spectrum = np.abs(np.fft.rfft(wave * signal.windows.blackmanharris(len(wave))))[:12000]
        peaks, _ = signal.find_peaks(spectrum, height=spectrum.max() * 0.4)
        if len(peaks) == 4:  # else two of them are too near to each other to be told apart
            assert abs((1200 * np.log2(peaks * RATE / len(wave) / 440)).mean()) < 0.5


def test_unison_spreads_and_drifts() -> None:
    rig = Rig("oscillator", pitch_note=57, unison=6, detune_ct=15, spread=1, drift_ct=20, level=1)
    both = rig.run(96000)
    assert abs(np.corrcoef(both["out"], both["out_right"])[0, 1]) < 0.8
    assert level_db(both["out"]) == pytest.approx(level_db(both["out_right"]), abs=2.0)
    still = Rig("oscillator", pitch_note=57).run(96000)["out"]
    drifting = Rig("oscillator", pitch_note=57, drift_ct=50, drift_hz=2).run(96000)["out"]
    assert np.abs(still - drifting).max() > 0.3


@pytest.mark.parametrize("shape", [0, 1, 2, 3])
@pytest.mark.parametrize(
    ("mode", "hz", "least_db"),
    [
        (0, 211.0, 80),
        (0, 1009.0, 80),
        (0, 5003.0, 60),
        (1, 211.0, 95),
        (1, 1009.0, 80),
        (1, 2503.0, 70),
        (1, 5003.0, 60),
    ],
)
@pytest.mark.parametrize("master", ["saw", "sine"])
def test_sync_happens_between_the_samples(mode: int, hz: float, least_db: float, shape: int, master: str) -> None:
    """The slave 3.71 times as fast: all that is no multiple of the master (soft: of its half, as the wave goes forth
    and back) against all that is one, below 20 kHz. It was 13 to 53 dB at 5 kHz."""
    count = 96_000
    at = np.arange(count + 2000) / RATE
    turns = hz * at + 0.123
    signal = 2 * (turns % 1) - 1 if master == "saw" else np.sin(2 * np.pi * turns)
    rig = Rig("oscillator", pitch_note=69 + 12 * np.log2(3.71 * hz / 440), shape=shape, level=1, sync_mode=mode,
              watched=("out",))  # fmt: skip
    out = rig.run(count + 2000, sync=signal)["out"][2000:]
    power = np.abs(np.fft.rfft(out * np.blackman(count))) ** 2
    bins = np.fft.rfftfreq(count, 1 / RATE)
    base = hz / (1 + mode)
    harmonic, heard = np.abs(bins - np.round(bins / base) * base) < 4, bins < 20_000
    assert 10 * np.log10(power[harmonic & heard].sum() / power[~harmonic & heard].sum()) >= least_db
