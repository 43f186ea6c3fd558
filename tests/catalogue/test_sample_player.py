"""Sample player."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from dunefall.patch.model import SoundRef
from measuring import a_sound, spectrum_db
from rig import RATE, Rig, pulses

SECOND = round(RATE)


FILE_RATE = 44100


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


def test_a_click_in_the_first_frame_is_heard(tmp_path: Path) -> None:
    """A start faded in over 2 ms: what stands in frame 0 was lost."""
    click = np.zeros(4800)
    click[0] = 0.8
    rig = Rig("sample-player", sound=a_sound(tmp_path, click, 48000), mode=0, level=1.0)
    out = rig.run(SECOND, trigger=pulses([0.3], 1.0))["out"]
    assert np.abs(out).max() == pytest.approx(0.8, rel=0.02)


def test_a_loop_of_noise_keeps_its_power_and_one_of_a_tone_its_level(tmp_path: Path) -> None:
    """Noise has nothing in common with itself later (equal power, textbook); a tone that fits is the same again (equal
    gain)."""
    noise = np.random.default_rng(1).normal(0, 0.2, 24000)
    whole = np.sin(2 * np.pi * 400 * np.arange(24000) / 48000) * 0.5
    for sound, crossfade in ((noise, 0.2), (whole, 0.2)):
        ref = a_sound(tmp_path, sound, 48000)
        out = Rig("sample-player", sound=ref, mode=2, crossfade_s=crossfade, level=1.0).run(10 * SECOND)["out"]
        turn = 24000 - round(crossfade * 48000)
        rounds = out[turn : turn * 30].reshape(-1, turn)
        power = (rounds**2).mean(axis=0).reshape(-1, 160).mean(axis=1)  # by the place in the turn
        assert np.ptp(10 * np.log10(np.convolve(power, np.ones(12) / 12, "valid"))) < 1.2
