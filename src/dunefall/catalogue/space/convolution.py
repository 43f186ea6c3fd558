"""Convolution: the sound as a real or computed place would answer it."""

from __future__ import annotations

from dunefall.base.arrays import Memory, Row, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma
from dunefall.dsp.partitions import DIRECT, convolve, end_quantum, memory_numbers
from dunefall.dsp.responses import LONGEST_S, ROOMS

__all__ = ["MODULE"]

QUANTUMS = 0
RATE = 48000


def kernel(
    audio: Row, audio_right: Row, width: Row, dry: Row, wet: Row, out: Row, out_right: Row, state: State,
    memory: Memory, start: int, scratch: Scratch, response: Row,
) -> None:  # fmt: skip
    """State: quantums so far. Memory and response: as ``dsp.partitions`` tells.

    What goes in is heard in the same sample; the spectra are worked on at the end of each quantum of 64 samples.
    """
    n, quantum = out.size, int(state[QUANTUMS])
    left, right = scratch[:n], scratch[64 : 64 + n]
    convolve(audio, left, memory, response, 0, quantum, start)
    convolve(audio_right, right, memory, response, 1, quantum, start)
    for i in range(n):
        middle, side = 0.5 * (left[i] + right[i]), 0.5 * width[i] * (left[i] - right[i])
        a, b = audio[i], audio_right[i]
        out[i], out_right[i] = fma(a, dry[i], (middle + side) * wet[i]), fma(b, dry[i], (middle - side) * wet[i])
    if start + n == DIRECT:
        end_quantum(memory, response, quantum)
        state[QUANTUMS] = quantum + 1.0


MODULE = ModuleSpec(
    id="convolution",
    name="Convolution",
    stage="space",
    sentence="Convolution reverb: one of twelve computed spaces, or an impulse response from a file.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("place", "Place", "choice", 0, len(ROOMS) - 1, 0, "Computed space; unused with a file.",
              tuple(room.name for room in ROOMS)),
        Param("width", "Width", "ratio", 0, 1.2, 1, "Stereo width.", amount=0.3),
        Param("dry", "Dry", "ratio", 0, 1, 0.8, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", 0, 1, 0.4, "How much of the place.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True, width="width"),),
    state=1,
    memory=memory_numbers(RATE) + 1000,
    memory_s=4.01 * LONGEST_S,
    sound="response",
    cycle=Cycle(memory_s=lambda g: LONGEST_S),
    face="place",
    passes="audio",
    words=("reverb", "impulse response", "room", "hall", "ir", "tunnel", "tank"),
    sources=("Gardner 1995, Efficient convolution without input-output delay",
             "Allen and Berkley 1979, Image method", "Eyring 1930, Reverberation time in dead rooms"),
)  # fmt: skip
