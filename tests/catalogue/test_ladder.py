"""Ladder."""

from __future__ import annotations

import numpy as np
import pytest

from measuring import impulse_of_shaping, pitch_hz, response_db
from rig import RATE, Rig, level_db, tone

SECOND = round(RATE)


def test_ladder_is_four_equal_one_poles() -> None:
    """Without feedback -3.01 dB four times at the cutoff, -24 dB per octave far above (Stilson and Smith 1996); with
    the bilinear transform at four times the rate tan(pi f / 4 rate) / tan(pi fc / 4 rate) takes the place of f /
    fc."""
    out = Rig("ladder", cutoff_hz=500, resonance=0).run(SECOND, audio=0.1 * impulse_of_shaping())["out"]
    levels = response_db(10 * out)
    for hz in (100, 500, 1000, 2000, 4000, 8000):
        ratio = np.tan(np.pi * hz / (4 * RATE)) / np.tan(np.pi * 500 / (4 * RATE))
        assert levels[hz] == pytest.approx(-80 * np.log10(np.hypot(1, ratio)), abs=0.02)


@pytest.mark.parametrize("hz", [55.0, 440.0, 1760.0])
def test_ladder_sings_in_tune_with_nothing_at_its_input(hz: float) -> None:
    """Feedback 4 is the limit; a sine within 1 % of the cutoff below 2 kHz (Stilson and Smith 1996)."""
    out = Rig("ladder", cutoff_hz=hz, resonance=1.05).run(8 * SECOND)["out"][-2 * SECOND :]
    assert level_db(out) > -20
    assert pitch_hz(out, hz) == pytest.approx(hz, rel=0.01)
    spectrum = np.abs(np.fft.rfft(out * np.hanning(len(out))))
    place = round(hz * 2)
    assert 20 * np.log10(spectrum[round(2.5 * place) :].max() / spectrum[place - 40 : place + 40].max()) < -30


def test_ladder_below_its_limit_dies_away() -> None:
    rig = Rig("ladder", cutoff_hz=440, resonance=0.9)
    out = rig.run(4 * SECOND, audio=np.concatenate((tone(440, 0.5), np.zeros(7 * SECOND // 2))))["out"]
    assert level_db(out[-SECOND // 2 :]) < -150


@pytest.mark.parametrize("hz", [55.0, 440.0, 8000.0])
def test_ladder_sings_at_full_resonance_as_soon_as_a_gate_opens_it(hz: float) -> None:
    """Half of its level within 5 ms, from zero on, without a step that its tone does not have."""
    gate = np.where(np.arange(2 * SECOND) < SECOND // 10, 0.0, 1.0)
    out = Rig("ladder", cutoff_hz=hz).run(2 * SECOND, resonance=gate)["out"]
    assert np.abs(out[: SECOND // 10]).max() < 1e-8
    after = out[SECOND // 10 :]
    assert np.abs(after[: round(0.005 * RATE)]).max() > 0.5 * np.abs(after[-SECOND:]).max() > 0.05
    assert np.abs(np.diff(after)).max() < 1.2 * np.abs(np.diff(after[-SECOND:])).max()


@pytest.mark.parametrize(("hz", "least_db"), [(1009.0, 40), (2503.0, 40), (5003.0, 30)])
def test_little_folds_back_when_it_is_driven(hz: float, least_db: float) -> None:
    """24 dB of drive: the strongest component below 20 kHz that is no multiple of the tone."""
    sine = np.sin(2 * np.pi * hz * np.arange(SECOND + 4800) / RATE)
    out = Rig("ladder", cutoff_hz=20000, resonance=0.2, drive_db=24, watched=("out",)).run(len(sine), audio=sine)["out"]
    power = np.abs(np.fft.rfft(out[4800:] * np.blackman(SECOND))) ** 2
    bins = np.arange(len(power))
    harmonic, heard = np.abs(bins - np.round(bins / hz) * hz) < 4, bins < 20_000
    assert 10 * np.log10(power[harmonic & heard].max() / power[~harmonic & heard].max()) >= least_db
