"""The last minutes are always kept: what is joined is what sounded, and no disk can hold up the sound."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile

from dunefall.base.errors import StorageError
from dunefall.base.programs import program_name
from dunefall.engine import lastminutes
from dunefall.engine.lastminutes import (
    LastMinutes,
    forget_last_minutes,
    join_last_minutes,
    kept_s,
    last_minutes_left,
    pieces_of,
)

RATE = 8000.0
NOBODY = 999_999_999
Rings = Callable[..., LastMinutes]


@pytest.fixture(autouse=True)
def root(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("DUNEFALL_DATA", str(tmp_path / "data"))
    return tmp_path / "data" / "last-minutes"


@pytest.fixture
def ring_of(root: Path) -> Iterator[Rings]:
    made = []

    def ring(rate: float = RATE, process: int = 0) -> LastMinutes:
        made.append(LastMinutes(rate))
        made[-1]._folder = root / (str(process) if process else program_name())
        return made[-1]

    yield ring
    for one in made:
        one.end()


def sound(seconds: float) -> np.ndarray:
    at = np.arange(round(seconds * RATE))
    return np.stack([np.sin(at * 0.01), at / len(at)], axis=1)


def played(ring: LastMinutes, heard: np.ndarray, block: int = 480) -> None:
    for at in range(0, len(heard), block):
        ring.hear(heard[at : at + block])
        ring.keep()


def test_what_is_joined_is_what_was_heard(ring_of: Rings, tmp_path: Path) -> None:
    ring, heard = ring_of(), sound(33.0)
    played(ring, heard)
    assert kept_s() == pytest.approx(33.0, abs=0.5)
    seconds = join_last_minutes(tmp_path / "all.wav", 1e9)
    got, rate = soundfile.read(tmp_path / "all.wav", dtype="float32")
    assert rate == RATE
    assert seconds == len(got) / RATE
    np.testing.assert_array_equal(got, heard[: len(got)].astype(np.float32))
    assert join_last_minutes(tmp_path / "some.wav", 12.5) == 12.5
    some, _ = soundfile.read(tmp_path / "some.wav", dtype="float32")
    np.testing.assert_array_equal(some, got[-len(some) :])


def test_only_so_much_is_kept(ring_of: Rings, root: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lastminutes, "MOST_S", 40.0)
    played(ring_of(), sound(130.0))
    assert 40.0 <= kept_s() <= 50.1
    assert len(pieces_of(root / program_name())) <= 5


def test_an_engine_that_takes_over_goes_on_behind(ring_of: Rings, tmp_path: Path) -> None:
    first, second = ring_of(), ring_of()
    heard = sound(24.0)
    played(first, heard[:100_000])
    first.end()
    played(second, heard[100_000:])
    join_last_minutes(tmp_path / "both.wav", 1e9)
    got, _ = soundfile.read(tmp_path / "both.wav", dtype="float32")
    kept = first._kept
    np.testing.assert_array_equal(got[:kept], heard[:kept].astype(np.float32))
    np.testing.assert_array_equal(got[kept:], heard[100_000 : 100_000 + len(got) - kept].astype(np.float32))


def test_after_another_rate_only_what_has_it_is_joined(ring_of: Rings, tmp_path: Path) -> None:
    played(ring_of(), sound(12.0))
    played(ring_of(2 * RATE), sound(12.0))
    assert join_last_minutes(tmp_path / "new.wav", 1e9) == pytest.approx(6.0, abs=0.5)


def test_a_program_that_was_killed_leaves_its_last_minutes(ring_of: Rings, root: Path, tmp_path: Path) -> None:
    played(ring_of(RATE, NOBODY), sound(5.0))
    (root / str(NOBODY - 1)).mkdir()
    assert last_minutes_left() == [root / str(NOBODY)]
    assert not (root / str(NOBODY - 1)).exists(), "an empty one is nothing"
    assert join_last_minutes(tmp_path / "left.wav", 1e9, root / str(NOBODY)) == pytest.approx(5.0, abs=0.5)
    forget_last_minutes(root / str(NOBODY))
    assert last_minutes_left() == []


def test_a_disk_that_refuses_is_told_once_and_tried_again(
    ring_of: Rings, root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    ring, heard = ring_of(), sound(10.0)
    root.parent.mkdir(parents=True, exist_ok=True)
    root.write_text("no folder")
    told = []
    for at in range(0, len(heard), 480):
        ring.hear(heard[at : at + 480])
        try:
            ring.keep()
        except StorageError as error:
            told.append(str(error))
            ring._again_at = 0.0
    assert len(told) == 1
    assert "the sound of the last minutes cannot be recorded" in told[0]
    assert "the sound goes on" in told[0]
    root.unlink()
    ring._again_at = 0.0
    played(ring, heard)
    assert kept_s() >= 9.0


def test_a_folder_that_is_removed_comes_back_with_the_next_piece(ring_of: Rings, root: Path) -> None:
    ring = ring_of()
    played(ring, sound(5.0))
    shutil.rmtree(root)
    played(ring, sound(20.0))
    assert kept_s() > 10.0


def test_a_disk_that_is_slow_costs_only_what_it_could_not_take(ring_of: Rings, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lastminutes, "RING", 1 << 14)
    ring, heard = ring_of(), sound(10.0)
    ring._ring = np.zeros((1 << 14, 2), np.float32)
    begun = time.perf_counter()
    for at in range(0, len(heard), 480):
        ring.hear(heard[at : at + 480])
    assert time.perf_counter() - begun < 5.0, "the sound waits for nobody"
    ring.keep()
    assert 0.0 < kept_s() < 3.0


def test_without_a_sound_there_is_nothing_to_join(tmp_path: Path) -> None:
    with pytest.raises(StorageError, match="play something"):
        join_last_minutes(tmp_path / "none.wav", 60.0)
    assert not (tmp_path / "none.wav").exists()
