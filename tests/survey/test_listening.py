"""What is noted of a sound: against other programs' figures, and against the sound itself."""

from __future__ import annotations

import numpy as np
import pyloudnorm
import pytest
from scipy import signal

from dunefall.analysis.loudness import level_of_energy
from dunefall.compiler.build import compile_patch
from dunefall.patch.model import Patch
from dunefall.render.culprit import Traced
from dunefall.survey.listening import BANDS, BIN, HIGHEST_HZ, LOWEST_HZ, QUIET_DB, Figures, Listening

RATE = 48000.0
BINS = 384


def heard(sound: np.ndarray, pieces: int = 1) -> list[Figures]:
    """Figures of a stereo sound, in so many pieces."""
    listening, traced = Listening(RATE, 2), Traced(compile_patch(Patch(), rate=RATE))
    length = len(sound) // pieces // BIN * BIN
    return [
        listening.take(np.ascontiguousarray(sound[k * length : (k + 1) * length]), k * length, Patch(), traced)
        for k in range(pieces)
    ]


def noise(seconds: float = 8.192, seed: int = 1) -> np.ndarray:
    return 0.1 * np.random.default_rng(seed).standard_normal((round(seconds * RATE), 2))


def test_the_energy_is_the_loudness_that_pyloudnorm_measures() -> None:
    sound = noise()
    figures = heard(sound)[0]
    steady = figures.energy[50:].astype(float).mean()
    assert level_of_energy(steady) == pytest.approx(pyloudnorm.Meter(48000).integrated_loudness(sound), abs=0.1)


def test_what_mono_leaves_of_unrelated_sides_is_half() -> None:
    figures = heard(noise())[0]
    loss = 10 * np.log10(2 * figures.folded.sum() / figures.energy.sum())
    assert loss == pytest.approx(-3.01, abs=0.1), "the sum of unrelated sides (closed form)"


def test_true_peaks_are_those_of_eight_fold_oversampling() -> None:
    at = np.arange(BINS * BIN) / RATE
    sound = np.repeat((0.95 * np.sin(2 * np.pi * 11_987.0 * at + 0.7))[:, None], 2, axis=1)
    peak = float(heard(sound)[0].peak[5:].max())
    assert peak == pytest.approx(
        float(np.abs(signal.resample_poly(sound[2000:80000, 0], 8, 1)[500:-500]).max()), abs=0.01
    )


@pytest.mark.parametrize("hz", [60.0, 440.0, 3000.0, 12_000.0])
def test_a_sine_of_full_scale_is_at_0_db_in_its_band(hz: float) -> None:
    at = np.arange(BINS * BIN) / RATE
    bands = heard(np.repeat(np.sin(2 * np.pi * hz * at)[:, None], 2, axis=1))[0].bands[20].astype(float)
    level = QUIET_DB * (1.0 - bands / 255.0)
    place = int(np.log(hz / LOWEST_HZ) / np.log(HIGHEST_HZ / LOWEST_HZ) * BANDS)
    power = 10 * np.log10((10 ** (level / 10))[max(place - 6, 0) : place + 7].sum())
    assert power == pytest.approx(0.0, abs=1.5)
    assert int(np.argmax(level)) == pytest.approx(place, abs=1 if hz > 200 else 5)


def test_pieces_give_what_the_whole_gives() -> None:
    sound = noise()
    whole, (first, second) = heard(sound)[0], heard(sound, 2)
    count = len(first.energy)
    for name in ("energy", "folded", "peak", "offset", "bands"):
        both = np.concatenate([getattr(first, name), getattr(second, name)])
        np.testing.assert_array_equal(both, getattr(whole, name)[: 2 * count], err_msg=name)


def test_an_offset_is_the_mean_of_the_samples() -> None:
    sound = noise() + 0.03
    assert heard(sound)[0].offset.mean() == pytest.approx(sound.mean(), abs=1e-5)
