"""Portraits: what a module does at its values, as curves of its own outputs."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import ModuleSpec
from dunefall.render.portrait import RATE, _levels, _partials, portrait


def spec(type_id: str) -> ModuleSpec:
    found = spec_of(type_id)
    assert found is not None
    return found


def test_a_course_begins_with_the_first_sample_and_has_every_one() -> None:
    """A sine from its rising zero (definition)."""
    found = portrait(spec("lfo"), {"rate_hz": 1.0, "shape": 0})
    wave = found.curves["out"]
    assert found.kind == "course"
    assert len(wave) == 3000 * 64
    seconds = np.arange(len(wave)) / RATE
    assert found.across == pytest.approx(seconds)
    assert np.abs(wave - np.sin(2 * np.pi * seconds)).max() < 1e-3


def test_a_response_is_measured_at_its_values() -> None:
    """A low-pass of Q 0.71 is 3 dB down at its cutoff and falls by 12 dB an octave (textbook)."""
    found = portrait(spec("filter"), {"cutoff_hz": 1000.0, "resonance": 0.0})
    low = np.interp([100.0, 1000.0, 4000.0, 8000.0], found.across, found.curves["low"])
    assert low[0] == pytest.approx(0.0, abs=0.2)
    assert low[1] == pytest.approx(-3.0, abs=0.3)
    assert low[2] - low[3] == pytest.approx(12.0, abs=1.5)


def test_a_spectrum_is_in_decibels_below_the_strongest_partial() -> None:
    """A triangle's third partial is 1/9 of the first (Fourier series of the triangle)."""
    partials = _partials(np.asarray(triangle(220.0)), np.array([100.0, 220.0, 440.0, 660.0, 880.0]))
    assert partials[1] == pytest.approx(0.0, abs=0.01)
    assert partials[3] == pytest.approx(20 * np.log10(1 / 9), abs=0.1)
    assert partials[2] < -80


def triangle(hz: float) -> np.ndarray:
    at = 2 * np.pi * hz * np.arange(48000) / 48000
    return sum((-1) ** k * np.sin((2 * k + 1) * at) / (2 * k + 1) ** 2 for k in range(20))


def test_silence_has_a_level_too() -> None:
    """-120 dB is the floor; a filter that lets nothing through is drawn, not left out."""
    assert _levels(np.zeros(1024), np.array([100.0, 1000.0])) == pytest.approx(-120.0)
