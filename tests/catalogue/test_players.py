"""Sample player, Grain player, Wavetable and Filter pair, against outside numbers."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from scipy.signal import bilinear, freqz

from dunefall.compiler.sounds import take_in
from dunefall.dsp.wavetables import FRAME_SIZE, NAMES, OFFSETS, SIZES, built_in_tables
from dunefall.patch.model import SoundRef
from rig import RATE, Rig, pulses, tone

SECOND = round(RATE)
FILE_RATE = 44100


def a_sound(folder: Path, samples: np.ndarray, rate: int = FILE_RATE) -> SoundRef:
    soundfile.write(folder / "sound.wav", samples, rate, subtype="FLOAT")
    return take_in(folder / "sound.wav")


def spectrum_db(signal: np.ndarray) -> np.ndarray:
    """Per Hz for a second of sound, the strongest at 0 dB."""
    found = np.abs(np.fft.rfft(signal * np.blackman(len(signal))))
    return 20 * np.log10(found / found.max() + 1e-12)


# -- sample player ------------------------------------------------------------------------------------------------


def test_another_rate_and_pitch_are_only_that(tmp_path: Path) -> None:
    """1 kHz recorded at 44.1 kHz, played a fifth up at 48 kHz: a sine of 1498.3 Hz (2 ** (7 / 12)), all else
    below -80 dB."""
    ref = a_sound(tmp_path, 0.5 * np.sin(2 * np.pi * 1000 * np.arange(4 * FILE_RATE) / FILE_RATE))
    for note, hz in ((60.0, 1000.0), (67.0, 1000 * 2 ** (7 / 12)), (36.0, 250.0)):
        out = Rig("sample-player", sound=ref, pitch_note=note, level=1.0).run(SECOND + 960)["out"][960:]
        seen = spectrum_db(out)
        assert abs(int(np.argmax(seen)) - hz) < 1
        away = np.abs(np.arange(len(seen)) - hz) > 20
        assert seen[away].max() < -80, note
        assert np.abs(out).max() == pytest.approx(0.5, rel=0.01)


def test_played_fast_nothing_folds_back(tmp_path: Path) -> None:
    """15 kHz played two octaves up would be 60 kHz, and fold to 12 kHz: it is gone (-70 dB of its level)."""
    ref = a_sound(tmp_path, 0.5 * np.sin(2 * np.pi * 15000 * np.arange(8 * FILE_RATE) / FILE_RATE))
    out = Rig("sample-player", sound=ref, pitch_note=84.0, level=1.0).run(SECOND // 2)["out"]
    assert np.abs(out[2000:20000]).max() < 0.5 * 10 ** (-70 / 20)


def test_once_begins_at_the_trigger_and_tells_its_end(tmp_path: Path) -> None:
    ref = a_sound(tmp_path, np.full(round(0.2 * RATE), 0.5), 48000)
    rig = Rig("sample-player", sound=ref, mode=0, level=1.0)
    out = rig.run(SECOND, trigger=pulses([0.3], 1.0))
    sounding = np.flatnonzero(np.abs(out["out"]) > 0.01)
    assert sounding[0] == pytest.approx(0.3 * RATE, abs=10)
    assert sounding[-1] == pytest.approx(0.5 * RATE, abs=10)
    ends = np.flatnonzero(np.diff(out["ended"]) > 0) + 1
    assert ends == pytest.approx([0.5 * RATE], abs=10)
    assert np.array_equal(out["out"], out["out_right"])


def test_held_leaves_with_its_gate(tmp_path: Path) -> None:
    ref = a_sound(tmp_path, np.full(2 * SECOND, 0.5), 48000)
    out = Rig("sample-player", sound=ref, mode=1, level=1.0).run(SECOND, trigger=pulses([0.1], 1.0, width_s=0.25))
    sounding = np.flatnonzero(np.abs(out["out"]) > 1e-6)
    assert sounding[-1] == pytest.approx(0.35 * RATE, abs=0.012 * RATE)
    assert np.abs(np.diff(out["out"])).max() < 0.01  # comes and goes without a step


def test_a_loop_has_no_seam(tmp_path: Path) -> None:
    """A tone that does not fit into the file: the step at the seam stays within twice the tone's own."""
    ref = a_sound(tmp_path, 0.5 * np.sin(2 * np.pi * 333.3 * np.arange(20000) / 48000), 48000)
    out = Rig("sample-player", sound=ref, mode=2, crossfade_s=0.05, level=1.0).run(3 * SECOND)["out"][1000:]
    assert np.abs(np.diff(out)).max() < 2 * 0.5 * 2 * np.pi * 333.3 / RATE
    assert np.abs(out[-SECOND:]).max() > 0.4
    both = Rig("sample-player", sound=ref, mode=2, direction=2, level=1.0).run(3 * SECOND)["out"][1000:]
    assert np.abs(np.diff(both)).max() < 2 * 0.5 * 2 * np.pi * 333.3 / RATE


def test_backward_is_the_file_backward(tmp_path: Path) -> None:
    rise = np.linspace(0.0, 0.8, 24000)
    ref = a_sound(tmp_path, rise, 48000)
    trigger = pulses([0.0], 0.6)
    forward = Rig("sample-player", sound=ref, mode=0, level=1.0).run(24000, trigger=trigger)["out"][1000:23000]
    backward = Rig("sample-player", sound=ref, mode=0, direction=1, level=1.0).run(24000, trigger=trigger)["out"]
    np.testing.assert_allclose(forward, rise[1000:23000], atol=1e-4)
    np.testing.assert_allclose(backward[1000:23000], rise[::-1][999:22999], atol=1e-4)


def test_slices_are_equal_parts_and_chance_takes_all_of_them(tmp_path: Path) -> None:
    """Eight steps of height: each trigger plays one of them whole; in 200 throws each is met (chi-square, 0.1 %)."""
    steps = np.repeat(np.arange(1, 9) / 10, 1200)
    ref = a_sound(tmp_path, steps, 48000)
    rig = Rig("sample-player", sound=ref, mode=0, slices=8, piece=0.3, level=1.0)
    out = rig.run(4800, trigger=pulses([0.0], 0.1))["out"]
    assert np.median(out[200:1000]) == pytest.approx(0.3, abs=1e-3)
    assert np.abs(out[1300:]).max() < 1e-6
    rig = Rig("sample-player", sound=ref, mode=0, slices=8, chance=1.0, level=1.0)
    times = [0.03 * k for k in range(200)]
    out = rig.run(6 * SECOND, trigger=pulses(times, 6.0))["out"]
    heights = [round(10 * float(np.median(out[round(t * RATE) + 300 : round(t * RATE) + 1000]))) for t in times]
    counts = np.bincount(heights, minlength=9)[1:9]
    assert ((counts - 25.0) ** 2 / 25.0).sum() < 24.3  # chi-square, 7 degrees, 0.1 % (scipy.stats.chi2.ppf)


def test_without_its_file_a_player_is_silent() -> None:
    for kind in ("sample-player", "grain-player", "wavetable"):
        out = Rig(kind, sound=SoundRef("/nowhere.wav", "0" * 32)).run(4800)
        assert not any(np.any(values) for values in out.values())


# -- grain player -------------------------------------------------------------------------------------------------


def test_grains_come_as_often_as_told_and_last_as_long(tmp_path: Path) -> None:
    """5 grains a second of 20 ms over a constant: ten Hann bumps in two seconds; an even window has a mean of 1/2."""
    ref = a_sound(tmp_path, np.full(SECOND, 0.5), 48000)
    values = {"density_hz": 5.0, "size_s": 0.02, "unevenness": 0.0, "scatter_ct": 0.0, "level": 1.0, "position": 0.5}
    out = Rig("grain-player", sound=ref, **values).run(2 * SECOND)["out"]
    begins = np.flatnonzero((out[1:] > 1e-6) & (out[:-1] <= 1e-6))
    assert len(begins) == 10
    np.testing.assert_allclose(np.diff(begins), RATE / 5, atol=2)
    assert out.sum() / (10 * 0.02 * RATE * 0.5) == pytest.approx(0.5, rel=0.01)
    even = Rig("grain-player", sound=ref, edge=0.0, **values).run(2 * SECOND)["out"]
    assert even.sum() / (10 * 0.02 * RATE * 0.5) == pytest.approx(1.0, rel=0.01)


def test_uneven_grains_are_a_poisson_process(tmp_path: Path) -> None:
    """40 a second for 20 s: 800 +- 4 roots of it; distances have the standard deviation of their mean (textbook)."""
    ref = a_sound(tmp_path, np.full(SECOND, 0.5), 48000)
    rig = Rig("grain-player", sound=ref, density_hz=40.0, size_s=0.0025, unevenness=1.0, edge=0.1, level=1.0)
    out = rig.run(20 * SECOND)["out"]
    begins = np.flatnonzero((out[1:] > 1e-6) & (out[:-1] <= 1e-6))
    assert abs(len(begins) - 740) < 4 * 800**0.5  # about 1 in 12 begins within the one before
    apart = np.diff(begins) / RATE
    assert np.std(apart) / np.mean(apart) == pytest.approx(0.95, abs=0.12)


def test_held_in_place_a_tone_keeps_its_pitch_and_moves_by_semitones(tmp_path: Path) -> None:
    ref = a_sound(tmp_path, 0.5 * np.sin(2 * np.pi * 440 * np.arange(2 * FILE_RATE) / FILE_RATE))
    for note, hz in ((60.0, 440.0), (72.0, 880.0)):
        rig = Rig("grain-player", sound=ref, pitch_note=note, scatter_ct=0.0, density_hz=40.0, size_s=0.3)
        seen = spectrum_db(rig.run(2 * SECOND)["out"][SECOND:])
        assert abs(int(np.argmax(seen)) - hz) <= 4


def test_scanning_at_its_own_speed_follows_the_file(tmp_path: Path) -> None:
    """A file that rises evenly: after a second of scanning at 100 % the grains are a second further."""
    ref = a_sound(tmp_path, np.linspace(0.0, 1.0, 4 * SECOND), 48000)
    rig = Rig("grain-player", sound=ref, position=0.1, scan=1.0, spray_s=0.0001, scatter_ct=0.0, unevenness=0.0,
              density_hz=50.0, size_s=0.02, edge=0.0, level=1.0)  # fmt: skip
    out = rig.run(2 * SECOND)["out"]
    early, late = (float(np.median(out[at : at + 4800])) for at in (9600, 9600 + SECOND))
    assert late - early == pytest.approx(0.25, abs=0.01)


def test_spread_grains_differ_between_the_sides(tmp_path: Path) -> None:
    ref = a_sound(tmp_path, np.random.default_rng(1).uniform(-0.5, 0.5, SECOND), 48000)
    rig = Rig("grain-player", sound=ref, spread=1.0, density_hz=30.0, size_s=0.05)
    out = rig.run(2 * SECOND)
    alike = np.corrcoef(out["out"], out["out_right"])[0, 1]
    assert alike == pytest.approx(2 / np.pi, abs=0.15)  # mean of 2 sin x cos x over a quarter turn (arithmetic)


# -- wavetable ----------------------------------------------------------------------------------------------------


def test_every_table_has_frames_of_its_own_without_dc() -> None:
    """At least twelve, each frame as loud as the others and as no other one."""
    assert len(NAMES) >= 12
    frames = built_in_tables().reshape(-1, FRAME_SIZE)
    assert len(frames) == 16 * len(NAMES)
    first = frames[:, : SIZES[0]].astype(float)
    assert np.abs(first.mean(axis=1)).max() < 1e-6
    assert np.abs(first[:, 0]).max() < 0.02  # begins where it rises through 0
    assert (np.sqrt((first**2).mean(axis=1)) > 0.05).all()
    assert np.abs(first).max() <= 1.01
    shapes = first[7::16] / np.linalg.norm(first[7::16], axis=1, keepdims=True)
    alike = np.abs(shapes @ shapes.T) - np.eye(len(shapes))
    assert alike.max() < 0.98


@pytest.mark.parametrize("level", range(len(SIZES)))
def test_levels_hold_half_the_harmonics_of_the_one_before(level: int) -> None:
    for frame in built_in_tables().reshape(-1, FRAME_SIZE)[::5]:
        seen = np.abs(np.fft.rfft(frame[OFFSETS[level] : OFFSETS[level] + SIZES[level]].astype(float)))
        assert seen[(512 >> level) + 1 :].max() < 1e-4 * max(seen.max(), 1e-9)


@pytest.mark.parametrize("hz", [220.0, 1000.0, 2500.0, 5000.0])
@pytest.mark.parametrize("table", ["series", "pulse", "noise"])
def test_bright_tables_do_not_alias(table: str, hz: float) -> None:
    """Up to 16 kHz nothing but harmonics stands above -60 dB: where an alias could be heard (common practice)."""
    note = 69 + 12 * np.log2(hz / 440)
    out = Rig("wavetable", table=NAMES.index(table), position=1.0, pitch_note=note).run(SECOND + 64)["out"][64:]
    seen = spectrum_db(out)
    places = np.arange(len(seen))
    between = np.abs((places + hz / 2) % hz - hz / 2) > 10
    assert seen[between & (places < 16000) & (places > 20)].max() < -60


def test_in_tune_and_position_glides_between_frames() -> None:
    for rate in (44100.0, 96000.0):
        out = Rig("wavetable", rate=rate, pitch_note=69.0, position=0.0).run(round(rate))["out"]
        crossings = np.flatnonzero((out[:-1] <= 0) & (out[1:] > 0))
        places = crossings - out[crossings] / (out[crossings + 1] - out[crossings])
        assert rate / np.diff(places).mean() == pytest.approx(440.0, rel=1e-5)
    low, high, middle = (Rig("wavetable", position=p).run(4800)["out"] for p in (3 / 15, 4 / 15, 3.5 / 15))
    np.testing.assert_allclose(middle, (low + high) / 2, atol=1e-9)


def test_the_formant_shift_moves_the_peak_and_keeps_the_pitch() -> None:
    """An octave of squeeze moves a vowel's first formant from 730 Hz (Peterson and Barney 1952, from memory) an octave
    up; the period stays."""
    table = NAMES.index("vowels")
    plain = Rig("wavetable", table=table, position=0.0, pitch_note=45.0).run(SECOND)["out"]
    moved = Rig("wavetable", table=table, position=0.0, pitch_note=45.0, formant_st=12.0).run(SECOND)["out"]
    for sound, hz in ((plain, 730), (moved, 1460)):
        assert abs(int(np.argmax(np.abs(np.fft.rfft(sound)))) - hz) <= 110
    assert abs(moved.mean()) < 2e-3
    seen = np.abs(np.fft.rfft(moved))
    at = np.flatnonzero(seen > 0.02 * seen.max())
    assert (np.abs((at + 55) % 110 - 55) <= 2).all()  # harmonics of 110 Hz only


def test_a_file_of_several_cycles_is_a_table(tmp_path: Path) -> None:
    """Two frames of 2048 samples: a sine, and its octave; a short file is one cycle whatever its length."""
    at = np.arange(2048) / 2048
    both = np.concatenate([np.sin(2 * np.pi * at), np.sin(4 * np.pi * at)])
    ref = a_sound(tmp_path, 0.9 * both)
    for position, harmonic in ((0.0, 1), (1.0, 2)):
        out = Rig("wavetable", sound=ref, position=position, pitch_note=69.0).run(SECOND)["out"]
        assert int(np.argmax(spectrum_db(out))) == 440 * harmonic
    ref = a_sound(tmp_path, np.sin(2 * np.pi * np.arange(337) / 337))
    out = Rig("wavetable", sound=ref, pitch_note=69.0).run(SECOND)["out"]
    seen = spectrum_db(out)
    assert int(np.argmax(seen)) == 440
    assert seen[700:].max() < -80


# -- filter pair --------------------------------------------------------------------------------------------------


def response(hz: float, kind: str, resonance: float) -> np.ndarray:
    """The second-order prototype through the bilinear transform with prewarping (scipy.signal.bilinear)."""
    q = 1.0 / (2**0.5 + (0.02 - 2**0.5) * resonance)
    w = 2 * RATE * np.tan(np.pi * hz / RATE)
    top = {"low": [w * w], "band": [w / q, 0], "high": [1, 0, 0]}[kind]
    b, a = bilinear(top, [1, w / q, w * w], RATE)
    return np.asarray(freqz(b, a, worN=np.arange(SECOND // 2 + 1), fs=RATE)[1])


def pair(**params: float) -> np.ndarray:
    impulse = np.zeros(SECOND)
    impulse[0] = 1.0
    return np.abs(np.fft.rfft(Rig("filter-pair", **params).run(SECOND, audio=impulse)["out"]))


def test_in_a_row_responses_multiply_and_side_by_side_they_add() -> None:
    """The second cutoff lies two octaves above the first (offset of 24 semitones)."""
    first, second = response(300.0, "high", 0.4), response(1200.0, "low", 0.2)
    values = {"cutoff_hz": 300.0, "offset_st": 24.0, "resonance": 0.4, "second_resonance": 0.2}
    np.testing.assert_allclose(pair(**values)[10:20000], np.abs(first * second)[10:20000], atol=1e-3)
    np.testing.assert_allclose(pair(balance=-1.0, **values)[10:20000], np.abs(first)[10:20000], atol=1e-3)
    both = pair(routing=1, balance=0.0, **values)
    np.testing.assert_allclose(both[10:20000], np.abs(first + second)[10:20000], atol=1e-3)


def test_split_puts_one_filter_on_each_side() -> None:
    values = {"routing": 1, "balance": 0.0, "cutoff_hz": 300.0, "offset_st": 24.0}
    impulse = np.zeros(4800)
    impulse[0] = 1.0
    out = Rig("filter-pair", split=1.0, **values).run(4800, audio=impulse)
    left = Rig("filter-pair", **{**values, "balance": -1.0}).run(4800, audio=impulse)["out"]
    right = Rig("filter-pair", **{**values, "balance": 1.0}).run(4800, audio=impulse)["out"]
    np.testing.assert_allclose(out["out"], left, atol=1e-12)
    np.testing.assert_allclose(out["out_right"], right, atol=1e-12)


def test_the_loop_growls_and_stays_bounded() -> None:
    """Full feedback with 36 dB of drive: bounded, without a mean, and other than without."""
    sound = tone(110.0, 2.0, level=0.5)
    values = {"routing": 2, "cutoff_hz": 200.0, "offset_st": 12.0, "resonance": 0.9, "first_kind": 1}
    plain = Rig("filter-pair", feedback=0.0, **values).run(2 * SECOND, audio=sound)["out"]
    for feedback in (-1.0, 1.0):
        out = Rig("filter-pair", feedback=feedback, drive_db=36.0, **values).run(2 * SECOND, audio=sound)["out"]
        assert np.abs(out).max() < 60
        assert abs(out[SECOND:].mean()) < 0.05 * np.abs(out).max()
        assert np.std(out - plain) > 0.1 * np.std(plain)
