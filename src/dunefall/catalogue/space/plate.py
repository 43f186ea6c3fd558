"""Plate: a sheet of steel that answers at once, dense and bright."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, ringing
from dunefall.dsp.lines import read_ring
from dunefall.dsp.maths import exp2, floor, fma, sine
from dunefall.dsp.onepole import one_pole_share

__all__ = ["MODULE"]

WRITE, PHASE, BAND, DULL, DULL_RIGHT, BACK, BACK_RIGHT, STATE = range(8)
PLATE_HZ = 29761.0
INPUT = (142, 107, 379, 277)
INPUT_FACTORS = (0.75, 0.75, 0.625, 0.625)
TANK = (672, 4453, 1800, 3720, 908, 4217, 2656, 3163)
"""Of both halves: an all-pass that moves, a delay, an all-pass, a delay; in samples of the published plate."""
TAPS_LEFT = ((5, 266, 0.6), (5, 2974, 0.6), (6, 1913, -0.6), (7, 1996, 0.6), (1, 1990, -0.6), (2, 187, -0.6),
             (3, 1066, -0.6))  # fmt: skip
TAPS_RIGHT = ((1, 353, 0.6), (1, 3627, 0.6), (2, 1228, -0.6), (3, 2673, 0.6), (5, 2111, -0.6), (6, 335, -0.6),
              (7, 121, -0.6))  # fmt: skip
SEVEN = len(TAPS_LEFT)
ROUND_S = sum(TANK) / PLATE_HZ
LONGEST = 4600
RINGS = len(INPUT) + len(TANK)
SWAY = 16.0
FIRST, SECOND = 0.7, 0.5
RINGS_OUT = -19.93
"""Of an all-pass's factor, times its length by the decay: so that it rings for half as long as the plate."""
STRETCH = 1.5


def kernel(
    audio: Row, decay_s: Row, size: Row, damping_hz: Row, motion: Row, width: Row, dry: Row, wet: Row, out: Row,
    out_right: Row, state: State, memory: Memory, rate: Scalar, moving: Mask,
) -> None:  # fmt: skip
    """State: place of writing, phase of the movement, values of the low-passes at the input and of both halves, what
    leaves both halves. Memory: a ring for each all-pass and delay.

    Two halves feed each other, each of an all-pass, a delay, a low-pass, an all-pass and a delay; left and right are
    taken at seven places of them.
    """
    ring, write, phase = memory.size // RINGS, int(state[WRITE]), state[PHASE]
    back, back_right = state[BACK], state[BACK_RIGHT]
    unit = rate / PLATE_HZ
    for i in range(out.size):
        if i == 0 or moving & 0b001110:
            scale = unit * size[i]
            share = one_pole_share(damping_hz[i], rate)
            first = min(FIRST, exp2(RINGS_OUT * TANK[4] / PLATE_HZ * size[i] / decay_s[i]))
            second = min(SECOND, exp2(RINGS_OUT * TANK[6] / PLATE_HZ * size[i] / decay_s[i]))
            kept = exp2(-9.965784284662087 * 0.25 * ROUND_S * size[i] / decay_s[i])
        state[BAND] = fma(0.9, audio[i] - state[BAND], state[BAND])
        x = state[BAND]
        for k in range(len(INPUT)):
            x = _all_pass(x, INPUT_FACTORS[k], memory, k * ring, ring, write, floor(INPUT[k] * unit))
        sway = SWAY * unit * motion[i]
        y = _half(fma(kept, back_right, x), 0, kept, share, sway * sine(phase), scale, first, second, memory, ring,
                  write, state)  # fmt: skip
        z = _half(fma(kept, back, x), 1, kept, share, sway * sine(phase + 0.25), scale, first, second, memory, ring,
                  write, state)  # fmt: skip
        back, back_right = y, z
        a = _taken(TAPS_LEFT, memory, ring, write, scale)
        b = _taken(TAPS_RIGHT, memory, ring, write, scale)
        middle, side = 0.5 * (a + b), 0.5 * width[i] * (a - b)
        out[i] = fma(audio[i], dry[i], (middle + side) * wet[i])
        out_right[i] = fma(audio[i], dry[i], (middle - side) * wet[i])
        write = write + 1 if write + 1 < ring else 0
        phase += 0.7 / rate
        phase -= floor(phase)
    state[WRITE], state[PHASE], state[BACK], state[BACK_RIGHT] = write, phase, back, back_right


@njit(error_model="numpy", forceinline=True)
def _all_pass(x: float, factor: float, memory: Memory, first: int, ring: int, write: int, samples: float) -> float:
    old = read_ring(memory, first, ring, write, samples)
    fresh = fma(-factor, old, x)
    memory[first + write] = fresh
    return fma(factor, fresh, old)


@njit(error_model="numpy", forceinline=True)
def _half(
    x: float, half: int, kept: float, share: float, sway: float, scale: float, first: float, second: float,
    memory: Memory, ring: int, write: int, state: State,
) -> float:  # fmt: skip
    """A sample through one half of the tank: what leaves it."""
    at = (len(INPUT) + 4 * half) * ring
    x = _all_pass(x, -first, memory, at, ring, write, fma(TANK[4 * half], scale, sway))
    memory[at + ring + write] = x
    x = read_ring(memory, at + ring, ring, write, TANK[4 * half + 1] * scale)
    dull = fma(share, x - state[DULL + half], state[DULL + half])
    state[DULL + half] = dull
    x = _all_pass(dull * kept, second, memory, at + 2 * ring, ring, write, TANK[4 * half + 2] * scale)
    memory[at + 3 * ring + write] = x
    return read_ring(memory, at + 3 * ring, ring, write, TANK[4 * half + 3] * scale)


@njit(error_model="numpy", forceinline=True)
def _taken(taps: tuple[tuple[int, int, float], ...], memory: Row, ring: int, write: int, scale: float) -> float:
    """The sum of what is heard of the tank."""
    heard = 0.0
    for k in range(SEVEN):
        which, samples, gain = taps[k]
        heard = fma(gain, read_ring(memory, (len(INPUT) + which) * ring, ring, write, samples * scale), heard)
    return heard


MODULE = ModuleSpec(
    id="plate",
    name="Plate",
    stage="space",
    sentence="Plate reverb: a dense, bright tail that starts at once.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("decay_s", "Decay", "s", 0.2, 30, 2.8, "Decay time (RT60).", taper="octaves",
              amount=1.0),
        Param("size", "Size", "factor", 0.3, STRETCH, 1, "Size of the plate; changing it bends the pitch of the tail.",
              amount=0.2),
        Param("damping_hz", "Damping", "hz", 500, 20000, 7000, "Above this frequency the tail decays faster.",
              taper="octaves", amount=1.0),
        Param("motion", "Motion", "ratio", 0, 1, 0.4, "How far it moves in itself.", amount=0.3),
        Param("width", "Width", "ratio", 0, 1.2, 1, "Stereo width.", amount=0.3),
        Param("dry", "Dry", "ratio", 0, 1, 0.8, "Level of the dry sound.", amount=0.3),
        Param("wet", "Wet", "ratio", 0, 1, 0.4, "How much of the plate.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio", stereo=True, width="width"),),
    state=STATE,
    memory=RINGS * 96,
    memory_s=RINGS * LONGEST * STRETCH / PLATE_HZ,
    cycle=Cycle(free=lambda g: g.used("motion"), memory_s=lambda g: ringing(g, "decay_s")),
    face="decay_s",
    passes="audio",
    words=("reverb", "steel", "sheet", "bright", "tail", "metal"),
    sources=("Dattorro 1997, Effect design 1 (the plate, from memory)",),
)  # fmt: skip
