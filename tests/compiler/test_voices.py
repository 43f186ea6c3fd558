"""Voices: instances with random numbers of their own, notes that find a voice, voices that rest."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
import pytest

from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import run
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.takeover import Takeover
from dunefall.compiler.traces import no_traces
from dunefall.compiler.voices import expand
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from dunefall.render.player import play_note
from rig import patch_of


def choir(voices: int, *, spread: float = 0.5, meet: str = "") -> Patch:
    """Keyboard, envelope, oscillator, amplifier and a filter behind them."""
    modules = (
        Module("keys", "keyboard", "Keys"), Module("env", "envelope", "Env", {"decay_s": 0.05}),
        Module("tone", "oscillator", "Tone", {"pitch_note": 60, "level": 0.2}),
        Module("amp", "amplifier", "Amp", {"gain": 0}), Module("tilt", "filter", "Tilt"),
        Module("a-output", "output", "A"),
    )  # fmt: skip
    links = (("keys.gate", "env.trigger", 1.0), ("env.out", "amp.gain", 1.0), ("tone.out", "amp.audio", 1.0),
             ("amp.out", "tilt.audio", 1.0), ("tilt.low", "a-output.audio", 1.0))  # fmt: skip
    patch = patch_of(*modules, links=links)
    tune = Link("tune", Place("keys", "pitch"), Place("tone", "pitch_note"), 1.0, -60.0)
    layer = replace(patch.layer("a"), voices=voices, spread=spread, meet=meet)
    return patch.with_link(tune).with_layer(layer)


VOICES = slice(1, 4)  # the first is Shared's


def go(program: Program, quantums: int) -> np.ndarray:
    out = np.zeros((quantums * QUANTUM, 2))
    run(program.plan, program.memory, no_traces(), out)
    return out


def gates(program: Program, voices: int) -> list[bool]:
    row = program.row_at[("keys", "gate")]
    return [bool(program.memory.rows[row + QUANTUM * v + QUANTUM - 1] > 0.5) for v in range(voices)]


def test_what_stands_once_and_what_stands_for_each_voice() -> None:
    names = [instance.id for instance in expand(choir(3))[0]]
    assert names.count("keys") == 1
    assert {"tone", "tone#1", "tone#2", "tilt#2"} <= set(names)
    assert "a-output#1" not in names
    names = [instance.id for instance in expand(choir(3, meet="tilt"))[0]]
    assert "tilt#1" not in names
    assert "amp#2" in names


def test_one_voice_is_the_patch_without_voices() -> None:
    plain, one = choir(1), choir(1, spread=1.0)
    found = []
    for patch in (plain, one):
        program = compile_patch(patch, rate=48000)
        play_note(program, "keys", 57.0, 1.0)
        found.append(go(program, 40))
    assert (found[0] == found[1]).all()
    assert np.abs(found[0]).max() > 0.01


def test_voices_have_random_numbers_and_a_place_of_their_own() -> None:
    patch = patch_of(Module("n", "noise", "N"), Module("o", "oscillator", "O"), Module("a-output", "output", "A"),
                     links=(("n.out", "a-output.audio", 1.0), ("o.out", "a-output.audio", 1.0)))  # fmt: skip
    patch = patch.with_layer(replace(patch.layer("a"), voices=4))
    program = compile_patch(patch, rate=48000)
    go(program, 2)
    rows = [program.row_at[(f"n{copy}", "out")] for copy in ("", "#1", "#2", "#3")]
    noises = np.array([program.memory.rows[row : row + QUANTUM] for row in rows])
    assert np.abs(np.corrcoef(noises) - np.eye(4)).max() < 0.7
    notes = [program.memory.now[program.input_at[(f"o{copy}", "pitch_note")]] for copy in ("", "#1", "#2", "#3")]
    assert len(set(notes)) == 4
    assert max(abs(note - notes[0]) for note in notes) <= 0.06  # half of 0.12 semitones at half spread
    program.set_base("o", "pitch_note", 72.0)
    go(program, 100)
    moved = [program.memory.now[program.input_at[(f"o{copy}", "pitch_note")]] for copy in ("", "#1", "#2", "#3")]
    np.testing.assert_allclose(np.array(moved) - np.array(notes), 72.0 - notes[0], atol=1e-9)


def test_the_sum_of_the_voices_is_the_sum_of_their_sounds() -> None:
    """Three notes at once sound as the three of them alone, added up (no spread, no filter state that is shared)."""
    together = compile_patch(choir(3, spread=0.0, meet="tilt"), rate=48000)
    for note in (50.0, 57.0, 64.0):
        play_note(together, "keys", note, 1.0)
    chord = go(together, 30)
    alone = np.zeros_like(chord)
    for note in (50.0, 57.0, 64.0):
        program = compile_patch(choir(1, spread=0.0), rate=48000)
        play_note(program, "keys", note, 1.0)
        alone += go(program, 30)
    np.testing.assert_allclose(chord, alone, atol=1e-12)


def test_notes_take_the_voice_that_was_released_first_then_the_quietest() -> None:
    program = compile_patch(choir(3), rate=48000)
    for note in (50.0, 52.0, 54.0):
        play_note(program, "keys", note, 1.0)
        go(program, 2)
    assert gates(program, 3) == [True, True, True]
    for note in (52.0, 50.0):
        play_note(program, "keys", note, 0.0)
        go(program, 1)
    play_note(program, "keys", 60.0, 1.0)  # 52 was let go first: its voice
    go(program, 1)
    assert gates(program, 3) == [False, True, True]
    row = program.row_at[("keys", "pitch")]
    assert program.memory.rows[row + QUANTUM * 1 + QUANTUM - 1] == 60.0
    play_note(program, "keys", 61.0, 1.0)
    go(program, 2)
    program.memory.levels[VOICES] = (0.3, 0.1, 0.2)  # all held: the second is the quietest
    play_note(program, "keys", 62.0, 1.0)
    go(program, 1)
    assert program.memory.rows[row + QUANTUM * 1 + QUANTUM - 1] == 62.0


def test_linked_triggers_play_notes() -> None:
    patch = choir(4)
    clock = Module("beat", "clock", "Beat", {"sync": 1, "period_s": 0.05})
    patch = patch.with_new_module("a", clock).with_link(Link("t", Place("beat", "gate"), Place("keys", "trigger")))
    program = compile_patch(patch, rate=48000)
    assert np.abs(go(program, 300)).max() > 0.01
    row = program.plan.modules[program.module_at["keys"]]["state_at"]
    assert program.memory.states[row + 1] >= 8  # notes begun and let go


def test_a_voice_whose_envelope_has_ended_rests_and_wakes_by_a_note() -> None:
    program = compile_patch(choir(8), rate=48000)
    play_note(program, "keys", 57.0, 1.0)
    go(program, 10)
    play_note(program, "keys", 57.0, 0.0)
    assert program.memory.resting[1:9].sum() == 7
    go(program, 400)
    assert program.memory.resting[1:9].all()
    assert (go(program, 1) == 0).all() or np.abs(go(program, 4)).max() < 1e-5
    play_note(program, "keys", 57.0, 1.0)
    assert np.abs(go(program, 10)).max() > 0.01
    assert program.memory.resting[1:9].sum() == 7


def test_resting_voices_cost_nothing() -> None:
    """Sixteen resting voices take less than a quarter of the time of sixteen that sound."""
    program = compile_patch(choir(16), rate=48000)

    def cost() -> float:
        times = []
        for _ in range(7):
            begun = time.perf_counter()
            go(program, 50)
            times.append(time.perf_counter() - begun)
        return min(times)

    for note in range(16):
        play_note(program, "keys", 40.0 + note, 1.0)
    program.set_base("env", "decay_s", np.log2(100.0))
    go(program, 100)
    sounding = cost()
    for note in range(16):
        play_note(program, "keys", 40.0 + note, 0.0)
    program.set_base("env", "decay_s", np.log2(0.01))
    go(program, 1000)
    assert program.memory.resting[1:17].all()
    assert cost() < 0.25 * sounding


@pytest.mark.parametrize("block", [1, 100, 640])
def test_voices_are_the_same_for_any_block(block: int) -> None:
    def play(step: int) -> np.ndarray:
        program = compile_patch(choir(5), rate=48000)
        for note in (45.0, 49.0, 52.0):
            play_note(program, "keys", note, 1.0)
        out = np.zeros((12800, 2))
        for at in range(0, len(out), step):
            run(program.plan, program.memory, no_traces(), out[at : at + step])
        return out

    assert (play(64) == play(block)).all()


def test_voices_that_rest_go_on_resting_at_their_new_place() -> None:
    """A layer with voices of its own is put before them: their places move on by three."""
    old = compile_patch(choir(8), rate=48000)
    play_note(old, "keys", 57.0, 1.0)
    go(old, 10)
    before = old.memory.resting[1:9].copy()
    assert before.sum() == 7
    patch = choir(8)
    first = Layer("first", "First", (Module("x", "oscillator", "X"), Module("first-output", "output", "O")), voices=3)
    new = compile_patch(replace(patch, layers=(patch.layers[0], first, *patch.layers[1:])), rate=48000)
    Takeover(new, old).apply()
    assert (new.memory.resting[4:12] == before).all()
    assert not new.memory.resting[1:4].any()


def test_a_clock_in_a_voice_ticks_for_other_layers_while_the_voice_rests() -> None:
    """Of 96 ticks 6 were heard outside: then the first voice rested."""
    patch = choir(4)
    clock = Module("beat", "clock", "Beat", {"sync": 1, "period_s": 0.02})
    counter = Module("count", "divider", "Count")
    patch = patch.with_new_module("a", clock).with_new_module("shared", counter)
    patch = patch.with_link(Link("t", Place("beat", "gate"), Place("count", "trigger")))
    place = Place("count", "a")
    program = compile_patch(patch, rate=48000, probed=[place, Place("keys", "gate")])
    out, rises, was = np.zeros((QUANTUM, 2)), 0, 0.0
    for _ in range(1500):
        run(program.plan, program.memory, no_traces(), out)
        row = program.row_at[("count", "a")]
        values = program.memory.rows[row : row + QUANTUM]
        rises += int(((values > 0.5) & (np.concatenate([[was], values[:-1]]) <= 0.5)).sum())
        was = values[-1]
    assert program.memory.resting[VOICES].all()
    assert rises == pytest.approx(50, abs=1)  # 2 s, a tick each 20 ms, every second one


@pytest.mark.parametrize("here", [1, 2, 3, 5])
@pytest.mark.parametrize("there", [1, 2, 3, 5])
def test_voices_of_one_layer_move_those_of_another(here: int, there: int) -> None:
    """More voices here than there could not be compiled; a sound is their sum, anything else the first voice's."""
    patch = choir(there)
    other = Layer("b", "B", (
        Module("lfo", "lfo", "L", {"rate_hz": 3.0}), Module("osc", "oscillator", "O", {"level": 0.1}),
        Module("b-amp", "amplifier", "V"), Module("b-output", "output", "B"),
    ), voices=here)  # fmt: skip
    links = (Link("x", Place("osc", "out"), Place("b-amp", "audio"), 1.0),
             Link("y", Place("b-amp", "out"), Place("b-output", "audio"), 1.0),
             Link("z", Place("lfo", "out"), Place("tone", "level"), 0.2),
             Link("w", Place("osc", "out"), Place("amp", "audio"), 1.0))  # fmt: skip
    patch = replace(patch, layers=(*patch.layers, other), links=(*patch.links, *links))
    program = compile_patch(patch, rate=48000)
    assert np.isfinite(go(program, 20)).all()
    wires = expand(patch)[1]
    assert sum(wire.link.id == "z" for wire in wires) == there
    assert {wire.source for wire in wires if wire.link.id == "z"} == {"lfo"}
    assert sum(wire.link.id == "w" for wire in wires) == here * there


def test_a_layer_without_an_output_has_no_voices() -> None:
    """A file may say so, and once a window did: eleven masters worked on the mix."""
    patch = choir(2)
    strip = Layer("master", "Master", (Module("strip", "master", "Strip"),), voices=11)
    shared = replace(patch.layer("shared"), voices=3, modules=(Module("tide", "lfo", "Tide"),))
    patch = replace(patch, layers=(shared, *patch.layers[1:], strip))
    patch = patch.with_link(Link("t", Place("tide", "out"), Place("tone", "level"), 0.1))
    names = [instance.id for instance in expand(patch)[0]]
    assert names.count("strip") == 1
    assert not [name for name in names if name.startswith(("strip#", "tide#"))]
    assert np.isfinite(go(compile_patch(patch, rate=48000), 20)).all()
