"""Rendering: the same file for the same seed and any block size; files that appear whole or not at all."""

from __future__ import annotations

import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from dunefall.base.errors import ParameterError, StorageError
from dunefall.patch.take import Take
from dunefall.render.job import RenderJob
from dunefall.render.offline import render_to_array, render_to_file
from dunefall.render.performance import Performance
from rig import demo


@pytest.mark.parametrize("block", [1, 7, 64, 480])
def test_block_size_never_changes_the_file(block: int, tmp_path: Path) -> None:
    paths = [tmp_path / "a.wav", tmp_path / "b.wav"]
    render_to_file(demo(), paths[0], seconds=1.3, block=4096)
    render_to_file(demo(), paths[1], seconds=1.3, block=block)
    assert paths[0].read_bytes() == paths[1].read_bytes()


def test_same_seed_same_file_other_seed_another(tmp_path: Path) -> None:
    first, again = render_to_array(demo(), seconds=3), render_to_array(demo(), seconds=3)
    assert (first == again).all()
    other = render_to_array(replace(demo(), seed=418), seconds=3)
    assert not (first == other).all()
    assert np.corrcoef(first[:, 0], other[:, 0])[0, 1] < 0.9


def test_the_file_is_what_it_says(tmp_path: Path) -> None:
    path = tmp_path / "a.wav"
    shares: list[float] = []
    assert render_to_file(demo(), path, seconds=2.5, rate=44100, progress=lambda s: shares.append(s) or True)
    info = soundfile.info(path)
    assert (info.samplerate, info.channels, info.subtype, info.frames) == (44100, 2, "PCM_24", 110250)
    assert shares == sorted(shares)
    assert shares[-1] == 1.0
    sound, _ = soundfile.read(path)
    assert np.abs(sound[0]).max() < 1e-3  # fades at both ends
    assert np.abs(sound[-1]).max() < 1e-3
    np.testing.assert_allclose(sound, render_to_array(demo(), seconds=2.5, rate=44100), atol=2**-22)


def test_both_ends_fade_on_a_straight_line_of_ten_milliseconds_and_nothing_else_does() -> None:
    """A longer render holds the shorter one's sound as it is before its fade."""
    long, short, fade = render_to_array(demo(), seconds=3), render_to_array(demo(), seconds=2), 480
    k = np.arange(fade)[:, None]
    assert (short[:-fade] == long[: len(short) - fade]).all()
    np.testing.assert_allclose(short[-fade:], long[len(short) - fade : len(short)] * (fade - k) / fade, rtol=1e-12)
    plain = np.zeros((fade + 1, 2))
    Performance(Take(demo(), 48000.0)).fill(plain)
    np.testing.assert_allclose(short[:fade], plain[:fade] * (k + 1) / fade, rtol=1e-12)
    assert (short[fade] == plain[fade]).all()


def test_cancel_leaves_nothing(tmp_path: Path) -> None:
    path = tmp_path / "a.wav"
    path.write_bytes(b"precious")
    assert not render_to_file(demo(), path, seconds=30, progress=lambda share: share < 0.1)
    assert path.read_bytes() == b"precious"
    assert list(tmp_path.iterdir()) == [path]


@pytest.mark.parametrize(
    ("name", "value"), [("seconds", 0.0), ("seconds", 1e9), ("rate", 100.0), ("block", 0), ("block", (1 << 20) + 1)]
)
def test_numbers_out_of_range(name: str, value: float, tmp_path: Path) -> None:
    numbers = {"seconds": 1.0, "rate": 48000.0, "block": 64, name: value}
    with pytest.raises(ParameterError, match=name):
        render_to_file(demo(), tmp_path / "a.wav", **numbers)  # type: ignore[arg-type]


def test_no_such_folder(tmp_path: Path) -> None:
    with pytest.raises(StorageError, match="cannot write"):
        render_to_file(demo(), tmp_path / "none" / "a.wav", seconds=1)


def wait(job: RenderJob, seconds: float = 60.0) -> str:
    end = time.monotonic() + seconds
    while job.poll() == "running" and time.monotonic() < end:
        time.sleep(0.02)
    return job.state


def test_job_in_its_own_process(tmp_path: Path) -> None:
    job = RenderJob(demo(), tmp_path / "a.wav", seconds=2)
    assert wait(job) == "done"
    render_to_file(demo(), tmp_path / "b.wav", seconds=2)
    assert (tmp_path / "a.wav").read_bytes() == (tmp_path / "b.wav").read_bytes()


def test_job_cancelled_and_failed(tmp_path: Path) -> None:
    job = RenderJob(demo(), tmp_path / "a.wav", seconds=3600)
    job.cancel()
    assert wait(job) == "cancelled"
    assert list(tmp_path.iterdir()) == []
    job = RenderJob(demo(), tmp_path / "none" / "a.wav", seconds=1)
    assert wait(job) == "failed"
    assert "cannot write" in job.error


def test_the_demo_renders_faster_than_it_plays() -> None:
    """The full figure (20 times on one core) is measured by `make bench`; here only that it is far from too slow."""
    render_to_array(demo(), seconds=0.5)
    begun = time.process_time()
    render_to_array(demo(), seconds=10)
    assert time.process_time() - begun < 10 / 8
