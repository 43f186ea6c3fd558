"""Grain player."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from measuring import a_sound, spectrum_db
from rig import RATE, Rig

SECOND = round(RATE)


FILE_RATE = 44100


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
