"""Chorus: one voice becomes several that are never quite together."""

from __future__ import annotations

import math

from dunefall.base.arrays import Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset, fed_back
from dunefall.dsp.lines import read_ring
from dunefall.dsp.maths import floor, fma, sine
from dunefall.dsp.saturation import saturate

__all__ = ["MODULE"]

WRITE, PHASE, BACK, BACK_RIGHT, STATE = range(5)
MOST, GOLDEN = 6, 0.6180339887498949
LONGEST_S = 0.06
KNEE = 1.0


def kernel(
    audio: Row, audio_right: Row, copies: Row, delay_s: Row, depth_s: Row, rate_hz: Row, width: Row, feedback: Row,
    dry: Row, wet: Row, out: Row, out_right: Row, state: State, memory: Memory, rate: Scalar,
) -> None:  # fmt: skip
    """State: place of writing, phase of the movement, what is fed back on both sides. Memory: a ring for each side.

    Each voice is the sound some milliseconds later, by a time that sways; its place in the cycle and between left and
    right follows from its number, so that a new voice leaves the others as they are.
    """
    size, write, phase, per = memory.size // 2, int(state[WRITE]), state[PHASE], 1.0 / rate
    for i in range(out.size):
        memory[write] = audio[i] + saturate(feedback[i] * state[BACK], KNEE)
        memory[size + write] = audio_right[i] + saturate(feedback[i] * state[BACK_RIGHT], KNEE)
        write = write + 1 if write + 1 < size else 0
        a = b = power = total = 0.0
        for k in range(MOST):
            gain = min(max(copies[i] - k, 0.0), 1.0)
            if gain == 0.0:
                break
            sway = sine(fma(GOLDEN, k, phase))
            delay = min(max(fma(sway, depth_s[i], delay_s[i]) * rate, 1.0), size - 4.0) + 1.0
            side = width[i] * (0.5 if k % 2 == 0 else -0.5) * (1.0 if k < 2 else 0.7)
            x, y = read_ring(memory, 0, size, write, delay), read_ring(memory, size, size, write, delay)
            a, b = fma(gain * (1.0 + side), x, a), fma(gain * (1.0 - side), y, b)
            power = fma(gain, gain, power)
            total += gain * (1.0 + abs(side))
        even = 1.0 / max(total, 1.0)  # in phase, no more than went in
        level = wet[i] / math.sqrt(max(power, 1.0))
        state[BACK], state[BACK_RIGHT] = a * even, b * even
        out[i], out_right[i] = fma(audio[i], dry[i], a * level), fma(audio_right[i], dry[i], b * level)
        phase = fma(rate_hz[i], per, phase)
        phase -= floor(phase)
    state[WRITE], state[PHASE] = write, phase


MODULE = ModuleSpec(
    id="chorus",
    name="Chorus",
    stage="space",
    sentence="Makes one voice an ensemble: copies delayed by a few milliseconds that sway in pitch.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("copies", "Copies", "none", 1, MOST, 3, "How many copies.", whole=True, amount=1.0),
        Param("delay_s", "Delay", "s", 0.002, 0.04, 0.014, "How much later they come.", taper="octaves", amount=0.5),
        Param("depth_s", "Depth", "s", 0.00005, 0.012, 0.0025, "How far that time sways.", taper="octaves", amount=1.0),
        Param("rate_hz", "Rate", "hz", 0.02, 8, 0.35, "How fast it sways.", taper="octaves", amount=1.0),
        Param("width", "Width", "ratio", 0, 1, 0.7, "Stereo spread of the copies.", amount=0.3),
        Param("feedback", "Feedback", "ratio", -0.95, 0.95, 0, "Share of the copies that goes round again.",
              amount=0.2),
        Param("dry", "Dry", "ratio", 0, 1, 0.7, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", 0, 1, 0.7, "How much of the copies.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True, width="width"),),
    state=STATE,
    memory_s=2 * LONGEST_S,
    cycle=Cycle(None, lambda g: 1.0 / g.values["rate_hz"], ("rate_hz",),
                memory_s=lambda g: fed_back(g, "feedback", g.values["delay_s"] + g.values["depth_s"])),
    face="rate_hz",
    passes="audio",
    words=("ensemble", "thicken", "doubling", "wide", "swim", "detune"),
    presets=(
        Preset("Ensemble", "Six voices, wide.",
               {"copies": 6, "depth_s": 0.004, "width": 1.0}, ("string machine", "thick")),
    ),
    sources=("Dattorro 1997, Effect design 2 (modulated delay lines)",),
)  # fmt: skip
