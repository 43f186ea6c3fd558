"""Live input: what comes in goes through gain, gate and low-pass; nothing else is heard."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.signal import lfilter

from dunefall.compiler.loop import run
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.engine.devices.input import voice
from rig import Rig, level_db, tone


def heard(sound: NDArray[np.float64], **params: float) -> NDArray[np.float64]:
    """What a Live input gives of a sound of whole quantums."""
    program = Rig("live-input", **params).program
    row, out = program.row_at[("m", "out")], []
    for piece in sound.reshape(-1, QUANTUM):
        program.plan.live[:] = piece
        run(program.plan, program.memory, no_traces(), np.zeros((QUANTUM, 2)))
        out.append(program.memory.rows[row : row + QUANTUM].copy())
    return np.concatenate(out)


def test_low_pass_and_gain_are_those_of_a_matched_one_pole() -> None:
    """scipy.signal.lfilter with pole exp(-2 pi f / rate); +6.02 dB is twice (definition of the decibel)."""
    sound = np.random.default_rng(1).uniform(-0.5, 0.5, 64 * QUANTUM)
    pole = np.exp(-2 * np.pi * 1000 / 48000)
    ours = heard(sound, cutoff_hz=1000, gate_db=-96, gain_db=20 * np.log10(2))
    opening = 1.0 - (1.0 - (1.0 - 0.01 ** (1 / 480))) ** np.arange(1, len(sound) + 1)  # 99 % open after 10 ms
    np.testing.assert_allclose(ours, lfilter([1 - pole], [1, -pole], 2.0 * sound * opening), atol=1e-10)


def test_the_gate_shuts_out_what_is_soft_and_lets_a_voice_in() -> None:
    hiss = np.random.default_rng(2).normal(0.0, 10 ** (-70 / 20), 750 * QUANTUM)
    assert level_db(heard(hiss, gate_db=-50)[4800:]) < -120
    spoken = voice(48000.0)[: 750 * QUANTUM].astype(np.float64)
    assert abs(level_db(heard(spoken, gate_db=-60, cutoff_hz=20000)) - level_db(spoken)) < 1.0


def test_the_gate_does_not_click() -> None:
    """A tone of 220 Hz that begins: no step larger than the tone's own largest, 2 pi f / rate (calculus), and a bit."""
    sound = np.concatenate((np.zeros(4800), tone(220, 0.5, level=0.5)))[: 400 * QUANTUM]
    steps = np.abs(np.diff(heard(sound, gate_db=-40, cutoff_hz=20000)))
    assert steps.max() < 1.1 * 0.5 * 2 * np.pi * 220 / 48000
