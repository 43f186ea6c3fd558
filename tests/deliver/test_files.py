"""Files as others read them: soundfile, wavinfo, pyloudnorm; bit for bit the same each time."""

from __future__ import annotations

import hashlib
import json
import shutil
import struct
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyloudnorm
import pytest
import soundfile
from scipy import signal
from wavinfo import WavInfoReader

from dunefall.base.errors import ParameterError, PatchError, StorageError
from dunefall.deliver import audiofiles
from dunefall.deliver.audiofiles import write_sound
from dunefall.deliver.job import Job, Source
from dunefall.deliver.levels import Reached
from dunefall.deliver.making import File, make
from dunefall.deliver.measure import measure
from dunefall.deliver.plan import preview, report_path, tasks_of
from dunefall.deliver.reports import remake, save_report, table
from dunefall.deliver.verdict import Heard, findings
from dunefall.deliver.wavchunks import About
from rig import demo

Deliver = Callable[..., list[File]]
RATE = 48000
ABOUT = About("Night", "Dunefall", "2026-11-29T12:00:00", 417)


@pytest.mark.parametrize("depth", ["16", "24", "32f"])
def test_a_film_bed_is_what_it_says_to_others(depth: str, delivered: Deliver, tmp_path: Path) -> None:
    """Header and samples by soundfile, chunks by wavinfo, loudness by pyloudnorm, peaks by scipy's oversampling."""
    (file,) = delivered(
        demo(), seconds=5.0, fade_in_s=0.2, fade_out_s=0.5, loudness="each file", lufs=-23.0, depth=depth,
        broadcast=True, comment="For the scene at the sluice", artist="Sound department",
    )  # fmt: skip
    path = tmp_path / "out" / file.names[0]
    info = soundfile.info(path)
    subtype = {"16": "PCM_16", "24": "PCM_24", "32f": "FLOAT"}[depth]
    assert (info.format, info.subtype, info.samplerate, info.channels, info.frames) == (
        "WAV",
        subtype,
        RATE,
        2,
        5 * RATE,
    )
    sound, _ = soundfile.read(path)
    assert pyloudnorm.Meter(RATE).integrated_loudness(sound) == pytest.approx(-23.0, abs=0.1)
    for up in (4, 8):
        assert 20 * np.log10(np.abs(signal.resample_poly(sound, up, 1, axis=0)).max()) <= -1.0
    bext = WavInfoReader(str(path)).bext
    assert bext.version == 2
    assert bext.originator == "Sound department"
    assert bext.originator_date == "2026-11-29"
    assert bext.originator_time == "12:00:00"
    assert "For the scene at the sluice" in bext.description
    assert bext.loudness_value == pytest.approx(-23.0, abs=0.1)
    assert bext.max_true_peak == pytest.approx(file.measures.true_peak_db, abs=0.01)
    assert bext.loudness_range == pytest.approx(file.measures.range_lu, abs=0.01)
    assert b"BWFXML" in path.read_bytes()


@pytest.mark.parametrize(
    ("kind", "subtype", "within"), [("flac", "PCM_24", 1e-6), ("ogg", "VORBIS", 0.1), ("opus", "OPUS", 0.1)]
)
def test_other_formats_hold_the_same_sound(
    kind: str, subtype: str, within: float, delivered: Deliver, tmp_path: Path
) -> None:
    (file,) = delivered(demo(), seconds=2.0, formats=("wav", kind))
    wav, other = (soundfile.read(tmp_path / "out" / name)[0] for name in file.names)
    info = soundfile.info(tmp_path / "out" / file.names[1])
    assert (info.subtype, info.samplerate) == (subtype, RATE)
    n = min(len(wav), len(other))
    assert abs(len(wav) - len(other)) < 2000
    assert np.abs(wav[:n] - other[:n]).max() < within * max(0.1, np.abs(wav).max()) * 10


@pytest.mark.parametrize("rate", [44100, 88200, 96000])
def test_the_engine_runs_at_the_rate_of_the_file(rate: int, delivered: Deliver, tmp_path: Path) -> None:
    (file,) = delivered(demo(), seconds=1.0, rate_hz=rate)
    info = soundfile.info(tmp_path / "out" / file.names[0])
    assert (info.samplerate, info.frames) == (rate, rate)


@pytest.mark.parametrize(("layout", "channels", "mask"), [("mono", 1, None), ("quad", 4, 0x33), ("5.1", 6, 0x3F)])
def test_layouts(layout: str, channels: int, mask: int | None, delivered: Deliver, tmp_path: Path) -> None:
    """WAVE_FORMAT_EXTENSIBLE: the mask of the speakers stands 20 bytes into the format chunk."""
    (file,) = delivered(demo(), seconds=1.0, layout=layout)
    path = tmp_path / "out" / file.names[0]
    assert soundfile.info(path).channels == channels
    if mask:
        data = path.read_bytes()
        at = data.index(b"fmt ") + 8
        assert struct.unpack("<I", data[at + 20 : at + 24])[0] == mask


def test_above_four_gigabytes_a_wav_is_an_rf64(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The limit is moved down, so that a small file passes it; a real one stands below."""
    sound = np.random.default_rng(1).uniform(-0.5, 0.5, (RATE, 2))
    monkeypatch.setattr(audiofiles, "MOST_RIFF_BYTES", 100_000)
    about = replace(ABOUT, broadcast=True)
    write_sound(
        sound, tmp_path / "big.wav", kind="wav", depth="24", rate=RATE, about=about, measures=measure(sound, RATE)
    )
    data = (tmp_path / "big.wav").read_bytes()
    assert (data[:4], data[8:12], data[12:16]) == (b"RF64", b"WAVE", b"ds64")
    assert struct.unpack("<Q", data[20:28])[0] == len(data) - 8
    assert soundfile.info(tmp_path / "big.wav").format == "RF64"
    np.testing.assert_allclose(soundfile.read(tmp_path / "big.wav")[0], sound, atol=2**-21)


@pytest.mark.skipif(shutil.disk_usage(tempfile.gettempdir()).free < 12e9, reason="12 GB of disk are not free")
def test_a_file_of_more_than_4_gigabytes_is_read_to_its_end(tmp_path: Path) -> None:
    """Six channels of 32-bit floats, 2^32 bytes and a bit more; every frame has its own place in it."""
    frames = (1 << 32) // 24 + 4800
    course = np.arange(1 << 17, dtype=np.float64) / (1 << 18)
    sound = _Endless(course, frames)
    measures = measure(np.zeros((RATE, 6)), RATE)
    write_sound(sound, tmp_path / "big.wav", kind="wav", depth="32f", rate=RATE, about=ABOUT, measures=measures)  # type: ignore[arg-type]
    assert (tmp_path / "big.wav").stat().st_size > 1 << 32
    with soundfile.SoundFile(tmp_path / "big.wav") as file:
        assert (file.format, file.channels, file.frames) == ("RF64", 6, frames)
        for at in (0, frames // 2, frames - 100):
            file.seek(at)
            np.testing.assert_array_equal(file.read(100)[:, 5], course[np.arange(at, at + 100) % len(course)])


class _Endless:
    """As much sound as is asked for, made of one course when it is read."""

    def __init__(self, course: np.ndarray, frames: int) -> None:
        self._course, self.shape = course, (frames, 6)

    def __len__(self) -> int:
        return self.shape[0]

    def __getitem__(self, place: slice) -> np.ndarray:
        at = np.arange(*place.indices(len(self))) % len(self._course)
        return np.repeat(self._course[at][:, None], 6, axis=1)


def test_marks_and_loop_points(tmp_path: Path) -> None:
    sound = np.zeros((RATE, 1))
    about = replace(ABOUT, loop=(0, RATE - 1), marks=((4800, "Click in Drip line"),))
    write_sound(
        sound, tmp_path / "m.wav", kind="wav", depth="16", rate=RATE, about=about, measures=measure(sound, RATE)
    )
    info = WavInfoReader(str(tmp_path / "m.wav"))
    assert info.smpl.sample_loops[0].end == RATE - 1
    assert info.cues.cues[0].sample_offset == 4800
    assert b"Click in Drip line" in (tmp_path / "m.wav").read_bytes()


@pytest.mark.parametrize("kind", ["wav", "flac", "ogg", "opus"])
def test_the_same_task_gives_the_same_bytes(kind: str, delivered: Deliver, tmp_path: Path) -> None:
    """Ogg streams have a serial number that libsndfile draws by the clock; here it comes of the seed."""
    names = []
    for folder in ("a", "b"):
        (file,) = delivered(demo(), tmp_path / folder, seconds=1.0, formats=(kind,))
        names.append(tmp_path / folder / file.names[0])
        assert file.sha256 == (hashlib.sha256(names[-1].read_bytes()).hexdigest(),)
    assert names[0].read_bytes() == names[1].read_bytes()
    assert np.isfinite(soundfile.read(names[0])[0]).all()


def test_a_file_that_cannot_be_written_is_told_and_nothing_is_left(tmp_path: Path, delivered: Deliver) -> None:
    (tmp_path / "file").write_text("no folder")
    with pytest.raises(StorageError, match="no files can be written to"):
        delivered(demo(), tmp_path / "file" / "below", seconds=0.1)
    sound = np.zeros((100, 1))
    with pytest.raises(StorageError, match="cannot write"):
        write_sound(sound, tmp_path / "gone" / "a.wav", kind="wav", depth="24", rate=RATE, about=ABOUT,
                    measures=measure(sound, RATE))  # fmt: skip
    assert [path.name for path in tmp_path.iterdir()] == ["file"]


def test_names_exist_and_what_is_done_about_it(tmp_path: Path) -> None:
    job, source = Job(seconds=0.2, folder=str(tmp_path), name="a_{n}", variations=2), Source.of(demo())
    (tmp_path / "a_1.wav").write_bytes(b"precious")
    with pytest.raises(ParameterError, match=r'"a_1\.wav" already exists in .*: choose to replace it'):
        tasks_of(job, source)
    assert [task.names for task in tasks_of(replace(job, existing="number"), source)] == [("a_1 2",), ("a_2",)]
    assert len(tasks_of(replace(job, existing="replace"), source)) == 2
    assert [task.number for task in tasks_of(replace(job, existing="skip"), source)] == [2]
    assert (tmp_path / "a_1.wav").read_bytes() == b"precious"
    shown = preview(job, source)
    assert (shown.first, shown.last, shown.count, shown.there) == ("a_1.wav", "a_2.wav", 2, ["a_1.wav"])
    with pytest.raises(ParameterError, match="two files would be called"):
        tasks_of(replace(job, name="a"), source)
    with pytest.raises(ParameterError, match='there is no layer "attic"; there are'):
        tasks_of(replace(job, what="layer", layer="attic"), source)


def test_files_are_made_again_from_what_stands_beside_them(tmp_path: Path) -> None:
    job = Job(
        seconds=0.4, folder=str(tmp_path / "a"), name="v_{n}", variations=3, formats=("wav", "ogg"), broadcast=True
    )
    source = Source.of(demo())
    tasks = tasks_of(job, source)
    files = [file for task in tasks for file in make(task)]
    path = report_path(job, source, tmp_path / "a")
    assert path.name == "v.json"
    save_report(job, source, tasks[0].made, files, path)
    raw = json.loads(path.read_text())
    assert [entry["seed"] for entry in raw["files"]] == [417, 418, 419]
    (tmp_path / "b").mkdir()
    told: list[str] = []
    remake(path, ["v_2.wav", "v_2.ogg"], tmp_path / "b", told.append)
    assert [text.rsplit(": ", 1)[1] for text in told] == ["the same, bit for bit"] * 2
    for name in ("v_2.wav", "v_2.ogg"):
        assert (tmp_path / "b" / name).read_bytes() == (tmp_path / "a" / name).read_bytes()
    with pytest.raises(StorageError, match="exists; choose another folder"):
        remake(path, ["v_2.wav"], tmp_path / "b")
    with pytest.raises(ParameterError, match=r'there is no file "x\.wav"'):
        remake(path, ["x.wav"], tmp_path / "b")
    lines = table(files).splitlines()
    assert lines[0].startswith("name,seed,seconds,lufs")
    assert len(lines) == 4


@pytest.mark.parametrize("text", ["{", "[]", '{"kind": "set"}', '{"kind": "set", "format": 1, "files": 3}', "\x00"])
def test_what_is_no_set_is_told(text: str, tmp_path: Path) -> None:
    (tmp_path / "s.json").write_text(text)
    with pytest.raises(PatchError, match=r"s\.json cannot be used"):
        remake(tmp_path / "s.json", [], tmp_path)


@pytest.mark.parametrize(
    ("settings", "text", "cure"),
    [
        ({"seconds": 2.0}, "end is cut off", {"fade_out_s": 0.5}),
        ({"seconds": 1.0, "ends": "silence"}, "still sounds", {"ends": "cut", "fade_out_s": 0.5}),
        ({"seconds": 1.0, "loudness": "each file", "lufs": -3.0, "limit": False}, "cannot be reached", {"limit": True}),
    ],
)
def test_what_misses_its_limits_says_why_and_what_helps(
    settings: dict[str, object], text: str, cure: dict[str, object], delivered: Deliver
) -> None:
    (file,) = delivered(demo(), checks=True, **settings)
    found = next(finding for finding in file.findings if text in finding.text)
    assert found.changes == cure


def test_silence_is_flagged(delivered: Deliver) -> None:
    quiet = replace(demo(), links=())
    (file,) = delivered(quiet, seconds=0.5, checks=True)
    assert file.findings[0].text == "It is silent."


def test_what_goes_on_is_cut_and_what_dies_away_is_allowed_longer(delivered: Deliver) -> None:
    (endless,) = delivered(demo(), ends="silence", seconds=0.5, checks=True, name="a")
    assert [finding.cure for finding in endless.findings if "still sounds" in finding.text] == [
        "Cut it there, with a fade"
    ]
    (again,) = delivered(demo(), seconds=0.5, checks=True, name="b", **endless.findings[-1].changes)
    assert not [finding for finding in again.findings if "cut off" in finding.text or "sounds" in finding.text]
    dying = Heard((), Reached(-23.0), None, end_db=-45.0, ended=False)
    (found,) = findings(Job(ends="silence", seconds=4.0, checks=True), endless.measures, dying)
    assert (found.cure, found.changes) == ("Allow 8 s", {"seconds": 8.0, "bars": 0.0})
