"""What the mix asks of the compiler: values that follow from solos, memory by a value, where the master stands."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dunefall.catalogue import spec_of
from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import same_structure, value_changes
from dunefall.compiler.takeover import Takeover
from dunefall.patch.mixing import with_effect_lane, with_key, with_master, with_send
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from dunefall.render.player import Player
from rig import RATE, level_db, patch_of


def layers(count: int) -> Patch:
    """Layers of a tone each."""
    made, links = [Layer("shared", "Shared")], []
    for k in range(count):
        output = Module(f"l{k}-output", "output", f"L{k}", {"level_db": -12.0})
        tone = Module(f"t{k}", "oscillator", f"T{k}", {"pitch_note": 45.0 + 7 * k})
        made.append(Layer(f"l{k}", f"L{k}", (tone, output)))
        links.append(Link(f"x{k}", Place(tone.id, "out"), Place(output.id, "audio")))
    return Patch(layers=tuple(made), links=tuple(links))


def test_a_solo_changes_what_is_heard_of_all_others() -> None:
    patch = layers(4)
    soloed = patch.with_param("l2-output", "solo", 1.0)
    changes = value_changes(patch, soloed)
    assert {key: value for key, value in changes.items() if key[1] == "heard"} == {
        (f"l{k}-output", "heard"): 0.0 for k in (0, 1, 3)
    }
    back = value_changes(soloed, patch)
    assert all(value == 1.0 for key, value in back.items() if key[1] == "heard")


def test_the_master_runs_last_whatever_its_layer_s_place() -> None:
    patch = with_master(layers(3))
    moved = replace(patch, layers=(patch.layers[0], patch.layers[-1], *patch.layers[1:-1]))
    for arranged in (patch, moved):
        program = compile_patch(arranged, rate=RATE)
        assert program.module_at["master-strip"] == len(program.module_at) - 1
        assert "master-strip" in program.sounding


@pytest.mark.parametrize(("span", "seconds"), [(0.0, 0.05), (1.0, 2.5), (2.0, 20.0), (3.0, 20.0)])
def test_a_delay_takes_as_much_memory_as_its_range_asks_for(span: float, seconds: float) -> None:
    spec = spec_of("delay")
    assert spec is not None
    assert spec.memory_size({"span": span}, RATE) == pytest.approx(2 * seconds * RATE, rel=0.05)
    patch = patch_of(Module("d", "delay", "D", {"span": span}))
    program = compile_patch(patch, rate=RATE, probed=[Place("d", "out")])
    assert int(program.plan.modules[0]["memory_size"]) == spec.memory_size({"span": span}, RATE)


def test_another_range_is_a_cross_faded_change_of_structure() -> None:
    def echo(span: float) -> Patch:
        modules = (
            Module("o", "oscillator", "O", {"pitch_note": 57.0}),
            Module("d", "delay", "D", {"span": span, "time_s": 0.3, "long_s": 0.3, "dry": 0.7, "wet": 0.5}),
            Module("a-output", "output", "A", {"level_db": -6.0, "angle_deg": -90.0}),
        )
        return patch_of(*modules, links=(("o.out", "d.audio", 1.0), ("d.out", "a-output.audio", 1.0)))

    first, second = echo(1.0), echo(2.0)
    assert not same_structure(first, second)
    player = Player(compile_patch(first, rate=RATE))
    out = np.zeros((48000, 2))
    player.fill(out)
    own = np.abs(np.diff(out[24000:, 0])).max()
    program = compile_patch(second, rate=RATE)
    player.swap(program, None, Takeover(program, player.program))
    after = np.zeros((48000, 2))
    player.fill(after)
    joined = np.concatenate([out[-1:, 0], after[:, 0]])
    assert np.abs(np.diff(joined)).max() < 1.3 * own


def test_another_place_is_a_change_of_structure_of_a_convolution() -> None:
    one, other = (patch_of(Module("c", "convolution", "C", {"place": place})) for place in (4.0, 11.0))
    assert not same_structure(one, other)
    assert same_structure(one, one.with_param("c", "wet", 0.9))


def test_outputs_of_a_layer_that_nobody_uses_cost_nothing() -> None:
    patch = layers(1)
    program = compile_patch(patch, rate=RATE)
    rows = {port for module, port in program.row_at if module == "l0-output"}
    assert rows == {"left", "right"}
    lane = with_effect_lane(patch, "Hall", ("reverb",))
    sent = with_send(lane, lane.layer("l0"), lane.layers[-1], 0.5)
    rows = {port for module, port in compile_patch(sent, rate=RATE).row_at if module == "l0-output"}
    assert rows == {"left", "right", "out"}
    watched = compile_patch(patch, rate=RATE, probed=[Place("l0-output", "peak")])
    assert ("l0-output", "peak") in watched.row_at


def test_keys_in_a_circle_run_sample_by_sample_and_stay_finite() -> None:
    patch = layers(3)
    for k in range(3):
        patch = with_key(patch, patch.layer(f"l{k}"), Place(f"l{(k + 1) % 3}-output", "out"))
    program = compile_patch(patch, rate=RATE)
    assert program.plan.parts[:, 2].any()
    out = np.zeros((9600, 2))
    Player(program).fill(out)
    assert np.isfinite(out).all()
    assert level_db(out[:, 0]) > -60


def test_a_send_goes_to_the_right_side_as_to_the_left() -> None:
    patch = layers(1).with_param("l0-output", "angle_deg", 0.0)
    lane = with_effect_lane(patch, "Echo", ("delay",))
    sent = with_send(lane, lane.layer("l0"), lane.layers[-1], 1.0).with_param("l0-output", "level_db", -40.0)
    out = np.zeros((96000, 2))
    Player(compile_patch(sent, rate=RATE)).fill(out)
    assert level_db(out[48000:, 0]) == pytest.approx(level_db(out[48000:, 1]), abs=1e-9)
