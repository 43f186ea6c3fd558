"""Traces drawn into a picture's memory."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.dsp.strokes import KIND_AUDIO, KIND_CONTROL, KIND_GATE, KIND_PITCH, draw_trace

RED = 0xFF0000


def drawn(bins: np.ndarray, kind: int, *, low: float = -1.0, high: float = 1.0, alpha: float = 1.0) -> np.ndarray:
    """Coverage 0..1 of a box of 40 x 100 pixels at (5, 7) in a larger picture."""
    image = np.zeros((60, 120), np.uint32)
    draw_trace(image, 5, 7, 100, 40, bins.astype(np.float32), kind, low, high, RED, alpha, 2.0)
    cover = (image >> 24) / 255
    assert cover[:7].max() == 0
    assert cover[47:].max() == 0
    assert cover[:, :5].max() == 0
    assert cover[:, 105:].max() == 0
    return cover[7:47, 5:105]


def test_audio_is_a_band_around_the_middle_up_to_its_own_peak() -> None:
    cover = drawn(np.tile([[-0.3, 0.3]], (400, 1)), KIND_AUDIO)
    assert cover[2:38].min() == 1.0
    half = np.linspace(0, 1, 400)[:, None] * [[-1.0, 1.0]]
    heights = drawn(half, KIND_AUDIO).sum(axis=0)
    assert (np.diff(heights) >= -1e-6).all()
    assert heights[50] == pytest.approx(0.5 * 38 + 2, abs=1.0)


def test_silence_is_a_thin_line_not_a_full_band() -> None:
    assert drawn(np.zeros((400, 2)), KIND_AUDIO).sum(axis=0).max() == pytest.approx(2.0, abs=0.02)


def test_a_line_has_its_thickness_and_place_between_pixels() -> None:
    for value in (-1.0, -0.37, 0.0, 0.613, 1.0):
        cover = drawn(np.full((400, 2), value), KIND_CONTROL)
        np.testing.assert_allclose(cover.sum(axis=0), 2.0, atol=0.02)
        centre = (cover * (np.arange(40) + 0.5)[:, None]).sum() / cover.sum()
        assert centre == pytest.approx(1 + (1 - value) / 2 * 38, abs=0.05)


def test_stairs_are_joined() -> None:
    steps = np.repeat([[-1.0, -1.0], [1.0, 1.0]], 200, axis=0)
    cover = drawn(steps, KIND_PITCH)
    assert cover[:, 50].min() > 0.9  # the riser
    assert cover[:30, 20].max() == 0


def test_values_outside_widen_the_span() -> None:
    cover = drawn(np.array([[0.0, 0.0]] * 200 + [[3.0, 3.0]] * 200), KIND_CONTROL)
    assert cover[:3, 70].max() == 1.0


def test_gates_are_ticks_at_their_beginning_on_a_base_line() -> None:
    bins = np.zeros((400, 2))
    bins[100:140] = 1.0
    bins[300:304] = 1.0
    cover = drawn(bins, KIND_GATE, low=0.0)
    assert cover[39].min() > 0
    full = np.flatnonzero(cover[:35].min(axis=0) > 0.5)
    assert {25, 75} <= set(full.tolist()) <= {25, 26, 75, 76}


def test_strength_is_premultiplied() -> None:
    image = np.zeros((10, 10), np.uint32)
    draw_trace(image, 0, 0, 10, 10, np.tile(np.float32([[-1, 1]]), (10, 1)), KIND_AUDIO, -1.0, 1.0, 0xFF8040, 0.5, 1.0)
    pixel = int(image[5, 5])
    assert (pixel >> 24, pixel >> 16 & 255, pixel >> 8 & 255, pixel & 255) == (128, 128, 64, 32)


@pytest.mark.parametrize("place", [(-50, -20), (100, 50), (115, 7), (5, -39)])
def test_boxes_over_the_edge_are_cut(place: tuple[int, int]) -> None:
    image = np.zeros((60, 120), np.uint32)
    for kind in range(4):
        bins = np.random.default_rng(1).normal(size=(300, 2)).astype(np.float32)
        draw_trace(image, *place, 100, 40, np.sort(bins, axis=1), kind, -1.0, 1.0, RED, 1.0, 2.0)
