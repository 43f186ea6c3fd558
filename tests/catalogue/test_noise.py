"""Noise."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from scipy import signal, stats

from dunefall.dsp.wavetables import NAMES
from measuring import spectrum_db
from rig import RATE, Rig, level_db

SLOPES = [("white", 0, 0.0), ("pink", 1, -3.01), ("red", 2, -6.02), ("blue", 3, 3.01), ("violet", 4, 6.02)]


SECOND = round(RATE)


@pytest.mark.parametrize(("name", "colour", "slope"), SLOPES)
@pytest.mark.parametrize("rate", [44100.0, 48000.0, 96000.0])
def test_noise_slopes(name: str, colour: int, slope: float, rate: float) -> None:
    # Definition; Welch estimate, 50 Hz to 15 kHz, +-0.3 dB per octave (CHECKS.md)
    noise = Rig("noise", rate=rate, colour=colour).run(round(60 * rate))["out"]
    frequencies, power = signal.welch(noise, rate, nperseg=16384)
    edges = 50 * 2 ** np.arange(0, np.log2(15000 / 50), 1 / 3)
    bands = [power[(frequencies >= a) & (frequencies < b)].mean() for a, b in pairwise(edges)]
    measured = np.polyfit(np.log2(edges[:-1]), 10 * np.log10(bands), 1)[0]
    assert measured == pytest.approx(slope, abs=0.3)


@pytest.mark.parametrize("colour", [0, 1, 2, 3, 4])
def test_all_colours_are_equally_strong(colour: int) -> None:
    noise = Rig("noise", colour=colour).run(round(60 * RATE))["out"]
    assert level_db(noise) == pytest.approx(-12.04, abs=1.0)  # RMS 0.25, as declared


def test_white_noise_is_uniform_and_independent() -> None:
    noise = Rig("noise", colour=0).run(40000)["out"]
    assert stats.kstest(noise, "uniform", args=(-np.sqrt(3) / 4, np.sqrt(3) / 2)).pvalue > 0.01
    assert abs(np.corrcoef(noise[:-1], noise[1:])[0, 1]) < 0.02
    other = Rig("noise", colour=0, seed=2).run(40000)["out"]
    assert abs(np.corrcoef(noise, other)[0, 1]) < 0.02


def test_velvet_has_one_grain_in_each_cell() -> None:
    """Definition (Karjalainen and Jarvelainen 2007): as many grains as cells, of both signs, at even places."""
    grains = Rig("noise", colour=5, density_hz=480).run(round(20 * RATE))["out"]
    places = np.flatnonzero(grains)
    assert len(places) == 20 * 480
    assert (places // 100 == np.arange(len(places))).all()
    assert stats.kstest(places % 100, "randint", args=(0, 100)).statistic < 0.03
    assert stats.binomtest(int((grains > 0).sum()), len(places)).pvalue > 0.01


def test_crackle_comes_at_any_time() -> None:
    """Exponential gaps (Poisson): Kolmogorov-Smirnov p > 0.01 at a fixed seed, mean within 3 % (CHECKS.md)."""
    grains = Rig("noise", colour=6, density_hz=20).run(round(200 * RATE))["out"]
    gaps = np.diff(np.flatnonzero(grains)) / RATE
    assert stats.kstest(gaps, "expon", args=(0, 1 / 20)).pvalue > 0.01
    assert gaps.mean() == pytest.approx(1 / 20, rel=0.03)


def test_an_own_seed_gives_another_noise() -> None:
    one = Rig("noise", colour=0).run(6400)["out"]
    rig = Rig("noise", colour=0)
    rig.program.set_base("m", "seed", 7.0)
    rig.program.memory.bases["left"] = 0
    assert abs(np.corrcoef(rig.run(6400)["out"], one)[0, 1]) < 0.05


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
