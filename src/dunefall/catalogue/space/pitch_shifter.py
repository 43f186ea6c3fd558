"""Pitch shifter: the same sound higher or lower, at the same speed."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.lines import read_ring
from dunefall.dsp.maths import exp2, floor, fma, sine
from dunefall.dsp.saturation import saturate

__all__ = ["MODULE"]

WRITE, HEAD, BACK, BACK_RIGHT, STATE = range(5)
LONGEST_S, LONGEST_DELAY_S = 0.25, 1.0
KNEE = 1.0
LEAST = 8.0


def kernel(
    audio: Row, audio_right: Row, shift_st: Row, fine_ct: Row, window_s: Row, delay_s: Row, feedback: Row, dry: Row,
    wet: Row, out: Row, out_right: Row, state: State, memory: Memory, rate: Scalar, wanted: Mask,
) -> None:  # fmt: skip
    """State: place of writing, how far the first of the two reading places is through its window [0, 1), what is fed
    back on both sides. Memory: a ring for each side.

    Two heads read the ring at another speed; each fades out before it meets the write position, and starts again.
    """
    size, write, head = memory.size // 2, int(state[WRITE]), state[HEAD]
    back, back_right = state[BACK], state[BACK_RIGHT]
    both = wanted & 0b10 != 0
    for i in range(out.size):
        memory[write] = audio[i] + saturate(feedback[i] * back, KNEE)
        if both:
            memory[size + write] = audio_right[i] + saturate(feedback[i] * back_right, KNEE)
        write = write + 1 if write + 1 < size else 0
        window, least = window_s[i] * rate, fma(delay_s[i], rate, LEAST)
        back = _two(memory, 0, size, write, head, window, least)
        out[i] = fma(audio[i], dry[i], back * wet[i])
        if both:
            back_right = _two(memory, size, size, write, head, window, least)
            out_right[i] = fma(audio_right[i], dry[i], back_right * wet[i])
        head += (1.0 - exp2(fma(0.01, fine_ct[i], shift_st[i]) * (1.0 / 12.0))) / window
        head -= floor(head)
    state[WRITE], state[HEAD], state[BACK], state[BACK_RIGHT] = write, head, back, back_right


@njit(error_model="numpy", forceinline=True)
def _two(memory: Row, first: int, size: int, write: int, head: float, window: float, least: float) -> float:
    """Both reading places, half a window apart; the squares of their gains add up to one."""
    other = head + 0.5 if head < 0.5 else head - 0.5
    gain = sine(0.5 * head)
    share = gain * gain
    a = read_ring(memory, first, size, write, min(fma(window, head, least), size - 4.0))
    b = read_ring(memory, first, size, write, min(fma(window, other, least), size - 4.0))
    return fma(share, a - b, b)


MODULE = ModuleSpec(
    id="pitch-shifter",
    name="Pitch shifter",
    stage="space",
    sentence="Shifts the pitch by semitones; with feedback each repeat climbs or sinks further.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("shift_st", "Shift", "st", -24, 24, 12, "How far.", amount=12.0),
        Param("fine_ct", "Fine", "cents", -100, 100, 0, "And how much beside.", amount=20.0),
        Param("window_s", "Window", "s", 0.01, LONGEST_S, 0.08, "Window length: short for percussive sounds, long for "
              "chords.", taper="octaves", amount=0.5),
        Param("delay_s", "Delay", "s", 0.0001, LONGEST_DELAY_S, 0.0001, "Extra delay on top of the window.",
              taper="octaves", amount=1.0),
        Param("feedback", "Feedback", "ratio", -0.98, 0.98, 0, "Feeds the shifted sound back in.", amount=0.2),
        Param("dry", "Dry", "ratio", 0, 1, 0, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", 0, 1, 1, "Level of the shifted sound.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True),),
    state=STATE,
    memory_s=2 * (LONGEST_S + LONGEST_DELAY_S + 0.001),
    face="shift_st",
    passes="audio",
    words=("harmony", "octave", "shimmer", "transpose", "detune", "spiral"),
    presets=(
        Preset("Octave above", "Twelve semitones higher.",
               {"shift_st": 12.0}, ("shift up",)),
        Preset("Octave below", "Twelve semitones lower.",
               {"shift_st": -12.0}, ("shift down", "giant")),
    ),
    sources=("Dattorro 1997, Effect design 2 (delay-line pitch change, from memory)",),
)  # fmt: skip
