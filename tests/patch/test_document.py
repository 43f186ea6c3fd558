"""The document: undo and redo of everything, merging of one movement, events."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dunefall.base.errors import PatchError
from dunefall.patch.document import MOST_STEPS, Document
from dunefall.patch.model import Layer, Module, Patch, Place
from rig import demo


def test_undo_and_redo() -> None:
    document = Document(demo())
    first = document.patch
    document.edit("Change title", replace(first, title="Other"))
    assert document.undo_label == "Change title"
    assert document.modified
    document.undo()
    assert document.patch is first
    assert not document.modified
    document.redo()
    assert document.patch.title == "Other"


def test_one_movement_is_one_step() -> None:
    document = Document(demo())
    for value in (100.0, 200.0, 300.0):
        document.edit("Drag", document.patch.with_param("fog-air-band", "cutoff_hz", value), merge="m")
    document.end_merge()
    document.edit("Drag", document.patch.with_param("fog-air-band", "cutoff_hz", 400.0), merge="m")
    document.undo()
    assert document.patch.module("fog-air-band").params["cutoff_hz"] == 300.0
    document.undo()
    assert document.patch == demo()


def test_one_event_per_edit_and_none_without_effect() -> None:
    document = Document(demo())
    heard: list[tuple[Patch, Patch]] = []
    document.changed.connect(lambda before, after: heard.append((before, after)))
    document.edit("Nothing", replace(document.patch))
    assert heard == []
    document.edit("Tempo", replace(document.patch, tempo_bpm=100.0))
    assert [(before.tempo_bpm, after.tempo_bpm) for before, after in heard] == [(92.0, 100.0)]


@given(st.lists(st.integers(0, 5), min_size=1, max_size=12))
def test_undoing_all_gives_the_first_patch(kinds: list[int]) -> None:
    document = Document(demo())
    for number, kind in enumerate(kinds):
        patch = document.patch
        modules = [module.id for module in patch.modules()]
        edits = [
            lambda p: replace(p, seed=p.seed + 1),
            lambda p, m=modules: p.without_module(m[0]) if m else p,
            lambda p: p.without_link(p.links[0].id) if p.links else p,
            lambda p, n=number: p.with_layer(Layer(p.free_id("layer"), f"L{n}")),
            lambda p, n=number: p.with_new_module("shared", Module(p.free_id("lfo"), "lfo", f"M{n}")),
            lambda p: replace(p, tempo_bpm=p.tempo_bpm + 1),
        ]
        document.edit("Edit", edits[kind](patch))
    last = document.patch
    for _ in kinds:
        document.undo()
    assert document.patch == demo()
    for _ in kinds:
        document.redo()
    assert document.patch == last


def test_removing_a_module_removes_its_links_and_pins() -> None:
    patch = demo().without_module("drip-line-slew")
    assert all("drip-line-slew" not in (link.source.module, link.target.module) for link in patch.links)
    assert Place("drip-line-slew", "out") not in patch.pins
    with pytest.raises(PatchError, match='no module "drip-line-slew"'):
        patch.module("drip-line-slew")


def test_what_is_only_kept_for_undo_is_small_and_not_without_end() -> None:
    """Each step held a patch with all its indexes: 25 kB; an hour of a turning controller has 72,000 of them."""
    document = Document(demo())
    for k in range(MOST_STEPS + 10):
        document.patch.links_into("drip-line-low-pass")
        document.edit("Turn", document.patch.with_param("drip-line-low-pass", "cutoff_hz", 500.0 + k))
    assert len(document._done) == MOST_STEPS
    assert not [step for step in document._done if "_ends" in step.before.__dict__]
    document.undo()
    assert document.patch.links_into("drip-line-low-pass") == demo().links_into("drip-line-low-pass")
