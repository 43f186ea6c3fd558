"""Quantiser."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.catalogue.pitch.quantiser import OWN_SCALE, SCALES
from dunefall.patch.tuning import parse_tuning
from rig import Rig


@pytest.mark.parametrize("name", list(SCALES))
@pytest.mark.parametrize("root", [0, 5, 11])
def test_the_quantiser_takes_the_nearest_note_of_the_scale(name: str, root: int) -> None:
    """By trying all notes of the scale (music theory)."""
    pitches = np.linspace(20, 110, 400) + 0.013
    rig = Rig("quantiser", scale=list(SCALES).index(name), root=root, hold_st=0.0)
    out = rig.run(400, pitch=pitches)["out"]
    allowed = np.array([n for n in range(140) if (n - root) % 12 in SCALES[name]])
    best = np.abs(pitches[:, None] - allowed[None, :]).min(axis=1)
    np.testing.assert_allclose(np.abs(out - pitches), best, atol=1e-9)
    assert set(np.mod(out - root, 12)) <= set(SCALES[name])


def test_the_quantiser_holds_between_two_notes_and_tells_changes() -> None:
    wobble = 60.5 + 0.04 * np.sin(np.arange(4800) * 0.01)
    out = Rig("quantiser", scale=0, hold_st=0.2).run(4800, pitch=wobble)
    assert len(set(out["out"])) == 1
    steps = np.repeat([60.0, 62.0, 62.0, 67.0], 1200)
    told = Rig("quantiser", scale=0).run(4800, pitch=steps)["changed"]
    rises = np.flatnonzero(np.diff(told) > 0.5) + 1
    assert rises.tolist() == [1200, 3600]


def test_quantiser_ways_and_weights() -> None:
    pitch = np.repeat([61.2, 62.9, 64.4], 4)

    def played(**params: float) -> list[float]:
        series = params.pop("series", None)
        return Rig("quantiser", root=0, hold_st=0, drawn=series, **params).run(12, pitch=pitch)["out"][3::4].tolist()

    assert played(scale=1) == [62, 62, 64]  # C major
    assert played(scale=1, way=1) == [62, 64, 65]
    assert played(scale=1, way=2) == [60, 62, 64]
    assert played(scale=1, pull=1.0, series={"weights": (1.0, 0, 0, 0, 1.0, 0, 0)}) == [60, 60, 67]
    assert played(scale=1, pull=1.0, series={"weights": (0.0,)}) == pytest.approx([61.2, 62.9, 64.4])


def test_a_tuning_of_one_s_own() -> None:
    """Pure fifth 701.955 cents (music theory), by a scale of fifths and octaves."""
    _, cents = parse_tuning("pure\n2\n3/2\n2/1\n")
    assert cents[0] == pytest.approx(701.955, abs=1e-3)
    rig = Rig("quantiser", scale=OWN_SCALE, root=0, hold_st=0, drawn={"steps_ct": cents})
    out = rig.run(8, pitch=np.repeat([59.0, 66.5], 4))["out"]
    assert out[3] == pytest.approx(60.0)
    assert out[7] == pytest.approx(60.0 + 7.01955, abs=1e-4)


def test_halfway_between_two_octaves_of_a_note_it_takes_the_lower() -> None:
    """As with any two notes that are equally near."""
    drawn = {"weights": (1.0, *([0.0] * 11))}
    out = Rig("quantiser", scale=0, root=0, hold_st=0, pull=1.0, drawn=drawn).run(4, pitch=np.full(4, 66.0))["out"]
    assert out[3] == 60.0
