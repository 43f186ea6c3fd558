"""Grain cloud."""

from __future__ import annotations

import numpy as np
import pytest

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
