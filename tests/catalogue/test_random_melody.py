"""Random melody."""

from __future__ import annotations

import numpy as np
from scipy import stats

from rig import Rig, ticks


def test_a_random_melody_keeps_its_scale_weights_and_range() -> None:
    trigger = ticks(6000, 4)
    weights = (1.0, 0.0, 0.5, 0.0, 0.5, 0.0, 0.0)
    rig = Rig("random-melody", scale=1, root=0, low=48, high=71, leaps=1, repeats=1, drawn={"weights": weights})
    notes = rig.run(len(trigger), trigger=trigger)["out"][3::4].astype(int)
    degrees = np.bincount(notes % 12, minlength=12)
    assert degrees[[1, 2, 3, 5, 6, 8, 9, 10, 11]].sum() == 0
    assert stats.chisquare(degrees[[0, 4, 7]], 6000 * np.array([0.5, 0.25, 0.25])).pvalue > 0.01
    assert notes.min() >= 48
    assert notes.max() <= 71
    steps = Rig("random-melody", leaps=0, repeats=0).run(len(trigger), trigger=trigger)["out"][3::4]
    assert (np.diff(steps) != 0).all()
    wide = Rig("random-melody", leaps=1, repeats=0).run(len(trigger), trigger=trigger)["out"][3::4]
    assert np.abs(np.diff(steps)).mean() < 0.6 * np.abs(np.diff(wide)).mean()


def test_a_scale_without_notes_keeps_the_note() -> None:
    rig = Rig("random-melody", low=50, high=50, scale=11, root=0, drawn={"weights": (0.0,)})
    out = rig.run(400, trigger=ticks(4, 100))["out"]
    assert np.isfinite(out).all()
    assert len(set(out)) == 1
