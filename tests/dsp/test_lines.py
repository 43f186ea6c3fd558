"""Rings of past samples, the weights between them, and the network's rows."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.interpolate import BarycentricInterpolator
from scipy.linalg import hadamard

from dunefall.dsp.lines import cubic_weights, read_ring
from dunefall.dsp.network import BLOCK, LINES, eight_weights, fill_row, mix_rows

SIZE, FIRST = 200, 7


def ring() -> np.ndarray:
    """A ring that holds a cubic's values, written up to place 30."""
    memory = np.full(FIRST + SIZE, np.nan)
    for k in range(SIZE):
        back = (30 - k) % SIZE or SIZE
        memory[FIRST + k] = curve(back)
    return memory


def curve(back: float) -> float:
    """A polynomial of the delay: interpolation by a cubic gives quadratics exactly."""
    return 0.3 - 0.02 * back + 0.0004 * back * back


def test_weights_add_up_to_one() -> None:
    for share in np.linspace(0, 1, 21):
        assert sum(cubic_weights(float(share))) == pytest.approx(1.0, abs=1e-15)
    assert cubic_weights(0.0) == (0.0, 1.0, 0.0, 0.0)


@pytest.mark.parametrize("delay", [2.0, 2.25, 17.5, 29.9, 30.0, 31.2, 150.75, 195.5])
def test_between_samples_a_quadratic_is_exact(delay: float) -> None:
    """Catmull and Rom 1974: the cubic reproduces polynomials of the second degree."""
    assert read_ring(ring(), FIRST, SIZE, 30, delay) == pytest.approx(curve(delay), abs=1e-12)


def test_what_is_not_written_yet_counts_as_its_neighbour() -> None:
    memory = ring()
    assert read_ring(memory, FIRST, SIZE, 30, 1.0) == memory[FIRST + 29]
    assert np.isfinite(read_ring(memory, FIRST, SIZE, 30, 1.5))


@pytest.mark.parametrize(
    ("before", "after"), [(100.0, 100.0), (100.25, 100.25), (90.0, 91.5), (140.0, 133.0), (70.5, 70.0)]
)
@pytest.mark.parametrize("write", [0, 64, 128])
def test_a_row_is_read_as_sample_by_sample(before: float, after: float, write: int) -> None:
    size = 192
    memory = np.random.default_rng(write).normal(size=size)
    row = np.zeros(BLOCK)
    fill_row(row, memory, 0, size, write, before, after, 0, np.zeros(80))
    for i in range(BLOCK):
        delay = before + (after - before) * i / BLOCK
        whole = int(delay)
        weights = eight_weights(delay - whole)
        places = [(write + i - whole + k) % size for k in (3, 2, 1, 0, -1, -2, -3, -4)]
        assert row[i] == pytest.approx(sum(w * memory[p] for w, p in zip(weights, places, strict=True)), abs=1e-12)


def test_eight_samples_give_a_polynomial_of_the_seventh_degree_exactly() -> None:
    """``scipy.interpolate.BarycentricInterpolator`` through the same eight."""
    values = np.random.default_rng(1).normal(size=8)
    through = BarycentricInterpolator(np.arange(-3.0, 5.0), values)
    for x in np.linspace(0, 1, 11):
        assert np.dot(eight_weights(float(x)), values) == pytest.approx(float(through(x)), abs=1e-12)


@pytest.mark.parametrize(("before", "after"), [(100.0, 100.0), (90.0, 91.5), (93.0, 90.5), (90.0, 101.0)])
def test_a_row_in_pieces_gives_the_same_bits(before: float, after: float) -> None:
    memory = np.random.default_rng(1).normal(size=192)
    whole, pieces = np.zeros(BLOCK), np.zeros(BLOCK)
    fill_row(whole, memory, 0, 192, 64, before, after, 0, np.zeros(80))
    for start in range(0, BLOCK, 7):
        fill_row(pieces[start : start + 7], memory, 0, 192, 64 + start, before, after, start, np.zeros(80))
    np.testing.assert_array_equal(pieces, whole)


def test_the_mixing_is_hadamard_s_matrix() -> None:
    """``scipy.linalg.hadamard``; orthogonal but for the factor of four."""
    rows = np.random.default_rng(2).normal(size=LINES * BLOCK)
    before = rows.reshape(LINES, BLOCK).copy()
    mix_rows(rows, 0, BLOCK)
    np.testing.assert_allclose(rows.reshape(LINES, BLOCK), hadamard(LINES) @ before, atol=1e-12)
    assert np.sum(rows**2) == pytest.approx(16 * np.sum(before**2))
