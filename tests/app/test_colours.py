"""Colours tell the kinds of signals apart for everybody, and all text can be read.

Simulation of colour blindness: Machado, Oliveira, Fernandes, "A Physiologically-based Model for Simulation of Color
Vision Deficiency", IEEE TVCG 15 (2009), matrices of full severity (from memory). Differences: CIE 1976 L*a*b*.
Contrast: WCAG 2.1, 1.4.3 and 1.4.11.
"""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pytest

from dunefall.app.controls.theme import THEMES, Theme

EYES = {
    "all cones": np.eye(3),
    "no red": np.array([[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216],
                        [-0.003882, -0.048116, 1.051998]]),
    "no green": np.array([[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413],
                          [-0.011820, 0.042940, 0.968881]]),
    "no blue": np.array([[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602],
                         [0.004733, 0.691367, 0.303900]]),
}  # fmt: skip
XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
WHITE = XYZ.sum(axis=1)


def linear(colour: str) -> np.ndarray:
    shares = np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)]) / 255.0
    return np.where(shares <= 0.04045, shares / 12.92, ((shares + 0.055) / 1.055) ** 2.4)


def lab(light: np.ndarray) -> np.ndarray:
    x = XYZ @ np.clip(light, 0.0, 1.0) / WHITE
    f = np.where(x > (6 / 29) ** 3, np.cbrt(x), x / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def contrast(a: str, b: str) -> float:
    light, dark = sorted((float(XYZ[1] @ linear(a)), float(XYZ[1] @ linear(b))), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("theme", THEMES.values(), ids=str)
@pytest.mark.parametrize("eyes", EYES)
def test_kinds_of_signals_differ_for_all_eyes(theme: Theme, eyes: str) -> None:
    """10 is told apart at a glance side by side (about 2.3 is just noticed; common practice)."""
    seen = {kind: lab(EYES[eyes] @ linear(getattr(theme, kind))) for kind in theme.kinds}
    for a, b in combinations(theme.kinds, 2):
        assert np.linalg.norm(seen[a] - seen[b]) > 10.0, (a, b)


@pytest.mark.parametrize("theme", THEMES.values(), ids=str)
def test_text_and_signals_stand_out(theme: Theme) -> None:
    for ground in (theme.ground, theme.raised, theme.card):
        for text in (theme.text, theme.text2):
            assert contrast(text, ground) >= 4.5, (text, ground)
        for kind in (*theme.kinds, "good", "hot", "edge"):
            assert contrast(getattr(theme, kind), ground) >= 3.0, (kind, ground)
    assert contrast(theme.on_accent, theme.text) >= 4.5
