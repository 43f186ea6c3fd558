"""Recordings of the live input, and takes that play them again."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from dunefall.base.errors import PatchError, StorageError
from dunefall.compiler.build import compile_patch
from dunefall.engine.devices.input import SimulatedInput, voice
from dunefall.engine.live import LiveTap
from dunefall.patch.model import Module
from dunefall.patch.take import Entry, Heard, Take
from dunefall.patch.takefiles import load_take, parse_take, save_take
from dunefall.render.performance import Performance
from dunefall.render.player import Player
from dunefall.render.recordings import RecordingWriter, TakeRecordings
from rig import patch_of

PATCH = patch_of(
    Module("mic", "live-input", "Mic", {"gate_db": -40}), Module("tone", "oscillator", "Tone"),
    Module("a-out", "output", "A"),
    links=(("mic.out", "a-out.audio", 1.0), ("tone.out", "a-out.audio", 0.2)),
)  # fmt: skip


def written(path: Path, samples: np.ndarray, rate: float = 48000.0) -> str:
    writer = RecordingWriter(path, rate)
    for piece in np.array_split(samples.astype(np.float32), 3):
        writer.write(piece)
    writer.close()
    return str(path)


def test_a_recording_holds_exactly_what_was_written_and_any_program_can_read_it(tmp_path: Path) -> None:
    """libsndfile reads the file (second opinion on the format), also while it is still being written."""
    sound = np.random.default_rng(1).uniform(-1, 1, 10_000).astype(np.float32)
    writer = RecordingWriter(tmp_path / "a.au", 44100.0)
    writer.write(sound[:7000])
    half, rate = soundfile.read(tmp_path / "a.au", dtype="float32")
    assert rate == 44100
    np.testing.assert_array_equal(half, sound[:7000])
    writer.write(sound[7000:])
    writer.close()
    np.testing.assert_array_equal(soundfile.read(tmp_path / "a.au", dtype="float32")[0], sound)


def test_positions_between_and_behind_recordings_are_silent(tmp_path: Path) -> None:
    first, second = np.full(1000, 0.25), np.full(200_000, -0.5)
    entries = (
        Entry(500, Heard(written(tmp_path / "a.au", first))),
        Entry(5000, Heard(written(tmp_path / "b.au", second))),
    )
    recordings = TakeRecordings(Take(PATCH, 48000.0, entries))
    out = np.ones(210_000)
    for at in range(0, len(out), 64):
        recordings.read(at, out[at : at + 64])
    expected = np.zeros(210_000)
    expected[500:1500], expected[5000:205_000] = 0.25, -0.5
    np.testing.assert_array_equal(out, expected)
    recordings.read(1490, out[:20])  # and back
    np.testing.assert_array_equal(out[:20], expected[1490:1510])


def test_a_take_in_another_rate_hears_the_same_sound(tmp_path: Path) -> None:
    """A sine of 300 Hz recorded at 48 kHz, heard at 44.1 kHz, is that sine (definition of sampling)."""
    sound = np.sin(2 * np.pi * 300 * np.arange(48000) / 48000)
    take = Take(PATCH, 48000.0, (Entry(0, Heard(written(tmp_path / "a.au", sound))),)).at_rate(44100.0)
    out = np.zeros(44100)
    TakeRecordings(take).read(0, out)
    ideal = np.sin(2 * np.pi * 300 * np.arange(44100) / 44100)
    np.testing.assert_allclose(out[1000:-1000], ideal[1000:-1000], atol=2e-3)


@settings(max_examples=10, deadline=None)
@given(blocks=st.lists(st.integers(1, 3000), min_size=1, max_size=8), block=st.integers(1, 5000))
def test_a_take_with_live_input_sounds_the_same_again_bit_for_bit(
    tmp_path_factory: pytest.TempPathFactory, blocks: list[int], block: int
) -> None:
    """Whatever the blocks it was played and is replayed in."""
    folder = tmp_path_factory.mktemp("live")
    entries: list[Entry] = []
    with pytest.MonkeyPatch.context() as patcher:
        patcher.setenv("DUNEFALL_DATA", str(folder))
        tap = LiveTap(48000.0, lambda at, path: entries.append(Entry(at, Heard(str(path)))))
        tap.source = SimulatedInput(48000.0)
        player = Player(compile_patch(PATCH, rate=48000.0))
        player.live = tap.read
        sounded = []
        for size in blocks:
            piece = np.zeros((size, 2))
            player.fill(piece)
            sounded.append(piece)
            tap.keep()
        tap.end()
    whole = np.concatenate(sounded)
    performance, again = Performance(Take(PATCH, 48000.0, tuple(entries))), np.zeros_like(whole)
    for at in range(0, len(whole), block):
        performance.fill(again[at : at + block])
    np.testing.assert_array_equal(again, whole)
    assert len(entries) == 1


def test_a_jump_begins_another_recording(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("DUNEFALL_DATA", str(tmp_path))
    began: list[tuple[int, Path]] = []
    tap = LiveTap(48000.0, lambda at, path: began.append((at, path)))
    tap.source = SimulatedInput(48000.0)
    out = np.zeros(64)
    for position in (0, 64, 128, 6400, 6464):
        tap.read(position, out)
    tap.keep()
    tap.end()
    assert [at for at, _ in began] == [0, 6400]
    spoken = voice(48000.0)
    np.testing.assert_array_equal(soundfile.read(began[0][1], dtype="float32")[0], spoken[:192])
    np.testing.assert_array_equal(soundfile.read(began[1][1], dtype="float32")[0], spoken[192:320])


def test_a_saved_take_has_its_recordings_beside_it(tmp_path: Path) -> None:
    sound = np.random.default_rng(3).uniform(-1, 1, 5000)
    take = Take(PATCH, 48000.0, (Entry(64, Heard(written(tmp_path / "somewhere.au", sound))),))
    home = tmp_path / "takes"
    home.mkdir()
    save_take(take, home / "night.dunetake")
    (tmp_path / "somewhere.au").unlink()
    loaded = load_take(home / "night.dunetake")
    assert isinstance(loaded.entries[0].what, Heard)
    assert Path(loaded.entries[0].what.recording).parent == home
    out = np.zeros(64)
    TakeRecordings(loaded).read(64, out)
    np.testing.assert_array_equal(out, sound[:64].astype(np.float32))
    save_take(loaded, home / "night.dunetake")  # again in the same place
    assert load_take(home / "night.dunetake") == loaded


def test_what_is_wrong_with_a_recording_is_said(tmp_path: Path) -> None:
    take = Take(PATCH, 48000.0, (Entry(0, Heard(written(tmp_path / "a.au", np.zeros(10)))),))
    save_take(take, tmp_path / "t.dunetake")
    (tmp_path / "t live 0.au").unlink()
    with pytest.raises(PatchError, match=r"t live 0\.au.*is missing"):
        load_take(tmp_path / "t.dunetake")
    outside = (tmp_path / "t.dunetake").read_text().replace("t live 0.au", "../a.au")
    (tmp_path / "u.dunetake").write_text(outside)
    assert parse_take(outside.encode()).entries
    with pytest.raises(PatchError, match="without a folder"):
        load_take(tmp_path / "u.dunetake")
    (tmp_path / "no sound.au").write_text("no sound")
    broken = Take(PATCH, 48000.0, (Entry(0, Heard(str(tmp_path / "no sound.au"))),))
    with pytest.raises(StorageError, match="cannot be read"):
        TakeRecordings(broken).read(0, np.zeros(64))
    soundfile.write(tmp_path / "two.wav", np.zeros((100, 2)), 48000)
    with pytest.raises(StorageError, match="one channel"):
        TakeRecordings(Take(PATCH, 48000.0, (Entry(0, Heard(str(tmp_path / "two.wav"))),))).read(0, np.zeros(64))
    with pytest.raises(StorageError, match="cannot be recorded"):
        RecordingWriter(tmp_path / "a.au" / "b.au", 48000.0)
