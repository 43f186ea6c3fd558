"""Flanger: a sound against itself a moment later; the notches between them wander."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, fed_back
from dunefall.dsp.lines import read_ring
from dunefall.dsp.maths import floor, fma, sine
from dunefall.dsp.saturation import saturate

__all__ = ["MODULE"]

WRITE, PHASE, BACK, BACK_RIGHT, STATE = range(5)
LONGEST_S = 0.05
KNEE = 1.0


def kernel(
    audio: Row, audio_right: Row, delay_s: Row, depth: Row, rate_hz: Row, feedback: Row, through: Row, apart: Row,
    dry: Row, wet: Row, out: Row, out_right: Row, state: State, memory: Memory, rate: Scalar,
) -> None:  # fmt: skip
    """State: place of writing, phase of the movement, what is fed back on both sides. Memory: a ring for each side."""
    size, write, phase, per = memory.size // 2, int(state[WRITE]), state[PHASE], 1.0 / rate
    back, back_right = state[BACK], state[BACK_RIGHT]
    for i in range(out.size):
        memory[write] = audio[i] + saturate(feedback[i] * back, KNEE)
        memory[size + write] = audio_right[i] + saturate(feedback[i] * back_right, KNEE)
        write = write + 1 if write + 1 < size else 0
        middle = delay_s[i] * rate
        a = _place(fma(middle * depth[i], sine(phase), middle), size)
        b = _place(fma(middle * depth[i], sine(fma(0.5, apart[i], phase)), middle), size)
        back, back_right = read_ring(memory, 0, size, write, a), read_ring(memory, size, size, write, b)
        x, y = audio[i], audio_right[i]
        if through[i] > 0.0:
            still = _place(middle, size)
            x = fma(through[i], read_ring(memory, 0, size, write, still) - x, x)
            y = fma(through[i], read_ring(memory, size, size, write, still) - y, y)
        out[i], out_right[i] = fma(x, dry[i], back * wet[i]), fma(y, dry[i], back_right * wet[i])
        phase = fma(rate_hz[i], per, phase)
        phase -= floor(phase)
    state[WRITE], state[PHASE], state[BACK], state[BACK_RIGHT] = write, phase, back, back_right


@njit(error_model="numpy", forceinline=True)
def _place(samples: float, size: int) -> float:
    """A delay in samples, counted from the place of writing."""
    return min(max(samples, 0.0), size - 5.0) + 1.0


MODULE = ModuleSpec(
    id="flanger",
    name="Flanger",
    stage="space",
    sentence="Adds a short, moving delay to the sound: hollow sweeps, metal, jets.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", stereo=True),),
    params=(
        Param("delay_s", "Delay", "s", 0.0001, 0.02, 0.002, "Centre of the moving delay.", taper="octaves",
              amount=0.5),
        Param("depth", "Depth", "ratio", 0, 1, 0.7, "Depth, as a share of the delay.", amount=0.3),
        Param("rate_hz", "Rate", "hz", 0.01, 10, 0.12, "How fast.", taper="octaves", amount=1.0),
        Param("feedback", "Feedback", "ratio", -0.97, 0.97, 0.4, "How sharply the notches stand out.", amount=0.2),
        Param("through", "Dry comes", "choice", 0, 1, 0, "Dry sound undelayed, or delayed to the centre for "
              "through-zero flanging.", ("at once", "in the middle"), amount=1.0),
        Param("apart", "Apart", "ratio", 0, 1, 0, "Phase offset of the right channel; fully, it moves the opposite "
              "way.", amount=0.3),
        Param("dry", "Dry", "ratio", 0, 1, 0.7, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", -1, 1, 0.7, "Level of the delayed sound; negative subtracts it.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True, width="apart"),),
    state=STATE,
    memory_s=2 * LONGEST_S,
    cycle=Cycle(None, lambda g: 1.0 / g.values["rate_hz"], ("rate_hz",),
                memory_s=lambda g: fed_back(g, "feedback", 2.0 * g.values["delay_s"])),
    face="rate_hz",
    passes="audio",
    groups=(
        ("Sweep", ("through", "apart")),
    ),
    words=("jet", "comb", "sweep", "metal", "hollow", "through zero"),
    sources=("Dattorro 1997, Effect design 2 (modulated delay lines)",),
)  # fmt: skip
