"""The click watch: a step in a sine counts, a strike and noise do not."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.compiler.build import compile_patch
from dunefall.dsp.clicks import CLICK_STATE, COUNT, PLACE, watch_clicks
from dunefall.patch.model import Module
from dunefall.render.player import Player, Step, glide
from rig import patch_of, tone


def clicks(sound: np.ndarray, size: int = 64) -> tuple[int, int]:
    """How many, and where the last one."""
    state = np.zeros(CLICK_STATE)
    for at in range(0, len(sound), size):
        watch_clicks.py_func(state, 0, sound[at : at + size], np.zeros(len(sound[at : at + size])), at)
    return int(state[COUNT]), int(state[PLACE])


@pytest.mark.parametrize("hz", [60.0, 440.0, 1500.0])
def test_a_step_in_a_sine_is_a_click(hz: float) -> None:
    sound = tone(hz, 0.4, level=0.2)
    sound[9000:] += 0.4 if hz < 1000 else 0.9
    assert clicks(sound) == (1, 9000)
    assert clicks(sound, 7) == (1, 9000)


def test_an_envelope_that_starts_anew_from_nothing_clicks() -> None:
    sound = tone(220, 0.5, level=0.5)
    fall = np.exp(-(np.arange(24_000) % 12_050) / 20_000.0)
    fall[12_050:12_530] *= np.arange(480) / 480
    assert clicks(sound * fall) == (1, 12_050)


def test_sines_noise_and_strikes_do_not_click() -> None:
    generator = np.random.default_rng(2)
    noise = generator.normal(size=24_000) * 0.2
    strike = noise * np.exp(-(np.arange(24_000) % 6000) / 400.0)
    for sound in (tone(220, 0.5), tone(8000, 0.5), noise, strike, np.zeros(4800)):
        assert clicks(sound)[0] == 0


def test_layers_are_watched_while_they_play_and_over_structural_edits() -> None:
    """A gate that opens an amplifier at once clicks; softened by a slew of 5 ms it does not."""
    from dunefall.compiler.takeover import Takeover

    modules = (Module("t", "oscillator", "T", {"pitch_note": 45.0, "level": 0.6, "phase_deg": 90.0}),
               Module("c", "clock", "C", {"sync": 1.0, "period_s": 0.2}),
               Module("s", "slew", "S", {"rise_s": 0.005, "fall_s": 0.005}),
               Module("v", "amplifier", "V", {"gain": 0.0}), Module("a-output", "output", "O"))  # fmt: skip
    hard = [("t.out", "v.audio", 1.0), ("c.gate", "v.gain", 1.0), ("v.out", "a-output.audio", 1.0)]
    soft = [("t.out", "v.audio", 1.0), ("c.gate", "s.signal", 1.0), ("s.out", "v.gain", 1.0), hard[2]]
    counts = []
    for links in (hard, soft):
        player = Player(compile_patch(patch_of(*modules, links=tuple(links)), rate=48000))
        player.fill(np.zeros((48_000, 2)))
        counts.append(player.program.memory.clicks[COUNT])
    assert counts[0] >= 6
    assert counts[1] == 0
    player = Player(compile_patch(patch_of(*modules, links=tuple(soft)), rate=48000))
    other = patch_of(*modules, Module("n", "noise", "N"), links=tuple(soft))
    program = compile_patch(other, rate=48000)
    quieter = other.with_param("a-output", "level_db", -6.0)
    player.fill(np.zeros((9600, 2)))
    player.swap(program, None, Takeover(program, player.program))
    player.steps.append(Step(12_000, glide(other, quieter)))
    player.fill(np.zeros((48_000, 2)))
    assert player.program.memory.clicks[COUNT] == 0
