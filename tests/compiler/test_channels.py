"""Mono and stereo through the compiler, by the rules of DESIGN.md section 4."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import same_structure
from dunefall.compiler.loop import run
from dunefall.compiler.program import Program
from dunefall.compiler.traces import no_traces
from dunefall.patch.model import Link, Module, Patch, Place
from rig import RATE, patch_of

OUT = Module("a-output", "output", "Output", {"level_db": 0.0})
NOISE = Module("n", "noise", "N", {"colour": 0, "width": 1.0})


def sound(patch: Patch, samples: int = 6400) -> np.ndarray:
    """What a patch gives, one row for each channel."""
    program = compile_patch(patch, rate=RATE)
    return play(program, samples)


def play(program: Program, samples: int) -> np.ndarray:
    out = np.zeros((samples, 2))
    run(program.plan, program.memory, no_traces(), out)
    return out.T


def to_output(*modules: Module, links: tuple[tuple[str, str, float], ...]) -> Patch:
    return patch_of(*modules, OUT, links=links)


def test_two_unrelated_noises_stay_two() -> None:
    left, right = sound(to_output(NOISE, links=(("n.out", "a-output.audio", 1.0),)))
    assert abs(np.corrcoef(left, right)[0, 1]) < 0.05
    assert np.std(left) == pytest.approx(np.std(right), rel=0.05)
    narrow = replace(NOISE, params={**NOISE.params, "width": 0.0})
    left, right = sound(to_output(narrow, links=(("n.out", "a-output.audio", 1.0),)))
    np.testing.assert_allclose(left, right, rtol=1e-9, atol=1e-12)


def test_a_module_that_is_fed_stereo_runs_once_for_each_channel() -> None:
    filter_ = Module("f", "filter", "F", {"cutoff_hz": 500.0})
    patch = to_output(NOISE, filter_, links=(("n.out", "f.audio", 1.0), ("f.low", "a-output.audio", 1.0)))
    program = compile_patch(patch, rate=RATE)
    assert program.copies["f"] == ["f", "f~right"]
    assert len(program.copies["n"]) == len(program.copies["a-output"]) == 1
    direct = sound(to_output(NOISE, links=(("n.out", "a-output.audio", 1.0),)))
    swapped = play(program, 6400)
    for side in range(2):  # each channel is what the filter makes of that channel alone
        spectrum = np.abs(np.fft.rfft(swapped[side])) / np.abs(np.fft.rfft(direct[side]))
        assert np.median(spectrum[400:800]) < 0.1
    assert abs(np.corrcoef(*swapped)[0, 1]) < 0.3


def test_stereo_into_what_is_mono_is_averaged() -> None:
    """Both channels by half: the follower's goal, a parameter and a link's offset."""
    modules = (NOISE, Module("c", "amplifier", "C", {"gain": 0.0}), Module("s", "oscillator", "S", {"level": 1.0}))
    links = (("s.out", "c.audio", 1.0), ("n.out", "c.gain", 1.0), ("c.out", "a-output.audio", 1.0))
    program = compile_patch(to_output(*modules, links=links), rate=RATE)
    into = program.link_at["link-1"]
    assert program.shares[into].tolist() == [[0.5, 1.0], [0.5, 0.0]]
    assert program.memory.amounts["amount_goal"][into].tolist() == [0.5, 0.5]
    program.set_link("link-1", 0.6, 0.2)
    assert program.memory.amounts["amount_goal"][into].tolist() == [0.3, 0.3]
    assert program.memory.amounts["offset_goal"][into].tolist() == [0.2, 0.0]


def test_mono_into_a_stereo_input_feeds_both_sides() -> None:
    modules = (Module("s", "oscillator", "S"), Module("k", "compressor", "K", {"threshold_db": 0.0}))
    left, right = sound(to_output(*modules, links=(("s.out", "k.audio", 1.0), ("k.out", "a-output.audio", 1.0))))
    np.testing.assert_allclose(left, right, rtol=1e-9, atol=1e-12)
    assert np.abs(left).max() > 0.1


def test_a_bypassed_stereo_module_passes_both_channels() -> None:
    compressor = Module("k", "compressor", "K", bypassed=True)
    patch = to_output(NOISE, compressor, links=(("n.out", "k.audio", 1.0), ("k.out", "a-output.audio", 1.0)))
    straight = to_output(NOISE, links=(("n.out", "a-output.audio", 1.0),))
    np.testing.assert_array_equal(sound(patch), sound(straight))


def test_stereo_goes_round_a_loop() -> None:
    delay = Module("d", "comb", "D", {"feedback": 0.0})
    links = (("n.out", "d.audio", 0.3), ("d.out", "d.audio", 0.5), ("d.out", "a-output.audio", 1.0))
    program = compile_patch(to_output(NOISE, delay, links=links), rate=RATE)
    assert program.copies["d"] == ["d", "d~right"]
    left, right = play(program, 6400)
    assert abs(np.corrcoef(left[1000:], right[1000:])[0, 1]) < 0.1


def test_opening_the_width_is_a_change_of_structure() -> None:
    narrow = replace(NOISE, params={**NOISE.params, "width": 0.0})
    a, b = (to_output(x, links=(("n.out", "a-output.audio", 1.0),)) for x in (narrow, NOISE))
    wider = to_output(replace(NOISE, params={**NOISE.params, "width": 0.5}), links=(("n.out", "a-output.audio", 1.0),))
    assert not same_structure(a, b)
    assert same_structure(b, wider)


def test_a_link_to_the_width_opens_it() -> None:
    narrow = replace(NOISE, params={**NOISE.params, "width": 0.0})
    lfo = Module("l", "lfo", "L")
    patch = to_output(narrow, lfo, links=(("n.out", "a-output.audio", 1.0), ("l.out", "n.width", 0.5)))
    left, right = sound(patch, 48000)
    assert not (left == right).all()


def test_an_offset_counts_once_however_many_voices_meet() -> None:
    patch = to_output(Module("s", "oscillator", "S"), Module("m", "amplifier", "M"), links=())
    patch = patch.with_link(Link("x", Place("s", "out"), Place("m", "audio"), 1.0, offset=0.25))
    patch = patch.with_link(Link("y", Place("m", "out"), Place("a-output", "audio"), 1.0))
    layer = replace(patch.layers[1], voices=4, meet="m")
    program = compile_patch(patch.with_layer(layer), rate=RATE)
    assert program.memory.amounts["offset_goal"][program.link_at["x"]].tolist() == [0.25, 0.0, 0.0, 0.0]
