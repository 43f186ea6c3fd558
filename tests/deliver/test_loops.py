"""Loops: what is clean has no seam that can be found, and what is not clean is told."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from dunefall.deliver.loops import best_length, crossfaded, folded, measure_seam
from dunefall.deliver.making import File
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from rig import demo

RATE = 48000
Deliver = Callable[..., list[File]]


def rustle(seconds: float, seed: int = 1) -> np.ndarray:
    dice = np.random.default_rng(seed)
    slow = np.interp(np.linspace(0, 20, round(seconds * RATE)), np.arange(21), dice.uniform(0.5, 1.0, 21))
    return (0.1 * dice.standard_normal((round(seconds * RATE), 2))) * slow[:, None]


def test_a_whole_number_of_periods_is_clean_and_a_broken_one_is_not() -> None:
    """Closed forms: sines that fit, and the same cut off in the middle of a period."""
    k = np.arange(4 * RATE)
    fits = np.stack([np.sin(2 * np.pi * 110 * k / RATE), np.sin(2 * np.pi * 220 * k / RATE)], axis=1)
    assert measure_seam(fits, RATE).clean
    assert measure_seam(fits, RATE).step_db == -120
    broken = fits[: 4 * RATE - 109]
    seam = measure_seam(broken, RATE)
    assert not seam.clean
    assert seam.verdict == "heard"


def test_a_jump_of_loudness_or_of_colour_is_found() -> None:
    sound = rustle(6)
    quiet = sound * np.linspace(0.1, 1.0, len(sound))[:, None]
    assert not measure_seam(quiet, RATE).clean
    from scipy import signal

    dull = sound.copy()
    low = signal.butter(4, 300, fs=RATE, output="sos")
    dull[: RATE // 2] = 3 * signal.sosfilt(low, sound[: RATE // 2], axis=0)
    assert measure_seam(dull, RATE).spectrum_db > measure_seam(crossfaded(rustle(8), 6 * RATE, RATE), RATE).spectrum_db


def test_a_crossfade_keeps_the_power_of_noise_and_the_level_of_a_tone() -> None:
    """Equal power where both have nothing in common, equal gain where they are the same (common practice)."""
    noise = 0.1 * np.random.default_rng(4).standard_normal((6 * RATE, 1))
    loop = crossfaded(noise, 4 * RATE, RATE)
    inside, elsewhere = np.mean(loop[RATE // 4 : 3 * RATE // 4] ** 2), np.mean(loop[2 * RATE :] ** 2)
    assert 10 * np.log10(inside / elsewhere) == pytest.approx(0.0, abs=0.3)
    tone = np.sin(2 * np.pi * 100 * np.arange(6 * RATE) / RATE)[:, None]
    loop = crossfaded(tone, 4 * RATE, RATE)
    np.testing.assert_allclose(loop[: 4 * RATE, 0], tone[: 4 * RATE, 0], atol=1e-9)


def test_the_best_length_is_a_whole_period() -> None:
    k = np.arange(8 * RATE)
    beat = np.sin(2 * np.pi * 3.7 * k / RATE) * np.sin(2 * np.pi * 200.3 * k / RATE)
    length = best_length(beat[:, None], 5 * RATE, RATE, RATE // 4, RATE)
    start, there = beat[:4800], beat[length : length + 4800]
    assert np.vdot(start, there) / np.sqrt(np.vdot(start, start) * np.vdot(there, there)) > 0.98
    assert abs(length - 5 * RATE) <= RATE


def test_what_is_behind_the_end_is_folded_over_the_start() -> None:
    sound = np.zeros((3 * RATE, 1))
    sound[:RATE] = 0.5
    sound[2 * RATE : 2 * RATE + 1000] = 0.25
    loop = folded(sound, 2 * RATE)
    assert len(loop) == 2 * RATE
    assert loop[10, 0] == 0.75


def tones() -> Patch:
    """Two LFOs of 1 s and 1.5 s move an oscillator of 100 Hz: it repeats after 3 s."""
    modules = (
        Module("osc", "oscillator", "Osc", {"pitch_note": 69.0 + 12 * np.log2(100 / 440), "level": 0.5}),
        Module("a", "lfo", "A", {"rate_hz": 1.0}), Module("b", "lfo", "B", {"rate_hz": 1 / 1.5}),
        Module("vca", "amplifier", "Vca", {"gain_db": -12.0}), Module("tones-output", "output", "Out"),
    )  # fmt: skip
    links = (
        Link("1", Place("osc", "out"), Place("vca", "audio"), 1.0),
        Link("2", Place("a", "out"), Place("vca", "gain_db"), 6.0),
        Link("3", Place("b", "out"), Place("osc", "level"), 0.2),
        Link("4", Place("vca", "out"), Place("tones-output", "audio"), 1.0),
    )  # fmt: skip
    return Patch(layers=(Layer("shared", "Shared"), Layer("tones", "Tones", modules=modules)), links=links)


def test_a_patch_that_repeats_is_looped_by_its_period_exactly(delivered: Deliver, tmp_path: Path) -> None:
    (file,) = delivered(tones(), ends="loop", seconds=5.5, depth="32f", checks=True)
    assert "The patch repeats" in file.told, file.told
    assert file.measures.seconds == pytest.approx(6.0, abs=1e-4)
    assert not file.findings
    assert file.seam is not None
    assert file.seam.clean


@pytest.mark.parametrize("way", ["crossfade", "fold"])
def test_the_demo_goes_round_without_a_seam(way: str, delivered: Deliver, tmp_path: Path) -> None:
    (file,) = delivered(demo(), ends="loop", loop=way, seconds=6.0, fold_s=1.0, name=way, checks=True)
    sound, _ = soundfile.read(tmp_path / "out" / file.names[0])
    assert file.seam is not None
    thrice = np.concatenate([sound] * 3)
    at = len(sound)
    bends = np.abs(np.diff(thrice.mean(axis=1), 2))
    assert bends[at - 4 : at + 4].max() <= np.percentile(bends, 99.9)
    assert file.seam.clean, file.seam
    assert file.seam.loudness_lu <= 0.5
    assert "Crossfaded" in file.told
    assert ("A fold of 1 s would be heard" in file.told) == (way == "fold")
    assert abs(len(sound) / RATE - 6.0) <= 1.0


def strikes() -> Patch:
    """Noise that is struck each 3.7 s and has died away after one."""
    modules = (
        Module("noise", "noise", "Noise", {"level": 0.5}),
        Module("clock", "clock", "Clock", {"sync": 1, "period_s": 3.7}),
        Module("env", "envelope", "Env", {"attack_s": 0.01, "decay_s": 0.5, "sustain": 0.0}),
        Module("vca", "amplifier", "Vca", {"gain": 0.0}), Module("strikes-output", "output", "Out"),
    )  # fmt: skip
    ends = (
        ("clock.gate", "env.trigger"), ("env.out", "vca.gain"), ("noise.out", "vca.audio"),
        ("vca.out", "strikes-output.audio"),
    )  # fmt: skip
    links = tuple(Link(f"{k}", Place(*a.split(".")), Place(*b.split(".")), 1.0) for k, (a, b) in enumerate(ends))
    return Patch(layers=(Layer("shared", "Shared"), Layer("strikes", "Strikes", modules=modules)), links=links)


@pytest.mark.parametrize("way", ["best", "fold"])
def test_what_dies_away_is_folded(way: str, delivered: Deliver, tmp_path: Path) -> None:
    (file,) = delivered(strikes(), ends="loop", loop=way, seconds=18.75, fold_s=0.8, name=way, depth="32f", checks=True)
    sound, _ = soundfile.read(tmp_path / "out" / file.names[0])
    assert "folded over the start" in file.told, file.told
    assert file.seam is not None
    assert file.seam.clean
    delivered(strikes(), seconds=19.55, depth="32f", name="plain", checks=True)
    plain, _ = soundfile.read(tmp_path / "out" / "plain.wav")
    assert np.abs(plain[18_750 * 48 :]).max() > 1e-3
    np.testing.assert_allclose(sound, folded(plain, 18_750 * 48), atol=1e-6)


def test_a_loop_in_the_file_has_its_points_and_a_bad_seam_a_cure(delivered: Deliver, tmp_path: Path) -> None:
    gentle = replace(demo(), seed=3)
    (file,) = delivered(gentle, ends="loop", loop="fold", fold_s=0.01, seconds=3.0, checks=True)
    data = (tmp_path / "out" / file.names[0]).read_bytes()
    at = data.index(b"smpl") + 8
    first, last = np.frombuffer(data[at + 44 : at + 52], "<u4")
    assert (first, last) == (0, round(file.measures.seconds * RATE) - 1)
    seams = [finding for finding in file.findings if "seam" in finding.text.lower()]
    for finding in seams:
        assert finding.changes == {"fold_s": 0.02}
