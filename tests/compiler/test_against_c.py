"""The engine's graphs against the same written by hand in C (bench/reference.c): another hand, the same sound."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from bench.against_c import same_sound
from bench.graphs import GRAPHS


@pytest.mark.skipif(shutil.which("gcc") is None, reason="needs gcc")
@pytest.mark.parametrize("letter", list(GRAPHS))
def test_engine_and_c_sound_the_same(letter: str, tmp_path: Path) -> None:
    """-ffast-math rounds in another order: 1e-9 of a full scale after two seconds, feedback included."""
    difference, peak = same_sound(letter, 2.0, tmp_path)
    assert peak > 0.05
    assert difference < 1e-9
