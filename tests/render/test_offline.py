"""Rendering to samples: the same for the same seed and any block size, and as they are."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
import pytest

from dunefall.base.errors import ParameterError
from dunefall.patch.take import Take
from dunefall.render.offline import render_to_array
from dunefall.render.performance import Performance
from rig import demo


@pytest.mark.parametrize("block", [1, 7, 64, 480])
def test_block_size_never_changes_the_sound(block: int) -> None:
    sounds = [render_to_array(demo(), seconds=1.3, block=size, limit=True) for size in (4096, block)]
    assert (sounds[0] == sounds[1]).all()


def test_same_seed_same_sound_other_seed_another() -> None:
    first, again = render_to_array(demo(), seconds=3), render_to_array(demo(), seconds=3)
    assert (first == again).all()
    other = render_to_array(replace(demo(), seed=418), seconds=3)
    assert not (first == other).all()
    assert np.corrcoef(first[:, 0], other[:, 0])[0, 1] < 0.9


def test_nothing_is_faded_and_a_longer_render_begins_with_the_shorter_one() -> None:
    long, short = render_to_array(demo(), seconds=3), render_to_array(demo(), seconds=2)
    assert short.shape == (96000, 2)
    assert (short == long[: len(short)]).all()
    plain = np.zeros((480, 2))
    Performance(Take(demo(), 48000.0)).fill(plain)
    assert (short[:480] == plain).all()


@pytest.mark.parametrize(
    ("name", "value"), [("seconds", 0.0), ("seconds", 1e9), ("rate", 100.0), ("block", 0), ("block", (1 << 20) + 1)]
)
def test_numbers_out_of_range(name: str, value: float) -> None:
    numbers = {"seconds": 1.0, "rate": 48000.0, "block": 64, name: value}
    with pytest.raises(ParameterError, match=name):
        render_to_array(demo(), **numbers)  # type: ignore[arg-type]


def test_the_demo_renders_faster_than_it_plays() -> None:
    """The full figure (20 times on one core) is measured by `make bench`; here only that it is far from too slow."""
    render_to_array(demo(), seconds=0.5)
    begun = time.process_time()
    render_to_array(demo(), seconds=10)
    assert time.process_time() - begun < 10 / 8
