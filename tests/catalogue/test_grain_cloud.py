"""Grain cloud."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.patch.model import Patch
from rig import RATE, Rig, tone


def test_grains_keep_pitch_or_fall_on_steps() -> None:
    settings = {"dry": 0.0, "wet": 1.0, "size_s": 0.3, "density_hz": 20.0, "spray_s": 0.2, "backwards": 0.0}
    sound = tone(220, 4.0, level=0.5)
    fifths = Rig("grain-cloud", **settings, scatter_st=20, steps=3).run(len(sound), audio=sound)["out"]
    power = np.abs(np.fft.rfft(fifths[96000:] * np.hanning(len(fifths) - 96000))) ** 2
    hz = np.fft.rfftfreq(len(fifths) - 96000, 1 / RATE)
    steps = 12 * np.log2(np.maximum(hz, 1.0) / 220)
    near = np.abs((steps + 0.5) % 12 - 0.5) < 0.5
    near |= np.abs(steps % 12 - 7) < 0.5
    assert power[near].sum() / power.sum() > 0.9


def test_a_frozen_cloud_stays_with_what_has_been() -> None:
    rig = Rig("grain-cloud", dry=0, wet=1, scatter_st=0, spray_s=0.1, density_hz=40, spread=0)
    rig.run(48000, audio=tone(440, 1.0, level=0.5))
    rig.program.set_base("m", "freeze", 1.0)
    rig.run(9600, audio=tone(440, 0.2, level=0.5))
    out = rig.run(96000, audio=tone(1100, 2.0, level=0.5))["out"][24000:]
    spectrum = np.abs(np.fft.rfft(out * np.hanning(len(out))))
    assert np.argmax(spectrum) * RATE / len(out) == pytest.approx(440, abs=6)


@pytest.mark.parametrize("share", [0.5, 0.94, 1.0, 1.1])
@pytest.mark.parametrize(("size_s", "rate_hz"), [(0.05, 5.0), (0.15, 24.0), (0.3, 27.0), (0.05, 160.0)])
def test_each_round_has_the_set_gain_whatever_size_and_rate(share: float, size_s: float, rate_hz: float) -> None:
    """A tone that fills the loop of two seconds: the energy of its fourth round against that of its third."""
    sound = np.zeros(12 * 48000)
    sound[:96000] = tone(440, 2.0, level=0.02)
    rig = Rig("grain-cloud", dry=0, wet=1, size_s=size_s, density_hz=rate_hz, unevenness=0, predelay_s=2,
              spray_s=0.0001, scatter_st=0, backwards=0, feedback=share, high_cut_hz=20000, low_cut_hz=10,
              spread=0)  # fmt: skip
    found = rig.run(len(sound), audio=sound)
    power = (found["out"] ** 2 + found["out_right"] ** 2).reshape(6, -1).sum(axis=1)
    assert 10 * np.log10(power[4] / power[3]) == pytest.approx(20 * np.log10(share), abs=0.75)


def test_noise_that_is_scattered_neither_falls_nor_grows_at_100_percent() -> None:
    sound = np.zeros(30 * 48000)
    sound[:96000] = np.random.default_rng(1).normal(0, 0.02, 96000)
    found = Rig("grain-cloud", dry=0, wet=1, feedback=1, high_cut_hz=20000, low_cut_hz=10, density_hz=30, spray_s=0.6,
                predelay_s=0.3, watched=("out",)).run(len(sound), audio=sound)["out"]  # fmt: skip
    levels = 10 * np.log10((found**2).reshape(30, -1).mean(axis=1))
    assert levels[25:].mean() == pytest.approx(levels[5:10].mean(), abs=3.0)


def test_size_by_the_distance_and_pre_delay_in_beats() -> None:
    """At 100 % the next grain begins where one ends: a steady sound is windowed 20 times a second; half a beat later
    is half a beat."""
    settings = {"dry": 0, "wet": 1, "sizing": 1, "size_share": 1, "density_hz": 20, "unevenness": 0, "spray_s": 0.0001,
                "scatter_st": 0, "backwards": 0, "spread": 0, "turn_hz": 0}  # fmt: skip
    out = Rig("grain-cloud", **settings, watched=("out",)).run(96000, audio=tone(1000, 2.0, level=0.5))["out"]
    envelope = np.abs(out[48000:]).reshape(-1, 48).max(axis=1)
    spectrum = np.abs(np.fft.rfft(envelope - envelope.mean()))
    assert spectrum.argmax() == 20
    burst = np.zeros(96000)
    burst[4800:] = tone(1000, 1.9, level=0.5)
    late = Rig("grain-cloud", **settings, timing=1, predelay_beats=0.5, watched=("out",))
    sounding = np.flatnonzero(np.abs(late.run(96000, audio=burst)["out"]) > 0.01)[0] / RATE - 0.1
    assert sounding == pytest.approx(0.5 * 60 / Patch().tempo_bpm, abs=0.06)
