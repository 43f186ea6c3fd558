"""LFO."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from rig import RATE, Rig, pulses


def test_uneven_cycles_and_drawn_waves_of_an_lfo() -> None:
    rig = Rig("lfo", rate_hz=10.0, shape=3, unevenness=0.6, seed=3)
    heights = np.abs(rig.run(400 * 4800)["out"])[600::4800]
    assert stats.kstest(heights, stats.uniform(0.4, 0.6).cdf).pvalue > 0.01
    drawn = Rig("lfo", rate_hz=1.0, shape=4, drawn={"wave": (0.0, 1.0, 0.0, -1.0)}).run(48_000)["out"]
    triangle = Rig("lfo", rate_hz=1.0, shape=1).run(48_000)["out"]
    np.testing.assert_allclose(drawn, triangle, atol=1e-9)


def test_an_lfo_in_beats_fades_in() -> None:
    rig = Rig("lfo", sync=1, period_beats=2.0, fade_s=0.5)
    out = rig.run(96_000, tempo_bpm=np.full(96_000, 120.0))["out"]  # a cycle a second (arithmetic)
    assert 0.0 < out[100] < 0.001
    assert out[12_000] == pytest.approx(0.5, abs=0.01)
    assert out[60_000] == pytest.approx(1.0, abs=0.01)


@pytest.mark.parametrize(("shape", "expected"), [
    (0, lambda p: np.sin(2 * np.pi * p)),
    (1, lambda p: 2 / np.pi * np.arcsin(np.sin(2 * np.pi * p))),
    (2, lambda p: 2 * p - 1),
    (3, lambda p: np.where(p < 0.5, 1.0, -1.0)),
])  # fmt: skip
def test_lfo_forms(shape: int, expected: object) -> None:
    out = Rig("lfo", rate_hz=0.5, shape=shape).run(96000)["out"]
    phase = np.arange(96000) / 96000
    good = np.abs(out - expected(phase)) < 1e-6  # type: ignore[operator]
    assert good.mean() > 0.9999  # a jump may fall one sample beside
    raised = Rig("lfo", rate_hz=0.5, shape=shape, polarity=1).run(96000)["out"]
    np.testing.assert_allclose(raised, 0.5 + 0.5 * out, atol=1e-12)


@pytest.mark.parametrize("form", [0.5, 1.25, 2.5, 2.9, 3.4])
def test_between_two_forms_an_lfo_blends_them(form: float) -> None:
    """A linear crossfade of the two neighbours (definition)."""
    drawn = {"wave": (0.5, -0.25, 0.75, -1.0)}
    low, high, out = (
        Rig("lfo", rate_hz=10.0, shape=shape, drawn=drawn).run(9600)["out"]
        for shape in (int(form), int(form) + 1, form)
    )
    share = form - int(form)
    good = np.abs(out - ((1 - share) * low + share * high)) < 1e-6
    assert good.mean() > 0.999  # a jump may fall one sample beside


def test_lfo_reset_and_phase() -> None:
    reset = pulses([0.3], 1.0)
    out = Rig("lfo", rate_hz=1.7, phase=0.25).run(48000, reset=reset)["out"]
    assert out[0] == pytest.approx(1.0)
    assert out[round(0.3 * RATE)] == pytest.approx(1.0)
