"""Values and series that change while a program runs, and notes for what takes none."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.compiler.build import compile_patch
from dunefall.patch.model import Module
from dunefall.patch.take import Note
from dunefall.render.performance import by_hand
from dunefall.render.player import Player
from rig import patch_of, watch_all

PATCH = patch_of(
    Module("tone", "oscillator", "Tone", {"level": 0.2}), Module("steps", "step-sequencer", "Steps"),
    Module("a-output", "output", "A"), links=(("tone.out", "a-output.audio", 1.0),),
)  # fmt: skip


def test_the_value_of_now_is_that_of_the_last_sample() -> None:
    program = compile_patch(PATCH, rate=48000)
    player, index = Player(program), program.input_at[("tone", "level")]
    player.fill(np.zeros((64, 2)))
    program.set_base("tone", "level", 1.0)
    row, before = int(program.plan.inputs[index]["row"]), 0.2
    for _ in range(4):
        player.fill(np.zeros((64, 2)))
        now = float(program.memory.now[index])
        assert now == program.memory.rows[row + 63]
        assert before < now < 1.0
        before = now


def test_series_of_any_length_take_the_place_of_each_other() -> None:
    program = watch_all(PATCH)
    at = int(program.plan.modules[program.module_at["steps"]]["series_at"])
    before = program.memory.series.copy()
    for values in ((60.0, 62.0, 64.0), (50.0,), tuple(float(k) for k in range(1, 33))):
        program.set_series("steps", "row_a", values)
        held = program.memory.series[at:]
        assert held[0] == len(values)
        np.testing.assert_array_equal(held[1 : 1 + len(values)], values)
        assert (held[1 + len(values) : 65] == 0).all(), "nothing of the longer one is left"
        np.testing.assert_array_equal(program.memory.series[at + 65 :], before[at + 65 :], "its neighbours stay")


@pytest.mark.parametrize("module", ["nobody", "tone", "steps"])
def test_a_note_for_what_takes_none_does_nothing(module: str) -> None:
    player = Player(compile_patch(PATCH, rate=48000))
    before = player.program.memory.states.copy()
    by_hand(Note(module, 60.0, 0.8))(player)
    np.testing.assert_array_equal(player.program.memory.states, before)
