"""Sends, keys, solos, effect lanes, loops and the master, as edits of a patch and as they sound."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from dunefall.base.errors import PatchError
from dunefall.catalogue.validate import check_patch
from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import same_structure
from dunefall.patch.changes import apply_changes, difference
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.mixing import (
    FAINT,
    MOST_EFFECTS,
    Way,
    effect_lanes,
    heard,
    key_of,
    master_of,
    mixed_layers,
    send_of,
    with_effect_lane,
    with_inserts,
    with_key,
    with_loop,
    with_master,
    with_moved_layer,
    with_send,
)
from dunefall.patch.model import MASTER_ID, Layer, Link, Module, Patch, Place
from dunefall.patch.take import Edit, Entry, Take
from dunefall.patch.takefiles import load_take, save_take
from dunefall.render.player import Player, glide
from rig import RATE, level_db


def two_layers() -> Patch:
    """A high tone at the left, a low one at the right."""
    layers = [Layer("shared", "Shared")]
    links = []
    for name, note, angle in (("high", 81.0, -90.0), ("low", 45.0, 90.0)):
        output = Module(f"{name}-output", "output", name, {"level_db": -12.0, "angle_deg": angle})
        layers.append(Layer(name, name, (Module(f"{name}-tone", "oscillator", name, {"pitch_note": note}), output)))
        links.append(Link(f"link-{name}", Place(f"{name}-tone", "out"), Place(output.id, "audio")))
    return Patch(layers=tuple(layers), links=tuple(links))


def levels(patch: Patch, seconds: float = 1.0) -> tuple[float, float]:
    """RMS of both sides in dB, after a tenth of a second."""
    check_patch(patch)
    out = np.zeros((round(seconds * RATE), 2))
    Player(compile_patch(patch, rate=RATE)).fill(out)
    return level_db(out[4800:, 0]), level_db(out[4800:, 1])


def test_mute_and_solo() -> None:
    patch = two_layers()
    left, right = levels(patch)
    assert levels(patch.with_param("high-output", "mute", 1.0))[0] < -150
    alone = levels(patch.with_param("low-output", "solo", 1.0))
    assert alone[0] < -150
    assert alone[1] == pytest.approx(right, abs=0.01)
    faint = levels(patch.with_param("low-output", "solo", 2.0))
    assert faint[0] == pytest.approx(left + 20 * math.log10(FAINT), abs=0.01)


def test_a_solo_is_a_change_of_values_that_glides() -> None:
    patch = two_layers()
    soloed = patch.with_param("low-output", "solo", 1.0)
    assert same_structure(patch, soloed)
    player = Player(compile_patch(patch, rate=RATE))
    out = np.zeros((9600, 2))
    player.fill(out)
    glide(patch, soloed)(player)
    player.fill(out)
    assert np.abs(np.diff(out[:, 0])).max() < 0.25 * 2 * np.pi * 880 / RATE * 1.05
    assert np.abs(out[-2000:, 0]).max() < 1e-9


def test_effects_are_heard_beside_a_solo() -> None:
    patch = with_effect_lane(two_layers(), "Hall", ("reverb",))
    lane = effect_lanes(patch)[0]
    patch = with_send(patch, patch.layer("low"), lane, 0.5).with_param("low-output", "solo", 1.0)
    assert heard(patch, patch.module(lane.output_id)) == 1.0
    assert heard(patch, patch.module("high-output")) == 0.0
    assert levels(patch)[0] > -60  # the hall stands at both sides


def test_a_send_comes_after_or_before_the_level() -> None:
    patch = with_effect_lane(two_layers(), "Echo", ("delay",))
    lane = effect_lanes(patch)[0]
    sent = with_send(patch, patch.layer("low"), lane, 0.5)
    link = send_of(sent, sent.layer("low"), lane)
    assert link is not None
    assert (link.source.port, link.amount) == ("out", 0.5)
    down = {"low-output": -96.0, "high-output": -96.0}
    for output, level in down.items():
        sent = sent.with_param(output, "level_db", level)
    assert levels(sent)[1] < -150
    before = with_send(sent, sent.layer("low"), lane, 0.5, before=True)
    assert levels(before)[1] > -40
    assert send_of(with_send(before, before.layer("low"), lane, 0.0), before.layer("low"), lane) is None
    assert levels(before.with_param("low-output", "mute", 1.0))[1] < -150


def test_ducking_makes_way_by_the_set_amount() -> None:
    patch = two_layers()
    _, right = levels(patch)
    patch = with_key(patch, patch.layer("low"), Place("high-tone", "out")).with_param("low-output", "duck_db", 9.0)
    assert key_of(patch, patch.layer("low")) == Place("high-tone", "out")
    assert levels(patch)[1] == pytest.approx(right - 9.0, abs=0.2)
    assert levels(with_key(patch, patch.layer("low"), None))[1] == pytest.approx(right, abs=0.01)


def test_two_layers_may_make_way_for_each_other() -> None:
    patch = two_layers()
    patch = with_key(patch, patch.layer("low"), Place("high-output", "out"))
    patch = with_key(patch, patch.layer("high"), Place("low-output", "out"))
    assert all(math.isfinite(level) for level in levels(patch))


def test_far_away_a_layer_is_softer_but_sends_as_much() -> None:
    near = with_effect_lane(two_layers(), "Hall", ("reverb",))
    near = with_send(near, near.layer("low"), effect_lanes(near)[0], 0.5).with_param("high-output", "mute", 1.0)
    far = near.with_param("low-output", "distance_m", 16.0)
    dry = {lane.output_id: 1.0 for lane in effect_lanes(near)}
    muted = [patch.with_param(next(iter(dry)), "mute", 1.0) for patch in (near, far)]
    assert levels(muted[1])[1] == pytest.approx(levels(muted[0])[1] - 16.0, abs=0.5)  # 4 dB at each doubling
    assert levels(far)[0] == pytest.approx(levels(near)[0], abs=0.5)  # the hall, at the left


def test_the_master_works_on_the_whole_mix() -> None:
    patch = with_master(two_layers())
    assert with_master(patch) is patch
    master = master_of(patch)
    assert master is not None
    left, right = levels(two_layers())
    lower = patch.with_param(master.id, "level_db", -10.0)
    assert levels(lower) == pytest.approx((left - 10, right - 10), abs=0.01)
    dull = patch.with_param(master.id, "high_hz", 500.0).with_param(master.id, "high_db", -18.0)
    assert levels(dull)[0] < left - 10
    assert levels(dull)[1] == pytest.approx(right, abs=1.0)


def test_effect_lanes_are_limited_and_survive_a_file() -> None:
    patch = two_layers()
    for k in range(MOST_EFFECTS):
        patch = with_effect_lane(patch, f"Lane {k}", ("chorus",))
    with pytest.raises(PatchError, match="effect lanes already"):
        with_effect_lane(patch, "One more", ("chorus",))
    again = parse_patch(dump_patch(patch).encode())
    assert again == patch
    assert [layer.name for layer in effect_lanes(again)] == [f"Lane {k}" for k in range(MOST_EFFECTS)]
    assert [layer.name for layer in mixed_layers(again)] == ["high", "low"]


def test_layers_move_among_their_kind() -> None:
    patch = with_effect_lane(two_layers(), "Hall", ("reverb",))
    moved = with_moved_layer(patch, "low", -1)
    assert [layer.id for layer in mixed_layers(moved)] == ["low", "high"]
    assert with_moved_layer(moved, "low", -1).layers == moved.layers


def test_a_drawn_loop_moves_the_place_as_it_was_drawn() -> None:
    loop = [(0.5 * k, 40 * math.sin(k), 6.0 + 3 * math.cos(k)) for k in range(9)]
    patch = with_loop(two_layers(), two_layers().layer("low"), loop)
    check_patch(patch)
    output = patch.module("low-output")
    gesture = next(m for m in patch.modules() if m.type == "gesture")
    assert gesture.params["length_s"] == pytest.approx(4.0)
    for k, (_, angle, distance) in enumerate(loop):
        assert 180 * gesture.series["path_x"][k] == pytest.approx(angle, abs=0.02)
        place = output.params["distance_m"] * 2 ** (4 * gesture.series["path_y"][k])
        assert place == pytest.approx(distance, rel=0.002)
    assert output.params["distance_m"] == pytest.approx(math.sqrt(3.0 * 9.0), rel=0.02), "the geometric middle"
    again = with_loop(patch, patch.layer("low"), loop)
    assert len([link for link in again.links if link.target.module == "low-output"]) == 3


def test_when_a_loop_was_drawn_does_not_matter() -> None:
    loop = [(0.5 * k, 30 + 40 * math.sin(k), 6.0 + 3 * math.cos(k)) for k in range(9)]
    later = [(seconds + 7.25, angle, distance) for seconds, angle, distance in loop]
    first, second = (with_loop(two_layers(), two_layers().layer("low"), drawn) for drawn in (loop, later))
    assert first == second
    path = next(m for m in first.modules() if m.type == "gesture").series["path_x"]
    assert [180 * x for x in path] == pytest.approx([angle for _, angle, _ in loop], abs=0.02)


def test_a_loop_from_the_nearest_to_far_away_keeps_both_ends() -> None:
    """Four octaves each way from the geometric middle (arithmetic): 0.5 to 100 m are 7.6."""
    loop = [(0.0, 0.0, 0.5), (2.0, 90.0, 100.0), (4.0, 0.0, 0.5)]
    patch = with_loop(two_layers(), two_layers().layer("low"), loop)
    middle = patch.module("low-output").params["distance_m"]
    away = next(m for m in patch.modules() if m.type == "gesture").series["path_y"]
    assert middle * 2 ** (4 * min(away)) == pytest.approx(0.5, rel=0.02)
    assert middle * 2 ** (4 * max(away)) == pytest.approx(100.0, rel=0.02)


def test_all_of_the_mix_is_in_the_journal(tmp_path: Path) -> None:
    """Level, mute, solo, places, ducking, sends, lanes and the master: as changes, in a file, and played again."""
    before = two_layers()
    after = with_effect_lane(before, "Hall", ("reverb",))
    after = with_send(after, after.layer("low"), effect_lanes(after)[0], 0.5)
    after = with_key(after, after.layer("low"), Place("high-output", "before"))
    after = with_master(after).with_param("high-output", "solo", 2.0).with_param("low-output", "mute", 1.0)
    after = after.with_param("high-output", "distance_m", 5.0).with_param("high-output", "level_db", -20.0)
    changes = difference(before, after)
    again = apply_changes(before, changes)
    heard_of = tuple(replace(layer, folded=False) for layer in after.layers)  # folds are no matter of sound
    assert again.layers == heard_of
    assert sorted(again.links, key=lambda link: link.id) == sorted(after.links, key=lambda link: link.id)
    take = Take(before, 48000.0).with_entry(Entry(4800, Edit(changes)))
    save_take(take, tmp_path / "mix.dunetake")
    loaded = load_take(tmp_path / "mix.dunetake")
    assert loaded.entries == take.entries
    assert loaded.patch_at(9600).layers == heard_of


def test_a_loop_round_the_listener_keeps_turning_and_has_few_handles() -> None:
    """Drawn once round with 200 places, as a mouse gives them: it crosses straight behind without going back."""
    dice = np.random.default_rng(4)
    loop = []
    for k in range(201):
        angle = (k / 200 * 360 + 180) % 360 - 180 + dice.normal(0, 0.6)
        loop.append((0.02 * k, (angle + 180) % 360 - 180, 5.0 + 0.3 * math.sin(k / 30)))
    patch = with_loop(two_layers(), two_layers().layer("low"), loop)
    gesture = next(module for module in patch.modules() if module.type == "gesture")
    path = np.array(gesture.series["path_x"])
    assert gesture.params["turning"] == 1.0
    assert len(path) <= 32
    turns = np.unwrap(path * np.pi)
    assert (np.diff(turns) > 0).all()
    assert turns[-1] - turns[0] == pytest.approx(2 * np.pi, abs=0.2)


def test_a_place_out_of_reach_is_brought_to_its_edge() -> None:
    """A gesture's course ends at -1 and 1, whatever is dragged where."""
    way = Way("g", ((0.0, 2.0),), (0.0, 2.0), (90.0, 2.0))
    assert way.paths([(45.0, 4.0), (200.0, 100.0), (-200.0, 0.01)]) == {
        "path_x": (0.5, 1.0, -1.0), "path_y": (0.5, 1.0, -1.0),
    }  # fmt: skip


def test_a_master_that_comes_back_leaves_what_else_is_in_its_lane() -> None:
    """It took the whole lane's place: a link began at a module that was gone, and the saved patch could not be read."""
    patch = with_inserts(two_layers())
    sway = Module("sway", "lfo", "Sway")
    patch = patch.with_new_module(MASTER_ID, sway)
    patch = patch.with_link(Link("s", Place("sway", "out"), Place("high-output", "level_db"), 3.0))
    again = with_master(patch.without_module("master-strip"))
    assert {module.type for module in again.layer(MASTER_ID).modules} == {"whole-mix", "lfo", "master"}
    assert parse_patch(dump_patch(again).encode()) == again
