"""Programme loudness against EBU Tech 3341 and 3342 (from memory) and pyloudnorm."""

from __future__ import annotations

import numpy as np
import pyloudnorm
import pytest

from dunefall.analysis.loudness import judge
from dunefall.deliver.measure import measure
from rig import RATE, Rig, tone

RATE_3S = round(3 * RATE)


def stereo(*pieces: tuple[float, float], hz: float = 1000.0) -> np.ndarray:
    """A sine in both channels: (dBFS, seconds) one after the other."""
    one = np.concatenate([tone(hz, seconds, level=10 ** (level / 20)) for level, seconds in pieces])
    return np.stack([one, one], axis=1)


@pytest.mark.parametrize(
    "pieces",
    [
        ((-23, 20),),
        ((-36, 10), (-23, 60), (-36, 10)),
        ((-26, 20), (-20, 20.1), (-26, 20)),
    ],
)
def test_gated_loudness_is_minus_23(pieces: tuple[tuple[float, float], ...]) -> None:
    """EBU Tech 3341, cases 1, 3 and 5: -23.0 LUFS within 0.1; ``pyloudnorm`` as a second opinion."""
    sound = stereo(*pieces)
    mine = judge(sound, RATE).integrated
    assert mine == pytest.approx(-23.0, abs=0.1)
    assert mine == pytest.approx(pyloudnorm.Meter(RATE).integrated_loudness(sound), abs=0.1)


@pytest.mark.parametrize(("pieces", "lu"), [(((-20, 20), (-30, 20)), 10), (((-40, 20), (-20, 20)), 20)])
def test_loudness_range(pieces: tuple[tuple[float, float], ...], lu: float) -> None:
    """EBU Tech 3342: within 1 LU."""
    assert judge(stereo(*pieces), RATE).range_lu == pytest.approx(lu, abs=1)


def test_true_peak_between_the_samples() -> None:
    """EBU Tech 3341, case 16: a quarter of the rate at 45 degrees, amplitude 0.5: -6.0 dBTP +0.2/-0.4."""
    one = 0.5 * np.sin(2 * np.pi * 0.25 * np.arange(48000) + np.pi / 4)
    assert -6.4 <= judge(np.stack([one, one], axis=1), RATE).true_peak_db <= -5.8


def test_a_layer_s_own_loudness_is_that_of_the_meter() -> None:
    """BS.1770: two channels of 1 kHz at -23 dBFS are -23.0 LUFS, seen 3 s later at the layer's output."""
    sound = tone(1000, 4.0, level=10 ** (-23 / 20))
    out = Rig("output", level_db=0).run(len(sound), audio=sound)
    assert 20 * np.log10(out["loudness"][-1]) == pytest.approx(-23.0, abs=0.1)
    assert 20 * np.log10(out["peak"][-1]) == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("late_ms", range(0, 100, 5))
def test_the_loudest_moment_is_found_wherever_it_begins(late_ms: int) -> None:
    """EBU Tech 3341, cases 13 and 14: a burst of 400 ms at -23 dBFS, each file 5 ms later: -23.0 LUFS within 0.1."""
    sound = stereo((-120, 1.0 + late_ms / 1000), (-23, 0.4), (-120, 1.0))
    assert measure(sound, round(RATE)).momentary_lufs == pytest.approx(-23.0, abs=0.1)


def test_the_end_of_a_sound_counts() -> None:
    """A peak in the last samples, which fill no block."""
    sound = stereo((-60, 1.0037))
    sound[-3:] = 0.9
    assert judge(sound, RATE).true_peak_db > -1.5


def test_quad_counts_by_angle() -> None:
    """ITU-R BS.1770-5, Annex 3: 1.41 from 60 to 120 degrees, 1 elsewhere; quad stands at 135."""
    behind = np.zeros((RATE_3S, 4))
    behind[:, 2] = tone(1000, 3.0, level=10 ** (-20 / 20))
    ahead = behind[:, [2, 1, 0, 3]]
    assert judge(behind, RATE).integrated == pytest.approx(judge(ahead, RATE).integrated, abs=1e-6)
