"""Chaotic tone."""

from __future__ import annotations

import numpy as np
from scipy import stats

from measuring import spectrum_of
from rig import RATE, Rig

SECOND = round(RATE)


def test_the_logistic_map_at_full_temper_has_its_published_density() -> None:
    """r = 4: the values have the density 1 / (pi sqrt(x (1 - x))) (Ulam and von Neumann 1947): arcsine."""
    sound = Rig("chaotic-tone", pitch_note=69, temper=1, smooth=0, level=1).run(40 * SECOND)["out"]
    # one value per half cycle of 440 Hz; the high-pass takes off what does not move, so differences are compared
    steps = np.diff(sound)
    jumps = steps[np.abs(steps) > 0.02]
    generator = np.random.default_rng(1)
    x = np.sin(np.pi / 2 * generator.random(100000)) ** 2
    reference = 2 * (4 * x * (1 - x) - x)
    assert stats.ks_2samp(jumps, reference[np.abs(reference) > 0.02]).statistic < 0.02


def test_a_calm_map_is_a_tone() -> None:
    for kind in (0, 1, 3):
        sound = Rig("chaotic-tone", pitch_note=69, kind=kind, temper=0.05).run(2 * SECOND)["out"][SECOND:]
        spectrum = spectrum_of(sound)
        assert abs(int(spectrum[100:].argmax()) + 100 - 440) <= 1, kind
