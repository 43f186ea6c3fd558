"""Plucked string."""

from __future__ import annotations

import numpy as np
import pytest

from measuring import pitch_hz
from rig import RATE, Rig, pulses

SECOND = round(RATE)


@pytest.mark.parametrize("note", [28.0, 45.0, 60.3, 76.0])
@pytest.mark.parametrize("brightness", [0.2, 0.9])
def test_a_plucked_string_is_in_tune(note: float, brightness: float) -> None:
    """Within 1 cent by fractional delay (Jaffe and Smith 1983); the strongest partial near the fundamental."""
    hz = 440 * 2 ** ((note - 69) / 12)
    gate = pulses([0.01], 2.0)
    out = Rig("plucked-string", pitch_note=note, brightness=brightness, decay_s=20).run(2 * SECOND, trigger=gate)["out"]
    assert abs(1200 * np.log2(pitch_hz(out[2400:], hz) / hz)) < 1.0


def test_a_plucked_string_fades_as_told() -> None:
    """The lowest partial falls by 60 dB in the decay time: 30 dB in half of it (definition)."""
    rig = Rig("plucked-string", pitch_note=45, decay_s=2, brightness=1)
    out = rig.run(2 * SECOND, trigger=pulses([0.01], 2.0))["out"]
    fundamental = [np.abs(np.sum(part * np.exp(-2j * np.pi * 110 * np.arange(4800) / RATE))) for part in
                   (out[4800:9600], out[4800 + SECOND : 9600 + SECOND])]  # fmt: skip
    assert 20 * np.log10(fundamental[1] / fundamental[0]) == pytest.approx(-30, abs=0.5)


def test_a_string_plucked_in_the_middle_lacks_its_even_partials() -> None:
    """Node of every even partial (Jaffe and Smith 1983)."""
    rig = Rig("plucked-string", pitch_note=45, place=0.5, brightness=1, decay_s=30, hardness=1)
    out = rig.run(2 * SECOND, trigger=pulses([0.01], 2.0))["out"][-SECOND:]
    spectrum = np.abs(np.fft.rfft(out * np.hanning(SECOND)))
    odd = max(spectrum[108:113].max(), spectrum[328:333].max())
    assert 20 * np.log10(max(spectrum[218:223].max(), spectrum[438:443].max()) / odd) < -25


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("note", [21.0, 69.0, 96.0, 105.0])
@pytest.mark.parametrize("brightness", [0.0, 0.6, 1.0])
def test_a_string_falls_by_60_db_in_its_decay_whatever_its_note(rate: int, note: float, brightness: float) -> None:
    """Within 10 % from A0 to A7 (definition of the parameter; the loop's filters lose some as well)."""
    hz = 440 * 2 ** ((note - 69) / 12)
    gate = np.zeros(rate)
    gate[48:480] = 1.0
    out = Rig("plucked-string", rate=float(rate), pitch_note=note, brightness=brightness, decay_s=2.0, place=0.31,
              watched=("out",)).run(rate, trigger=gate)["out"]  # fmt: skip
    width = round(0.2 * rate)
    window = np.hanning(width) * np.exp(-2j * np.pi * hz * np.arange(width) / rate)
    early, late = (np.abs(np.sum(out[at : at + width] * window)) for at in (round(0.05 * rate), round(0.75 * rate)))
    assert 60 * 0.7 / (20 * np.log10(early / late)) == pytest.approx(2.0, rel=0.1)


def test_what_drives_a_string_builds_up_nothing_constant() -> None:
    """A push to one side leaves it: a string that swings round its rest (textbook)."""
    push = np.random.default_rng(1).normal(0.05, 0.1, 4 * SECOND)
    out = Rig("plucked-string", pitch_note=45, decay_s=60, brightness=1, watched=("out",)).run(4 * SECOND, audio=push)
    assert abs(out["out"][-SECOND:].mean()) < 0.1
