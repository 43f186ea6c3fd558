"""The outlook: what an edit cannot have changed stays, the rest is looked at again, and nothing is left behind."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dunefall.base.layouts import MOST_CHANNELS, layout_of
from dunefall.base.programs import program_name
from dunefall.cli.survey import Here
from dunefall.deliver.workers import Workers
from dunefall.patch.changes import ParamSet
from dunefall.patch.model import Patch
from dunefall.patch.take import END, Edit, Entry, Note, Take, first_difference
from dunefall.render.known import Ahead, read_known
from dunefall.render.offline import render_to_array
from dunefall.render.performance import Performance
from dunefall.survey.findings import View
from dunefall.survey.listening import BIN
from dunefall.survey.outlook import Outlook
from dunefall.survey.stretch import STRETCH, STRETCH_BINS, digest_of
from rig import demo

RATE = 48000.0
SECONDS = 6 * STRETCH / RATE


@pytest.fixture
def outlook() -> Iterator[Outlook]:
    made = Outlook(Here())
    yield made
    made.close()


def done(outlook: Outlook, seconds: float = 120.0) -> None:
    end = time.monotonic() + seconds
    while not outlook.done:
        assert not outlook.trouble, outlook.trouble
        assert time.monotonic() < end
        if not outlook.step():
            time.sleep(0.001)  # the core is its worker's


def cutoff(at: int, hz: float) -> Entry:
    return Entry(at, Edit((ParamSet("drip-line-low-pass", "cutoff_hz", hz),)))


def test_what_is_known_is_what_is_rendered_also_after_edits(outlook: Outlook) -> None:
    take = Take(demo(), RATE)
    outlook.look(take, SECONDS)
    done(outlook)
    dice = np.random.default_rng(1)
    for edit in range(4):
        at = int(dice.integers(0, 6 * STRETCH))
        take = take.with_entry(cutoff(at, float(dice.uniform(300, 5000))))
        before = outlook.known.copy()
        outlook.look(take, SECONDS)
        first = at // STRETCH
        assert outlook.known[:first].all()
        assert not outlook.known[first:].any()
        assert before.all()
        done(outlook)
        sound = render_to_array(take, seconds=SECONDS)
        for k, part in enumerate(np.split(sound, 6)):
            assert outlook.rest[k].digest == digest_of(part), (edit, k)


def test_only_what_may_have_changed_is_looked_at_again(outlook: Outlook) -> None:
    take = Take(demo(), RATE)
    outlook.look(take, SECONDS)
    done(outlook)
    orders = []
    submit = outlook._workers.submit

    def counted(what: object, order: object) -> object:
        orders.append(order)
        return submit(what, order)  # type: ignore[arg-type]

    outlook._workers.submit = counted  # type: ignore[assignment, method-assign]
    outlook.look(take.with_entry(cutoff(4 * STRETCH + 10, 500.0)), SECONDS)
    done(outlook)
    assert [order.begin // STRETCH for order in orders] == [4, 5]  # type: ignore[attr-defined]
    outlook.look(take.with_entry(cutoff(4 * STRETCH + 10, 500.0)), SECONDS)
    assert outlook.done, "the same take again"


@given(st.lists(st.integers(0, 1000), max_size=6), st.lists(st.integers(0, 1000), max_size=6))
@settings(max_examples=200)
def test_takes_are_the_same_up_to_their_first_difference(first: list[int], second: list[int]) -> None:
    takes = [
        Take(Patch(), RATE, tuple(Entry(at, Note("m", 60.0, 1.0)) for at in sorted(ats))) for ats in (first, second)
    ]
    found = first_difference(*takes)
    if found == END:
        assert takes[0] == takes[1]
        return
    assert takes[0].until(found) == takes[1].until(found)
    assert takes[0].until(found + 1) != takes[1].until(found + 1)


def test_another_seed_from_the_start_is_all_unknown(outlook: Outlook) -> None:
    outlook.look(Take(demo(), RATE), SECONDS)
    done(outlook)
    outlook.look(Take(replace(demo(), seed=99), RATE), SECONDS)
    assert not outlook.known.any()


def test_it_begins_at_the_playhead_where_a_checkpoint_lets_it(outlook: Outlook) -> None:
    outlook.look(Take(demo(), RATE), SECONDS)
    done(outlook)
    outlook.known[:] = False
    outlook._at = -1
    outlook.playhead = 4 * STRETCH + 5
    while not outlook.known.any():
        outlook.step()
    assert outlook.known[4]
    assert not outlook.known[:4].any()
    done(outlook)


def kept_at(at: int, take: Take, outlook: Outlook) -> Path:
    """A state of a take, as the engine would write it."""
    performance, path = Performance(take), outlook.place_of_state()
    performance.fill(np.zeros((at, 2)))
    with path.open("wb") as file:
        performance.player.checkpoint().write(file)
    return path


def test_it_begins_with_the_state_of_the_sound(outlook: Outlook) -> None:
    """What is known from there on is what is known by one that has listened from the start."""
    take, at = Take(demo(), RATE, (cutoff(STRETCH, 900.0),)), 3 * STRETCH + 64 * 101
    outlook.look(take, SECONDS)
    outlook.playhead = at
    assert outlook.wants_state
    outlook.take_state(kept_at(at, take, outlook), at, take)
    assert not outlook.wants_state
    while not outlook.known.any():
        outlook.step()
    assert outlook.known[4]
    assert not outlook.known[:4].any()
    while not outlook.known[5]:
        outlook.step()
    assert outlook.known_part == (4, 6)
    assert outlook.known_s == (4 * STRETCH / RATE, 6 * STRETCH / RATE)
    view = View(outlook, demo())
    assert (view.first_bin, view.bins) == (4 * STRETCH_BINS, 2 * STRETCH_BINS)
    assert view.time_of(0) == 4 * STRETCH / RATE
    assert view.sample(1) == 4 * STRETCH + BIN
    assert sorted(view.rest) == [4, 5]
    outlook.playhead = 0
    done(outlook)
    whole = Outlook(Here())
    try:
        whole.look(take, SECONDS)
        done(whole)
        whole_view = View(whole, demo())
        behind = slice(4 * STRETCH_BINS, None)
        np.testing.assert_array_equal(view.bands, whole_view.bands[behind])
        np.testing.assert_array_equal(view.peak, whole_view.peak[behind])
        np.testing.assert_allclose(view.energy, whole_view.energy[behind], rtol=1e-4)
        for layer in view.layers:
            np.testing.assert_array_equal(view.level(layer.id), whole_view.level(layer.id)[behind])
            np.testing.assert_array_equal(view.rest[4].powers[layer.id], whole.rest[4].powers[layer.id])
            hits = whole_view.triggers_of(layer.id) - 4 * STRETCH_BINS
            np.testing.assert_array_equal(view.triggers_of(layer.id), hits[hits >= 0])
        assert [outlook.rest[k].digest for k in range(6)] == [whole.rest[k].digest for k in range(6)]
    finally:
        whole.close()


def test_a_state_of_another_take_is_none(outlook: Outlook, tmp_path: Path) -> None:
    outlook.look(Take(demo(), RATE, (cutoff(STRETCH, 900.0),)), SECONDS)
    other, at = Take(demo(), RATE), 3 * STRETCH
    for take, position in ((other, at), (outlook.take, -1), (outlook.take, 6 * STRETCH)):
        path = tmp_path / "state"
        path.touch()
        outlook.take_state(path, position, take)
        assert not path.exists()
        assert not outlook._marks


def test_no_more_states_of_the_sound_are_kept_than_a_few(outlook: Outlook, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dunefall.survey.outlook.MOST_STATES", 2)
    take = Take(demo(), RATE)
    outlook.look(take, SECONDS)
    paths = [outlook.place_of_state() for _ in range(3)]
    for k, path in enumerate(paths, 1):
        path.touch()
        outlook.take_state(path, k * STRETCH - 48000, take)
    assert outlook._marks == {2: paths[1], 3: paths[2]}
    assert [path.exists() for path in paths] == [False, True, True]
    outlook.look(take.with_entry(cutoff(2 * STRETCH + 10, 500.0)), SECONDS)
    assert outlook._marks == {2: paths[1]}
    assert list(outlook._states) == [2], "what holds no more is forgotten as a state, too"


def test_a_worker_that_is_killed_costs_a_moment() -> None:
    workers = Workers(1)
    outlook = Outlook(workers)
    try:
        outlook.look(Take(demo(), RATE), 3 * STRETCH / RATE)
        while not outlook.known.any():
            outlook.step()
            time.sleep(0.01)
        for pid in list(workers._executor._processes):  # type: ignore[union-attr, attr-defined]
            os.kill(pid, signal.SIGKILL)
        done(outlook)
        sound = render_to_array(demo(), seconds=3 * STRETCH / RATE)
        assert outlook.rest[2].digest == digest_of(sound[2 * STRETCH :])
    finally:
        outlook.close()


def test_checkpoints_keep_within_their_room(outlook: Outlook, monkeypatch: pytest.MonkeyPatch) -> None:
    outlook.look(Take(demo(), RATE), SECONDS)
    done(outlook)
    assert len(outlook._marks) == 6
    size = outlook._size
    monkeypatch.setattr("dunefall.survey.outlook.BUDGET_BYTES", 2 * size)
    outlook.look(Take(replace(demo(), seed=5), RATE), SECONDS)
    outlook._size = size
    done(outlook)
    assert len(outlook._marks) <= 2


def test_nothing_is_left_when_it_ends(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dunefall.survey.outlook.cache_folder", lambda name: tmp_path)
    (tmp_path / "999999-old").mkdir()
    outlook = Outlook(Here())
    outlook.look(Take(demo(), RATE), 2 * STRETCH / RATE)
    done(outlook)
    assert [folder.name.rpartition("-")[0] for folder in tmp_path.glob("*-*")] == [program_name(tmp_path)]
    outlook.close()
    assert [folder.name for folder in tmp_path.iterdir()] == ["running"]


def test_a_program_that_keeps_its_data_elsewhere_leaves_alone_what_others_keep(
    outlook: Outlook, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The cache is the same for both; its own data, where errors are written down, is not."""
    monkeypatch.setattr("dunefall.survey.outlook.cache_folder", lambda name: tmp_path)
    outlook.look(Take(demo(), RATE), 2 * STRETCH / RATE)
    outlook.step()
    other = """
import sys
from pathlib import Path
from dunefall.cli.survey import Here
from dunefall.survey import outlook
outlook.cache_folder = lambda name: Path(sys.argv[1])
print(outlook.Outlook(Here()).place_of_state())
"""
    told = subprocess.run(
        [sys.executable, "-c", other, str(tmp_path)],
        env=os.environ | {"DUNEFALL_DATA": str(tmp_path / "elsewhere")},
        check=True,
        capture_output=True,
        text=True,
    )
    assert str(tmp_path) in told.stdout
    done(outlook)
    assert all(path.exists() for path in outlook._marks.values())


@pytest.mark.parametrize("when", ["at once", "with one stretch known", "checkpoints"])
def test_what_is_kept_may_be_removed_at_any_time(
    when: str, outlook: Outlook, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Nobody depends on a cache: what is known stays, and the rest is the same as ever."""
    monkeypatch.setattr("dunefall.survey.outlook.cache_folder", lambda name: tmp_path)
    take = Take(demo(), RATE)
    outlook.look(take, SECONDS)
    while when != "at once" and not outlook.known.any():
        outlook.step()
    if when == "checkpoints":
        assert outlook._marks
        for path in outlook._marks.values():
            path.unlink()
    else:
        shutil.rmtree(outlook.place_of_state().parent)
    monkeypatch.setattr("dunefall.survey.stretch._under_way", None)  # as in a new worker
    done(outlook)
    sound = render_to_array(demo(), seconds=SECONDS)
    assert [outlook.rest[k].digest for k in range(6)] == [digest_of(part) for part in np.split(sound, 6)]
    assert outlook.ahead(5 * STRETCH).kept is not None
    shutil.rmtree(outlook.place_of_state().parent)
    assert read_known(outlook.ahead(5 * STRETCH).sounds, 5 * STRETCH, 1.0, RATE, layout_of("stereo")) is None


def test_where_no_folder_can_be_made_it_is_told(outlook: Outlook, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(**given: object) -> str:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("dunefall.survey.outlook.tempfile.mkdtemp", full)
    outlook.look(Take(demo(), RATE), SECONDS)
    outlook.step()
    assert outlook.trouble == "It cannot be looked at: No space left on device."


def test_its_sound_is_at_hand_around_the_playhead(outlook: Outlook, monkeypatch: pytest.MonkeyPatch) -> None:
    take = Take(demo(), RATE)
    outlook.look(take, SECONDS)
    done(outlook)
    at = 2 * STRETCH - 5000
    ahead = outlook.ahead(at)
    assert [file.begin // STRETCH for file in ahead.sounds] == [1, 2, 3]
    known = read_known(ahead.sounds, at, 4.0, RATE, layout_of("stereo"))
    assert known is not None
    sound, out = render_to_array(demo(), seconds=(at + 4 * RATE) / RATE), np.zeros((round(4 * RATE), MOST_CHANNELS))
    assert known.fill(out) == len(out)
    np.testing.assert_array_equal(out[:, :2], sound[at:].astype(np.float32))
    assert not out[:, 2:].any()
    outlook.look(take.with_entry(cutoff(3 * STRETCH + 10, 500.0)), SECONDS)
    assert [file.begin // STRETCH for file in outlook.ahead(at).sounds] == [1, 2], "the rest is another sound now"
    assert read_known(outlook.ahead(4 * STRETCH).sounds, 4 * STRETCH, 4.0, RATE, layout_of("stereo")) is None
    done(outlook)
    monkeypatch.setattr("dunefall.survey.outlook.SOUND_BYTES", 3 * STRETCH * 2 * 4)
    outlook.playhead = 5 * STRETCH
    outlook.look(take.with_entry(cutoff(5 * STRETCH + 10, 500.0)), SECONDS)
    done(outlook)
    assert not outlook.ahead(0).sounds, "far behind the playhead"
    assert outlook.ahead(5 * STRETCH).sounds
    names = {path.name for path in outlook._folder.iterdir() if path.name.endswith("sound")}  # type: ignore[union-attr]
    assert names == {file.path.name for file in outlook._sounds.values()}, "nothing else is left"


def test_a_full_disk_costs_time_and_nothing_else(outlook: Outlook, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(self: object, path: Path) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("dunefall.survey.stretch.Kept.write", full)
    monkeypatch.setattr("dunefall.survey.stretch.write_known", full)
    outlook.look(Take(demo(), RATE), 3 * STRETCH / RATE)
    done(outlook)
    assert not outlook._marks
    assert outlook.ahead(10**9) == outlook.ahead(0) == Ahead()
