"""Stretches are what is rendered, bit for bit, from wherever they begin; their events are those of the sound."""

from __future__ import annotations

import pickle
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from bench.faults import FAULTS

from dunefall.deliver.events import heard_events
from dunefall.deliver.job import Source
from dunefall.patch.changes import ParamSet, difference
from dunefall.patch.model import Module, Patch
from dunefall.patch.take import Edit, Entry, Take
from dunefall.render.offline import render_to_array
from dunefall.survey import stretch
from dunefall.survey.listening import BIN
from dunefall.survey.places import trigger_places
from dunefall.survey.stretch import STRETCH, Kept, Order, Stretch, digest_of, hear
from rig import demo

RATE = 48000


def written(take: Take, folder: Path) -> Path:
    path = folder / "take"
    path.write_bytes(pickle.dumps(take))
    return path


def heard(path: Path, count: int, *, kept: Path | None = None, keep_at: int = -1, first: int = 0) -> list[Stretch]:
    found = []
    for k in range(first, first + count):
        begins = kept if k == first and first else None
        made = hear(Order(path, k * STRETCH, begins, kept if k == keep_at else None))
        assert isinstance(made, Stretch), made
        found.append(made)
    return found


def edited(patch: Patch) -> Take:
    """A take with a value that moves, and with a module more, later."""
    moved = (ParamSet("drip-line-low-pass", "cutoff_hz", 2400.0),)
    more = patch.with_new_module("drip-line", Module("more", "lfo", "More"))
    return Take(patch, RATE, (Entry(30_000, Edit(moved)), Entry(STRETCH + 777, Edit(difference(patch, more)))))


def test_stretches_are_what_is_rendered(tmp_path: Path) -> None:
    for take in (Take(demo(), RATE), edited(demo())):
        found = heard(written(take, tmp_path), 3)
        sound = render_to_array(take, seconds=3 * STRETCH / RATE)
        assert [one.digest for one in found] == [digest_of(part) for part in np.split(sound, 3)]
        np.testing.assert_allclose(found[0].figures.offset.mean(), sound[:STRETCH].mean(), atol=1e-7)
        (tmp_path / "take").unlink()
        stretch._under_way = None


def test_from_a_checkpoint_all_is_the_same(tmp_path: Path) -> None:
    path, kept = written(edited(demo()), tmp_path), tmp_path / "kept"
    straight = heard(path, 4, kept=kept, keep_at=1)
    assert straight[1].kept
    stretch._under_way = None
    again = heard(path, 2, kept=kept, first=2)
    for one, other in zip(straight[2:], again, strict=True):
        assert one.digest == other.digest
        assert one.figures.notes == other.figures.notes
        for name in ("bands", "energy", "folded", "peak"):
            np.testing.assert_array_equal(getattr(one.figures, name), getattr(other.figures, name))
        for layer, figures in one.figures.layers.items():
            np.testing.assert_array_equal(figures.triggers, other.figures.layers[layer].triggers)
    assert Kept.read(kept).checkpoint.position == 2 * STRETCH


@pytest.mark.parametrize("value", [("fog-air-output", "level_db", -20.0), ("drip-line-echo", "feedback", 0.7)])
def test_a_constant_that_was_edited_is_what_it_became(value: tuple[str, str, float], tmp_path: Path) -> None:
    """Many inputs share the row of one constant: an edited one has its own, from a checkpoint and in the next take."""
    take, kept = Take(demo(), RATE, (Entry(30_000, Edit((ParamSet(*value),))),)), tmp_path / "kept"
    sound = render_to_array(take, seconds=3 * STRETCH / RATE)
    straight = heard(written(take, tmp_path), 3, kept=kept, keep_at=0)
    assert [one.digest for one in straight] == [digest_of(part) for part in np.split(sound, 3)]
    stretch._under_way = None
    again = heard(tmp_path / "take", 2, kept=kept, first=1)
    assert [one.digest for one in again] == [one.digest for one in straight[1:]]
    (tmp_path / "plain").mkdir()
    stretch._under_way = None
    plain = heard(written(Take(demo(), RATE), tmp_path / "plain"), 1)
    assert plain[0].digest == digest_of(render_to_array(demo(), seconds=STRETCH / RATE))


def test_a_checkpoint_serves_a_take_that_goes_on_otherwise(tmp_path: Path) -> None:
    """What is watched may be more than at the time of the checkpoint."""
    before, kept = Take(demo(), RATE), tmp_path / "kept"
    heard(written(before, tmp_path), 1, kept=kept, keep_at=0)
    patch = demo()
    after = patch.with_new_module("fog-air", Module("more", "clock", "More"))
    take = Take(patch, RATE, (Entry(STRETCH + 5000, Edit(difference(patch, after))),))
    (tmp_path / "other").mkdir()
    stretch._under_way = None
    found = heard(written(take, tmp_path / "other"), 1, kept=kept, first=1)[0]
    sound = render_to_array(take, seconds=2 * STRETCH / RATE)
    assert found.digest == digest_of(sound[STRETCH:])


def test_triggers_are_those_that_the_export_finds(tmp_path: Path) -> None:
    patch = demo()
    found = heard(written(Take(patch, RATE), tmp_path), 2)
    layer = patch.layer("drip-line")
    places = trigger_places(patch, layer)
    assert places
    events = heard_events(Source.of(patch), places, rate=RATE, seconds=2 * STRETCH / RATE)
    bins = {int(event.on_s * RATE) // BIN for event in events}
    ours = np.concatenate([one.figures.layers["drip-line"].triggers for one in found])
    assert set(np.flatnonzero(ours).tolist()) == bins


def test_layers_levels_are_what_they_give(tmp_path: Path) -> None:
    patch = demo()
    found = heard(written(Take(patch, RATE), tmp_path), 1)[0]
    for layer in patch.layers[1:]:
        only = replace(
            patch, layers=tuple(other for other in patch.layers if other.id in ("shared", layer.id, "master"))
        )
        inside = {module.id for other in only.layers for module in other.modules}
        links = tuple(x for x in patch.links if x.source.module in inside and x.target.module in inside)
        if layer.id not in found.figures.layers or len(only.layers) < 2:
            continue
        sound = render_to_array(replace(only, links=links, pins=()), seconds=STRETCH / RATE)
        level = np.abs(sound).reshape(-1, BIN * sound.shape[1]).max(axis=1)
        np.testing.assert_allclose(found.figures.layers[layer.id].level, level, rtol=1e-5, atol=1e-7)


def test_a_click_is_told_with_its_module(tmp_path: Path) -> None:
    fault = next(fault for fault in FAULTS if fault.kind == "click")
    found = heard(written(Take(fault.patch, RATE), tmp_path), 4)
    clicks = [click for one in found for click in one.clicks]
    assert clicks
    assert {click.module for click in clicks} == {"hold"}
    assert clicks[0].softens


def test_what_cannot_be_looked_at_is_said(tmp_path: Path) -> None:
    answer = hear(Order(tmp_path / "nothing", 0))
    assert isinstance(answer, str)
    assert answer.startswith("It cannot be looked at")


@pytest.fixture(autouse=True)
def _forget() -> None:
    stretch._under_way = None
