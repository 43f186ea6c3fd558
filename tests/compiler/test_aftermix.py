"""What works on the whole mix: inserts between the mix and the master, and who else listens to them."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from numpy.typing import NDArray

from dunefall.base.layouts import MOST_CHANNELS, layout_of
from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import run
from dunefall.compiler.traces import no_traces
from dunefall.patch.mixing import master_of, mix_of, with_inserts, with_master
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from rig import RATE

SECOND = round(RATE)
TONES = 4
QUANTUM = 64


def heard(patch: Patch, *, at_a_time: int = SECOND, stems: tuple[str, ...] = ()) -> NDArray[np.float64]:
    """A second of the mix (then of each stem), channel by channel."""
    program = compile_patch(patch, rate=RATE, stems=stems)
    out = np.zeros((SECOND, MOST_CHANNELS * (1 + len(stems))))
    for start in range(0, SECOND, at_a_time):
        part = np.zeros((min(at_a_time, SECOND - start), out.shape[1]))
        run(program.plan, program.memory, no_traces(), part)
        out[start : start + len(part)] = part
    return out


def tones(layout: str = "stereo") -> Patch:
    """Layers around the listener, so that every speaker plays; the master changes nothing."""
    layers, links = [Layer("shared", "Shared")], []
    for k, angle in enumerate((-50.0, 20.0, 150.0, -140.0)):
        values = {"level_db": -12.0, "angle_deg": angle, "centre_share": 0.5, "low_effects_db": -6.0}
        output = Module(f"l{k}-output", "output", f"L{k}", values)
        tone = Module(f"t{k}", "oscillator", f"T{k}", {"pitch_note": 31.0 + 7 * k})
        layers.append(Layer(f"l{k}", f"L{k}", (tone, output)))
        links.append(Link(f"x{k}", Place(tone.id, "out"), Place(output.id, "audio")))
    return with_master(Patch(layers=tuple(layers), links=tuple(links), layout=layout))


def inserted(patch: Patch, *chain: Module) -> Patch:
    """Modules between the whole mix and the master."""
    patch = with_inserts(patch)
    whole, master = mix_of(patch), master_of(patch)
    assert whole is not None
    assert master is not None
    for link in patch.links_into(master.id, "audio"):
        patch = patch.without_link(link.id)
    layer = patch.layer_of(master.id)
    patch = patch.with_layer(replace(layer, modules=(whole, *chain, master)))
    for a, b in pairwise((whole, *chain, master)):
        output = "low" if a.type == "filter" else "out"
        patch = patch.with_link(Link(f"{a.id}-{b.id}", Place(a.id, output), Place(b.id, "audio")))
    return patch


def half() -> Module:
    return Module("half", "amplifier", "Half", {"gain": 0.5})


@pytest.mark.parametrize("layout", ["stereo", "quad", "5.1"])
def test_an_insert_works_on_every_channel_of_the_mix(layout: str) -> None:
    patch = tones(layout)
    plain = heard(patch)
    channels = layout_of(layout).channels
    assert np.all(np.abs(plain[:, :channels]).max(axis=0) > 0.01)
    np.testing.assert_allclose(heard(inserted(patch, half())), 0.5 * plain, atol=1e-12)
    np.testing.assert_array_equal(heard(inserted(patch)), plain)


@pytest.mark.parametrize("layout", ["stereo", "quad", "5.1"])
def test_each_pair_is_filtered_by_itself(layout: str) -> None:
    """As the same filter in every layer would: it is linear."""
    dull = Module("dull", "filter", "Dull", {"cutoff_hz": 80.0})
    patch = tones(layout)
    apart = patch
    for k in range(TONES):
        own = replace(dull, id=f"dull{k}")
        link = apart.link(f"x{k}")
        apart = apart.with_layer(replace(apart.layer(f"l{k}"), modules=(apart.module(f"t{k}"), own,
                                                                        apart.module(f"l{k}-output"))))  # fmt: skip
        apart = apart.with_link(replace(link, target=Place(own.id, "audio")))
        apart = apart.with_link(Link(f"y{k}", Place(own.id, "low"), link.target))
    np.testing.assert_allclose(heard(inserted(patch, dull)), heard(apart), atol=1e-9)


def test_the_order_of_layers_does_not_matter() -> None:
    patch = inserted(tones(), half())
    turned = replace(patch, layers=(patch.layers[0], patch.layers[-1], *patch.layers[1:-1]))
    np.testing.assert_allclose(heard(turned), heard(patch), atol=1e-12)


@pytest.mark.parametrize("at_a_time", [1, 37, 64, 100, 480])
def test_the_same_whatever_the_device_asks_for(at_a_time: int) -> None:
    patch = inserted(tones(), Module("dull", "filter", "Dull", {"cutoff_hz": 300.0}), half())
    np.testing.assert_array_equal(heard(patch, at_a_time=at_a_time), heard(patch))


def listening(patch: Patch, source: Place) -> Patch:
    """A third layer, alone in what is heard, that plays something of the mix."""
    end = Module("l9-output", "output", "L9", {"level_db": 0.0})
    patch = patch.with_layer(Layer("l9", "L9", (Module("k", "amplifier", "K", {"gain": 1.0}), end)))
    for name, source_, target in (
        ("z1", source, Place("k", "audio")),
        ("z2", Place("k", "out"), Place(end.id, "audio")),
    ):
        patch = patch.with_link(Link(name, source_, target))
    return patch


@pytest.mark.parametrize("port", ["master", "mix"])
def test_who_listens_to_the_mix_hears_the_quantum_before(port: str) -> None:
    """In its order: it was turned by a sample in each quantum, a step every 1.3 ms."""
    patch = tones()
    if port == "mix":
        patch = with_inserts(patch)
    found = master_of(patch) if port == "master" else mix_of(patch)
    assert found is not None
    plain = heard(patch)[:, :2]
    patch = listening(patch, Place(found.id, "left" if port == "master" else "out"))
    program = compile_patch(patch, rate=RATE, probed=[Place("k", "out")])
    row = program.row_at[("k", "out")]
    rows = []
    for _ in range(20):
        run(program.plan, program.memory, no_traces(), np.zeros((QUANTUM, 2)))
        rows.append(program.memory.rows[row : row + QUANTUM].copy())
    got = np.concatenate(rows)
    assert not got[:QUANTUM].any()
    np.testing.assert_allclose(got[QUANTUM : 2 * QUANTUM], plain[:QUANTUM, 0], atol=1e-9)


def test_a_loop_through_the_mix_is_bounded() -> None:
    """A layer that plays the mix ten times as loud as it hears it."""
    patch = inserted(tones(), half())
    patch = listening(patch, Place("half", "out")).with_param("k", "gain", 1.0)
    patch = patch.with_link(replace(patch.link("z1"), amount=10.0))
    out = heard(patch)
    assert np.isfinite(out).all()
    assert 1.0 < np.abs(out).max() < 1000.0


def test_a_loop_in_the_master_s_layer_runs_in_order() -> None:
    """What follows the master moves it: the next quantum, not this one by bits."""
    patch = tones()
    master = master_of(patch)
    assert master is not None
    follower = Module("f", "follower", "F")
    patch = patch.with_new_module("master", follower)
    patch = patch.with_link(Link("a", Place(master.id, "left"), Place("f", "audio")))
    plain = heard(patch)
    np.testing.assert_allclose(plain, heard(tones()), atol=1e-12)
    moved = heard(patch.with_link(Link("b", Place("f", "out"), Place(master.id, "level_db"), -24.0)))
    assert 0.02 < np.abs(moved[SECOND // 2 :, 0]).max() < 0.9 * np.abs(plain[SECOND // 2 :, 0]).max()


def test_stems_are_parts_of_the_mix_before_the_inserts() -> None:
    clip = Module("clip", "drive", "Drive", {"drive_db": 24.0})
    patch = inserted(tones(), clip)
    out = heard(patch, stems=tuple(f"l{k}" for k in range(TONES)))
    groups = out.reshape(SECOND, 1 + TONES, MOST_CHANNELS)
    np.testing.assert_allclose(groups[:, 0], groups[:, 1:].sum(axis=1), atol=1e-9)
    np.testing.assert_allclose(groups[:, 0], heard(tones()), atol=1e-9)
    assert np.abs(heard(patch) - groups[:, 0]).max() > 0.01


def test_a_bypassed_master_leaves_the_mix_as_it_is() -> None:
    patch = tones()
    master = master_of(patch)
    assert master is not None
    changed = patch.with_param(master.id, "level_db", -20.0).with_param(master.id, "low_db", 12.0)
    assert np.abs(heard(changed) - heard(patch)).max() > 0.01
    bypassed = changed.with_module(replace(changed.module(master.id), bypassed=True))
    np.testing.assert_allclose(heard(bypassed), heard(patch), atol=1e-12)
    np.testing.assert_allclose(heard(inserted(bypassed, half())), 0.5 * heard(patch), atol=1e-12)
