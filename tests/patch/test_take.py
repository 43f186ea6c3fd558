"""Changes and takes: difference and sum, journals that can be corrected, files."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dunefall.base.errors import ParameterError, PatchError, StorageError
from dunefall.patch.changes import Change, ParamSet, TempoSet, apply_changes, difference
from dunefall.patch.files import dump_patch, load_patch, parse_patch, save_patch
from dunefall.patch.model import KeptTake, Layer, Link, Module, Patch, Place
from dunefall.patch.take import END, Clear, Edit, Entry, Heard, Note, Press, Take, first_difference
from dunefall.patch.takefiles import dump_take, load_take, parse_take, save_take
from rig import demo


def wild_patch(seed: int, start: Patch) -> Patch:
    """A patch some random edits away."""
    generator = np.random.default_rng(seed)
    patch = start
    for k in range(int(generator.integers(1, 12))):
        modules, layers = list(patch.modules()), list(patch.layers)
        module = modules[generator.integers(len(modules))]
        kind = generator.integers(12)
        if kind == 0:
            patch = patch.without_module(module.id) if "output" not in module.id else patch
        elif kind == 1:
            patch = patch.with_new_module(
                layers[generator.integers(len(layers))].id, Module(f"n{seed}-{k}", "lfo", "N")
            )
        elif kind == 2:
            patch = patch.with_param(module.id, "rate_hz", float(generator.uniform(0.1, 5)))
        elif kind == 3:
            patch = patch.with_module(replace(module, params={}, bypassed=not module.bypassed))
        elif kind == 4 and patch.links:
            patch = patch.without_link(patch.links[generator.integers(len(patch.links))].id)
        elif kind == 5:
            ends = [modules[generator.integers(len(modules))].id for _ in range(2)]
            patch = patch.with_link(Link(f"x{seed}-{k}", Place(ends[0], "out"), Place(ends[1], "audio"), 0.5))
        elif kind == 6 and patch.links:
            link = patch.links[generator.integers(len(patch.links))]
            patch = patch.with_link(replace(link, amount=float(generator.normal()), on=not link.on))
        elif kind == 7:
            patch = replace(patch, tempo_bpm=float(generator.integers(40, 200)), seed=int(generator.integers(1000)))
        elif kind == 8 and len(layers) > 2:
            patch = patch.without_layer(layers[-1].id)
        elif kind == 9:
            order = [0, *(1 + generator.permutation(len(layers) - 1))]
            patch = replace(patch, layers=tuple(layers[i] for i in order))
        elif kind == 10:
            layer = layers[generator.integers(len(layers))]
            patch = patch.with_layer(replace(layer, modules=layer.modules[::-1], voices=int(generator.integers(1, 5))))
        else:
            patch = replace(patch, links=patch.links[::-1])
    return patch


@settings(max_examples=150, deadline=None)
@given(st.integers(0, 10**6))
def test_a_patch_and_its_difference_give_the_other(seed: int) -> None:
    before = wild_patch(seed, demo())
    after = wild_patch(seed + 1, before)
    assert apply_changes(before, difference(before, after)) == after
    assert difference(after, after) == ()


def test_small_edits_give_small_differences() -> None:
    patch = demo()
    moved = patch.with_param("drip-line-echo", "time_s", 0.3)
    assert difference(patch, moved) == (ParamSet("drip-line-echo", "time_s", 0.3),)
    folded = patch.with_layer(replace(patch.layers[1], folded=not patch.layers[1].folded))
    assert difference(patch, replace(folded, title="X", pins=())) == ()


def test_changes_to_what_is_not_there_change_nothing() -> None:
    changes = difference(demo(), wild_patch(5, demo().with_param("drip-line-echo", "mix", 0.1)))
    assert apply_changes(Patch(), [c for c in changes if isinstance(c, ParamSet)]) == Patch()


def test_a_journal_can_be_corrected() -> None:
    take = Take(demo())
    take = take.with_entry(Entry(480, Edit((TempoSet(100.0),))))
    take = take.with_entry(Entry(100, Edit((TempoSet(80.0),)))).with_entry(Entry(480, Note("k", 60.0, 0.5)))
    assert [entry.at for entry in take.entries] == [100, 480, 480]
    assert isinstance(take.entries[2].what, Note)
    assert take.patch_at(100).tempo_bpm == 92.0
    assert take.patch_at(101).tempo_bpm == 80.0
    assert take.patch_at(10**9).tempo_bpm == 100.0
    assert take.without_entry(1).patch_at(10**9).tempo_bpm == 80.0
    assert take.with_entry_moved(0, 900).patch_at(10**9).tempo_bpm == 80.0
    assert take.until(480).entries == take.entries[:1]
    assert [entry.at for entry in take.at_rate(96000.0).entries] == [200, 960, 960]
    with pytest.raises(ParameterError, match="sample 0 or later; got -1"):
        take.with_entry(Entry(-1, Clear()))


def whole_take() -> Take:
    """A take with every kind of entry."""
    start = demo()
    take, patch = Take(start, 44100.0), start
    for k in range(12):
        after = wild_patch(k, patch)
        take = take.with_entry(Entry(1000 * k, Edit(difference(patch, after))))
        patch = after
    for what in (Note("keys", 61.5, 0.25), Press("drip-line-hold", "trigger", True), Clear(), Clear("drip-line-echo")):
        take = take.with_entry(Entry(50_000, what))
    gone = patch.without_layer(patch.layers[-1].id).with_layer(Layer("new", "New", voices=3, spread=0.25, meet="m"))
    return take.with_entry(Entry(60_000, Edit(difference(patch, gone))))


def test_files_give_the_take_back(tmp_path: Path) -> None:
    take = whole_take()
    path = tmp_path / "a.dunetake"
    save_take(take, path)
    assert load_take(path) == take
    assert dump_take(load_take(path)) == path.read_text()
    with pytest.raises(StorageError, match="cannot read"):
        load_take(tmp_path / "none.dunetake")
    with pytest.raises(StorageError, match="the old file is unchanged"):
        save_take(take, tmp_path / "no" / "a.dunetake")


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda raw: raw.pop("kind"), "does not hold a take"),
        (lambda raw: raw.update(rate_hz=7), "must be 8000 to 192000 Hz; got 7"),
        (lambda raw: raw["entries"][1].update(at=-5), "must not be earlier than the entry before it"),
        (lambda raw: raw["entries"][0].update(do=[]), "needs at least one action"),
        (lambda raw: raw["entries"][0].update(do=[{"what": 1}]), "this action is not known: what"),
        (lambda raw: raw["entries"][0].update(do=[{"set": "nodot", "to": 1}]), 'needs "module.port"'),
        (lambda raw: raw["entries"][0].update(do=[{"set": "a.b", "to": "x"}]), "needs a number"),
        (lambda raw: raw["start"].update(seed=-1), "start"),
        (lambda raw: raw["entries"].append({"at": 10**6, "do": [{"put_layer": {"id": "x", "name": "", "voices": 99}}]}),
         "must be 1 to 16; got 99"),
    ],
)  # fmt: skip
def test_broken_takes_are_refused_with_the_place(change: object, told: str) -> None:
    raw = json.loads(dump_take(whole_take()))
    change(raw)  # type: ignore[operator]
    with pytest.raises(PatchError, match=told):
        parse_take(json.dumps(raw).encode())


def test_a_muted_entry_stays_and_does_nothing() -> None:
    take = Take(demo()).with_entry(Entry(480, Edit((TempoSet(100.0),)))).with_entry(Entry(900, Edit((TempoSet(80.0),))))
    muted = take.with_entry_replaced(1, replace(take.entries[1], muted=True))
    assert muted.patch_at(10**9).tempo_bpm == 100.0
    assert muted.sounding == take.entries[:1]
    assert parse_take(dump_take(muted).encode()) == muted
    assert first_difference(take, muted) == 900
    assert first_difference(take.until(900), muted) == END, "it sounds as one without the entry"


def test_the_first_difference_of_two_takes() -> None:
    take = whole_take()
    assert first_difference(take, replace(take)) == END
    assert first_difference(take, take.without_entry(3)) == 3000
    assert first_difference(take, take.with_entry_moved(5, 4500)) == 4500
    assert first_difference(take, take.until(7000)) == 7000
    assert first_difference(take, replace(take, start=demo().with_param("drip-line-echo", "mix", 0.1))) == 0
    assert first_difference(take, replace(take, start=replace(take.start, title="Another"))) == END
    assert first_difference(take, take.at_rate(48000.0)) == 0


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10**6), st.lists(st.integers(0, 3000), max_size=12))
def test_changes_at_once_are_changes_one_by_one(seed: int, cuts: list[int]) -> None:
    """Values are set together where nothing else comes between; that must not be seen."""
    changes, patch = list[Change](), demo()
    for k in range(4):
        after = wild_patch(seed + k, patch)
        changes += difference(patch, after)
        changes += [
            ParamSet(module.id, "level_db", float(cut)) for module, cut in zip(after.modules(), cuts, strict=False)
        ]
        patch = apply_changes(patch, changes)
    one_by_one = demo()
    for change in changes:
        one_by_one = apply_changes(one_by_one, [change])
    assert apply_changes(demo(), changes) == one_by_one


def test_takes_are_kept_in_the_file_of_the_patch(tmp_path: Path) -> None:
    """As changes from the patch of the file, which may have gone on since."""
    take = whole_take()
    patch = replace(wild_patch(77, demo()), takes=(KeptTake("Take 1", take), KeptTake("Dusk", Take(demo()))))
    save_patch(patch, tmp_path / "a.dunefall")
    opened = load_patch(tmp_path / "a.dunefall")
    assert [kept.name for kept in opened.takes] == ["Take 1", "Dusk"]
    for ours, theirs in zip(opened.takes, patch.takes, strict=True):
        assert first_difference(ours.take, theirs.take) == END
        assert ours.take.entries == theirs.take.entries
    assert replace(opened, takes=()) == replace(patch, takes=())
    save_patch(opened, tmp_path / "b.dunefall")
    assert (tmp_path / "b.dunefall").read_text() == (tmp_path / "a.dunefall").read_text()
    assert "takes" not in json.loads(dump_patch(demo())), "a patch without takes is as before"


def test_recordings_of_kept_takes_go_beside_the_patch(tmp_path: Path) -> None:
    recording = tmp_path / "state" / "voice.au"
    recording.parent.mkdir()
    recording.write_bytes(b"sound")
    take = Take(demo()).with_entry(Entry(0, Heard(str(recording))))
    patch = replace(demo(), takes=(KeptTake("One", take), KeptTake("Two/..", take)))
    save_patch(patch, tmp_path / "a.dunefall")
    recording.unlink()
    opened = load_patch(tmp_path / "a.dunefall")
    for kept in opened.takes:
        what = kept.take.entries[0].what
        assert isinstance(what, Heard)
        assert Path(what.recording).read_bytes() == b"sound"
        assert Path(what.recording).parent == tmp_path
    save_patch(patch, tmp_path / "b.dunefall")  # what is gone does not hinder saving
    raw = json.loads((tmp_path / "a.dunefall").read_text())
    raw["takes"][0]["entries"][0]["do"][0]["live"] = "../../etc/passwd"
    (tmp_path / "c.dunefall").write_text(json.dumps(raw))
    with pytest.raises(PatchError, match="must be beside"):
        load_patch(tmp_path / "c.dunefall")


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda kept: kept.pop("name"), r'takes\[0\]: the field "name" is missing'),
        (lambda kept: kept.update(rate_hz="x"), r"takes\[0\].rate_hz: needs a number"),
        (lambda kept: kept["entries"][1].update(at=-1), r"takes\[0\].entries\[1\].at: must not be earlier"),
        (lambda kept: kept["entries"][1].update(muted=1), r"takes\[0\].entries\[1\].muted: needs true or false"),
        (lambda kept: kept.update(start=[{"what": 1}]), "this action is not known"),
    ],
)  # fmt: skip
def test_a_broken_kept_take_is_refused_with_its_place(change: object, told: str) -> None:
    raw = json.loads(dump_patch(replace(demo(), takes=(KeptTake("Take 1", whole_take()),))))
    change(raw["takes"][0])  # type: ignore[operator]
    with pytest.raises(PatchError, match=told):
        parse_patch(json.dumps(raw).encode())
