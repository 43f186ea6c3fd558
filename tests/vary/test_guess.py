"""Guesses: what was heard where it was heard, what slopes say far from there, and how sure that is."""

from __future__ import annotations

import numpy as np

from dunefall.vary import guess as guess_module
from dunefall.vary.guess import NOISE, Guess


def course(places: np.ndarray) -> np.ndarray:
    """Two dimensions: one goes in steps, one bends."""
    return np.stack([np.floor(4.0 * places[:, 0]), 3.0 * places[:, 1] ** 2 - places[:, 0]], axis=1)


def known(count: int = 60) -> tuple[np.ndarray, np.ndarray, Guess]:
    dice = np.random.default_rng(1)
    places = dice.uniform(0.0, 1.0, (count, 2))
    slopes = np.array([[4.0, 0.0], [-1.0, 3.0]])
    return places, slopes, Guess(slopes, places, course(places))


def test_a_known_place_is_guessed_as_it_was_heard_and_the_rest_better_than_by_slopes() -> None:
    places, slopes, guess = known()
    mean, spread = guess.at(places)
    assert np.abs(mean - course(places)).mean() < 0.1
    others = np.random.default_rng(2).uniform(0.0, 1.0, (500, 2))
    guessed, wide = guess.at(others)
    off = np.abs(guessed - course(others)).mean(axis=0)
    assert (off < 0.6 * np.abs(others @ slopes.T - course(others)).mean(axis=0)).all()
    assert (spread.mean(axis=0) < wide.mean(axis=0)).all(), "it is surer where somebody has listened"


def test_far_away_it_is_what_the_slopes_say_and_unsure() -> None:
    places, slopes, guess = known()
    far = np.array([[1.4, 1.0]]) * 3.0
    mean, spread = guess.at(far)
    most = guess_module.MOST_STEPS
    np.testing.assert_allclose(mean, np.clip(far @ slopes.T, -most, most), atol=0.3)
    assert (spread > guess.at(places)[1].max(axis=0)).all()


def test_it_is_the_posterior_of_a_gaussian_process() -> None:
    """Mean and variance by the plain formula with an inverse (Rasmussen and Williams, 2006, equations 2.25 and 2.26,
    from memory), for the length that was chosen."""
    places, slopes, guess = known(20)
    others = np.random.default_rng(3).uniform(0.0, 1.0, (7, 2))
    weights = np.sqrt((slopes**2).sum(axis=0)) + guess_module.LEAST_WEIGHT
    rest = course(places) - places @ slopes.T
    size = rest.std(axis=0) + guess_module.LEAST_SPREAD

    def likeness(a: np.ndarray, b: np.ndarray) -> np.ndarray:
        apart = (((a[:, None] - b[None]) * weights) ** 2).sum(axis=-1)
        return np.exp(-0.5 * apart / guess._length**2)

    inverse = np.linalg.inv(likeness(places, places) + NOISE * np.eye(len(places)))
    near = likeness(others, places)
    mean, spread = guess.at(others)
    np.testing.assert_allclose(mean, others @ slopes.T + near @ inverse @ rest, rtol=1e-6, atol=1e-9)
    variance = 1.0 + NOISE - np.einsum("ij,jk,ik->i", near, inverse, near)
    np.testing.assert_allclose(spread, np.sqrt(variance)[:, None] * size, rtol=1e-6)
