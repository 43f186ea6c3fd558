"""What folds back from above half the sample rate, against a sine's own harmonics: at least 40 dB below up to 2.5 kHz
and 30 dB at 5 kHz, up to where it can be heard (20 kHz, common practice)."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal.windows import blackmanharris

from dunefall.base.units import hz_to_note
from dunefall.catalogue.source.fm_stack import ARRANGEMENTS
from rig import Rig, Signal, tone

RATE, COUNT, AUDIBLE_HZ, BINS = 44100.0, 32768, 20000.0, 6
SKIPPED = 4096
PITCHES = ((1000.3, -40.0), (2500.7, -40.0), (5000.9, -30.0))


def folded_db(sound: Signal, hz: float) -> float:
    """Power between the harmonics of a tone, relative to that of the harmonics."""
    power = np.abs(np.fft.rfft(sound[-COUNT:] * blackmanharris(COUNT, sym=False))) ** 2
    at = np.arange(len(power)) * RATE / COUNT
    own = np.abs(at - hz * np.round(at / hz)) <= BINS * RATE / COUNT
    between = power[~own & (at < AUDIBLE_HZ)].sum()
    return float(10 * np.log10(between / power[own].sum() + 1e-30))


def test_the_measure_finds_what_folds_back() -> None:
    """A rectified sine without any care: its harmonics above half the rate are there, folded back."""
    bare = np.abs(tone(2500.7, 1.0, rate=RATE))
    assert -40.0 < folded_db(bare, 2500.7) < -30.0
    assert folded_db(tone(2500.7, 1.0, rate=RATE), 2500.7) < -85.0


@pytest.mark.parametrize(("hz", "limit_db"), PITCHES)
@pytest.mark.parametrize("drive_db", [0.0, 24.0])
def test_rectifying(hz: float, limit_db: float, drive_db: float) -> None:
    """-29 dB at 2.5 kHz with 24 dB of drive."""
    rig = Rig("waveshaper", rate=RATE, curve=4, drive_db=drive_db, mix=1)
    sound = tone(hz, 1.0, rate=RATE)[: COUNT + SKIPPED]
    assert folded_db(rig.run(len(sound), audio=sound)["out"], hz) < limit_db


@pytest.mark.parametrize(("hz", "limit_db"), PITCHES)
@pytest.mark.parametrize("formant_st", [1.0, 12.0, 36.0])
@pytest.mark.parametrize("table", [0, 6, 10])
def test_squeezed_cycles(hz: float, limit_db: float, formant_st: float, table: int) -> None:
    """Folded as strongly as the tone itself at 5 kHz and 36 semitones."""
    rig = Rig("wavetable", rate=RATE, pitch_note=hz_to_note(hz), formant_st=formant_st, table=table)
    assert folded_db(rig.run(COUNT + SKIPPED)["out"], hz) < limit_db


@pytest.mark.parametrize(("hz", "limit_db"), PITCHES)
@pytest.mark.parametrize("arrangement", range(len(ARRANGEMENTS)))
@pytest.mark.parametrize("ratio", [1.0, 2.0])
def test_operators_that_bend_each_other(hz: float, limit_db: float, arrangement: int, ratio: float) -> None:
    """A chain with an index of 3 folded at -11 dB at 5 kHz."""
    ratios = {"a_ratio": 1.0, "b_ratio": ratio, "c_ratio": 2.0 * ratio - 1.0, "d_ratio": 1.0}
    levels = {f"{letter}_level": 1.0 for letter in "abcd"}
    rig = Rig("fm-stack", rate=RATE, pitch_note=hz_to_note(hz), arrangement=arrangement, index=3, **ratios, **levels)
    assert folded_db(rig.run(COUNT + SKIPPED)["out"], hz) < limit_db


@pytest.mark.parametrize("hz", [500.3, 1000.3, 2500.7, 5000.9])
@pytest.mark.parametrize("width", [0.02, 0.06, 0.14, 0.98])
def test_thin_pulses(hz: float, width: float) -> None:
    """Their fundamental is weak against what folds back: it was 50 dB below at 5 kHz."""
    rig = Rig("oscillator", rate=RATE, pitch_note=hz_to_note(hz), shape=3, width=width, level=1)
    assert folded_db(rig.run(COUNT + SKIPPED)["out"], hz) < -60.0


def test_no_pulse_jumps_where_it_becomes_thin() -> None:
    """Its partials are added up there instead of its steps being rounded: all widths and pitches glide."""

    def heard(width: float, hz: float) -> Signal:
        rig = Rig("oscillator", rate=RATE, pitch_note=hz_to_note(hz), shape=3, width=width, level=1)
        return rig.run(200)["out"]

    for width in np.arange(0.13, 0.22, 0.001):
        assert np.abs(heard(width, 2000.0) - heard(width + 1e-6, 2000.0)).max() < 1e-3
    for hz in np.geomspace(300.0, 1500.0, 80):
        assert np.abs(heard(0.05, hz) - heard(0.05, hz * 1.0000001)).max() < 1e-3
