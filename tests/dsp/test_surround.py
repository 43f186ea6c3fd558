"""Amplitude panning against the textbook's matrix form."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.base.layouts import LAYOUTS, layout_of
from dunefall.dsp.surround import QUAD, SURROUND, speaker_gains

ORDER = ("left", "right", "centre", "left_behind", "right_behind")


def by_matrix(angle_deg: float, layout_id: str, *, centre: bool) -> dict[str, float]:
    """Pulkki 1997 (from memory): the pair around the sound, g = p L^-1, scaled to a power of 1."""
    speakers = [x for x in layout_of(layout_id).speakers if np.isfinite(x.angle_deg) and (centre or x.port != "centre")]
    speakers.sort(key=lambda speaker: speaker.angle_deg)
    sound = np.array([np.cos(np.radians(angle_deg)), np.sin(np.radians(angle_deg))])
    for a, b in zip(speakers, [*speakers[1:], speakers[0]], strict=True):
        base = np.array([[np.cos(np.radians(x.angle_deg)), np.sin(np.radians(x.angle_deg))] for x in (a, b)])
        gains = sound @ np.linalg.inv(base)
        if (gains > -1e-9).all():
            gains /= np.linalg.norm(gains)
            return {a.port: float(gains[0]), b.port: float(gains[1])}
    raise AssertionError("no pair")


@pytest.mark.parametrize(("layout_id", "kind", "centre"), [("quad", QUAD, 0.0), ("5.1", SURROUND, 0.0),
                                                          ("5.1", SURROUND, 1.0)])  # fmt: skip
def test_pairs_of_speakers(layout_id: str, kind: int, centre: float) -> None:
    for angle in np.arange(-180.0, 180.0, 2.5):
        expected = by_matrix(angle, layout_id, centre=centre == 1.0)
        gains = dict(zip(ORDER, speaker_gains(angle, centre, kind), strict=True))
        for port, gain in gains.items():
            assert gain == pytest.approx(expected.get(port, 0.0), abs=1e-7), (angle, port)


@pytest.mark.parametrize("kind", [QUAD, SURROUND])
@pytest.mark.parametrize("centre", [0.0, 0.5, 1.0])
def test_the_power_is_the_same_everywhere_and_nothing_jumps(kind: int, centre: float) -> None:
    around = np.array([speaker_gains(angle, centre, kind) for angle in np.arange(-540.0, 540.0, 0.5)])
    np.testing.assert_allclose((around**2).sum(axis=1), 1.0, atol=1e-9)
    assert np.abs(np.diff(around, axis=0)).max() < 0.11  # a root begins steeply where a speaker comes in


def test_channel_order_and_loudness_weights() -> None:
    """The order of WAVE_FORMAT_EXTENSIBLE; BS.1770-5: 1.41 beside and behind, no low effects (common practice)."""
    assert [x.short for x in layout_of("5.1").speakers] == ["L", "R", "C", "LFE", "Lb", "Rb"]
    assert layout_of("5.1").weights.tolist() == [1, 1, 1, 0, 1.41, 1.41]
    assert [layout.channels for layout in LAYOUTS] == [2, 4, 6]
