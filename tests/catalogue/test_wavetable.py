"""Wavetable."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from dunefall.dsp.wavetables import FRAME_SIZE, NAMES, OFFSETS, SIZES, built_in_tables
from measuring import a_sound, spectrum_db
from rig import RATE, Rig

SECOND = round(RATE)


FILE_RATE = 44100


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


def test_linear_fm_and_phase_are_those_of_the_oscillator() -> None:
    """The first frame of the first table is a sine, so both modules make the same sound."""
    n = 1 << 15
    moves = {"fm_hz": 300 * np.sin(2 * np.pi * 55 * np.arange(n) / RATE),
             "phase_deg": 90 * np.sin(2 * np.pi * 110 * np.arange(n) / RATE)}  # fmt: skip
    table = Rig("wavetable", pitch_note=57, table=0, position=0, level=1).run(n, **moves)["out"]
    tone = Rig("oscillator", pitch_note=57, shape=0, level=1).run(n, **moves)["out"]
    scale = np.vdot(tone, table) / np.vdot(tone, tone)
    assert np.abs(table - scale * tone).max() < 2e-3 * np.abs(table).max()


def test_its_voices_drift() -> None:
    still = Rig("wavetable", pitch_note=57).run(96000)["out"]
    drifting = Rig("wavetable", pitch_note=57, drift_ct=50, drift_hz=2).run(96000)["out"]
    assert np.abs(still - drifting).max() > 0.3 * np.abs(still).max()
