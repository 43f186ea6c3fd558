"""Sound files on their way into a module: good ones, bad ones, long ones, and patches that refer to them."""

from __future__ import annotations

import json
import os
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from dunefall.base.errors import PatchError, StorageError
from dunefall.catalogue.story import module_story
from dunefall.compiler import sounds
from dunefall.compiler.changes import same_structure
from dunefall.compiler.sounds import import_sounds, mapped, sounds_ready, take_in
from dunefall.patch.files import load_patch, save_patch
from dunefall.patch.model import Module, SoundRef
from dunefall.patch.take import Take
from dunefall.patch.takefiles import load_take, save_take
from rig import RATE, demo, patch_of

pytestmark = pytest.mark.usefixtures("own_cache")


def written(path: Path, frames: int = 3000, channels: int = 1, rate: int = 44100, **options: str) -> Path:
    soundfile.write(path, np.random.default_rng(frames).uniform(-0.5, 0.5, (frames, channels)), rate, **options)
    return path


@pytest.mark.parametrize(
    ("name", "options", "step"),
    [
        ("a.wav", {"subtype": "PCM_16"}, 2**-15),
        ("a.wav", {"subtype": "PCM_24"}, 2**-23),
        ("a.wav", {"subtype": "FLOAT"}, 1e-7),
        ("a.wav", {"subtype": "PCM_U8"}, 2**-7),
        ("a.flac", {"subtype": "PCM_16"}, 2**-15),
        ("a.aiff", {}, 2**-15),
        ("a.ogg", {}, 2.0),
        ("ä b.wav", {}, 2**-15),
    ],
)
def test_every_usual_format_is_taken_in(tmp_path: Path, name: str, options: dict, step: float) -> None:
    """Against soundfile reading the same file at once; 8 bits are no worse than 8 bits."""
    path = written(tmp_path / name, channels=2, **options)
    sound = mapped(take_in(path))
    assert (sound.rows, sound.rate_hz) == (2, 44100)
    whole = soundfile.read(path, always_2d=True)[0]
    np.testing.assert_allclose(sound.samples.reshape(2, -1), whole.T, atol=1e-6)
    given = np.random.default_rng(3000).uniform(-0.5, 0.5, (3000, 2))
    assert np.abs(whole - given).max() <= step


def test_sounds_that_nobody_plays_are_let_go(tmp_path: Path) -> None:
    """Each that stays open is a handle, of which a process may have a thousand."""
    handles = len(os.listdir("/proc/self/fd"))
    first = take_in(written(tmp_path / "first.wav", frames=100))
    for k in range(3 * sounds.MOST_AT_HAND):
        assert len(mapped(take_in(written(tmp_path / "one.wav", frames=100 + k))).samples) == 100 + k
    assert len(os.listdir("/proc/self/fd")) - handles <= sounds.MOST_AT_HAND + 5
    assert len(mapped(first).samples) == 100, "and come back"


def test_seven_channels_become_two(tmp_path: Path) -> None:
    path = written(tmp_path / "seven.wav", channels=7)
    whole = soundfile.read(path)[0]
    sound = mapped(take_in(path)).samples.reshape(2, -1)
    np.testing.assert_allclose(sound[0], whole[:, 0::2].mean(axis=1), atol=1e-6)
    np.testing.assert_allclose(sound[1], whole[:, 1::2].mean(axis=1), atol=1e-6)


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("empty.wav", b"", "not a sound file"),
        ("text.wav", b"hello there, this is no sound" * 9, "not a sound file"),
        ("text.au", b"hello there, this is no sound" * 9, "not a sound file"),
        ("p.png", b"\x89PNG\r\n\x1a\n" + bytes(99), "not a sound file"),
        ("cut.flac", b"fLaC" + bytes(40), "not a sound file"),
    ],
)
def test_what_is_no_sound_is_told(tmp_path: Path, name: str, content: bytes, words: str) -> None:
    (tmp_path / name).write_bytes(content)
    with pytest.raises(StorageError, match=words) as found:
        take_in(tmp_path / name)
    assert name in str(found.value)


def test_a_file_without_a_sample_a_folder_and_a_missing_one(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "none.wav", np.zeros(0), 48000)
    with pytest.raises(StorageError, match="holds no sound"):
        take_in(tmp_path / "none.wav")
    with pytest.raises(StorageError, match="cannot read"):
        take_in(tmp_path)
    with pytest.raises(StorageError, match="No such file"):
        take_in(tmp_path / "missing.wav")


def test_a_broken_file_is_told_and_leaves_nothing(tmp_path: Path, own_cache: Path) -> None:
    path = written(tmp_path / "a.flac", 200_000)
    path.write_bytes(path.read_bytes()[:150_000])
    with pytest.raises(StorageError, match="broken"):
        take_in(path)
    assert list(own_cache.iterdir()) == []


def test_samples_that_are_no_numbers_become_silence(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", np.array([0.5, np.nan, np.inf, -0.5]), 48000, subtype="FLOAT")
    sound = mapped(take_in(tmp_path / "a.wav")).samples
    assert np.isfinite(sound).all()
    assert sound[1] == 0.0


def test_long_files_come_in_pieces_and_can_be_cancelled(tmp_path: Path, own_cache: Path) -> None:
    """Ten minutes: no piece is longer than six seconds, progress rises, and giving up leaves nothing behind."""
    path = tmp_path / "long.wav"
    with soundfile.SoundFile(path, "w", 48000, 1, "PCM_16") as file:
        for _ in range(10):
            file.write(np.zeros(48000 * 60))
    seen: list[float] = []
    take_in(path, lambda done, total: seen.append(done / total))
    assert seen == sorted(seen)
    assert seen[-1] == 1.0
    assert len(seen) > 100
    kept = set(own_cache.iterdir())
    path.write_bytes(path.read_bytes() + bytes(2))

    def give_up(done: int, total: int) -> None:
        if done > 0.8 * total:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        take_in(path, give_up)
    assert set(own_cache.iterdir()) == kept


def test_too_long_a_file_is_refused_before_it_is_read(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sounds, "LONGEST_S", 0.01)
    with pytest.raises(StorageError, match="hours long"):
        take_in(written(tmp_path / "a.wav"))


def test_a_full_disk_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(sounds.os, "replace", full)
    with pytest.raises(StorageError, match="No space left"):
        take_in(written(tmp_path / "a.wav"))


def test_a_patch_refers_to_its_sounds_beside_it(tmp_path: Path) -> None:
    """Moved together with its sounds, a patch still finds them."""
    (tmp_path / "here" / "sounds").mkdir(parents=True)
    path = written(tmp_path / "here" / "sounds" / "a.wav")
    patch = patch_of(Module("m", "sample-player", "M", sound=take_in(path)))
    save_patch(patch, tmp_path / "here" / "a.dunefall")
    raw = json.loads((tmp_path / "here" / "a.dunefall").read_text())
    assert raw["layers"][1]["modules"][0]["sound"]["path"] == "sounds/a.wav"
    assert load_patch(tmp_path / "here" / "a.dunefall") == patch
    assert "It plays a.wav." in module_story(patch, "m")
    (tmp_path / "here").rename(tmp_path / "there")
    moved = load_patch(tmp_path / "there" / "a.dunefall").module("m").sound
    assert moved is not None
    assert Path(moved.path) == tmp_path / "there" / "sounds" / "a.wav"
    save_take(Take(patch, RATE), tmp_path / "there" / "a.dunetake")
    assert "there/sounds" not in (tmp_path / "there" / "a.dunetake").read_text()
    again = load_take(tmp_path / "there" / "a.dunetake").start.module("m").sound
    assert again == patch.module("m").sound


@pytest.mark.parametrize("sound", [7, {"path": 3, "digest": ""}, {"digest": "a"}, {"path": "a"}])
def test_a_bad_reference_is_refused(tmp_path: Path, sound: object) -> None:
    patch = patch_of(Module("m", "sample-player", "M", sound=SoundRef("/a.wav", "abc")))
    save_patch(patch, tmp_path / "a.dunefall")
    raw = json.loads((tmp_path / "a.dunefall").read_text())
    raw["layers"][1]["modules"][0]["sound"] = sound
    (tmp_path / "a.dunefall").write_text(json.dumps(raw))
    with pytest.raises(PatchError, match="sound"):
        load_patch(tmp_path / "a.dunefall")


def test_missing_and_changed_sounds_are_told_once_each(tmp_path: Path, own_cache: Path) -> None:
    path = written(tmp_path / "a.wav")
    ref = take_in(path)
    patch = patch_of(Module("m", "sample-player", "Gulls", sound=ref), Module("n", "grain-player", "N"))
    assert sounds_ready(patch)
    assert import_sounds(patch) == []
    for kept in own_cache.iterdir():
        kept.unlink()
    assert not sounds_ready(patch)
    assert import_sounds(patch) == []  # taken in again
    for kept in own_cache.iterdir():
        kept.unlink()
    written(path, 4000)
    (trouble,) = import_sounds(patch)
    assert "Gulls" in trouble
    assert "not the sound that the patch was made with" in trouble
    path.unlink()
    (trouble,) = import_sounds(patch)
    assert "No such file" in trouble


def test_another_sound_is_another_program(tmp_path: Path) -> None:
    a, b = (take_in(written(tmp_path / name, n)) for name, n in (("a.wav", 3000), ("b.wav", 3001)))
    patch = patch_of(Module("m", "sample-player", "M", sound=a))
    assert same_structure(patch, patch)
    assert not same_structure(patch, patch.with_module(replace(patch.module("m"), sound=b)))
    assert sounds_ready(demo())
