"""Folder: what passes the ceiling is folded back."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, pole_s
from dunefall.dsp.halfband import FOUR_SIZE, quartered, risen_twice
from dunefall.dsp.maths import floor, fma
from dunefall.dsp.onepole import one_pole_share

__all__ = ["MODULE"]

LAST, MEAN, UP = range(3)
DOWN, DRY = UP + FOUR_SIZE, UP + 2 * FOUR_SIZE
STATE = DRY + FOUR_SIZE
STEADY_HZ, OFF = 5.0, 20.0
"""Folding a wave off its middle makes a constant: there, what is slower than this does not leave it."""
NEAR = 1e-5  # below this step the mean of the two values is used instead of the quotient


def kernel(audio: Row, drive: Row, symmetry: Row, mix: Row, out: Row, state: State, rate: Scalar) -> None:
    """State: the last driven value, the slow part of what is folded, then the filters to four times the rate and back
    for the folded sound and for the plain one.

    At four times the sample rate, the mean of the folded curve over each step of the driven sound (antiderivative
    antialiasing): what folds back lies 40 dB below up to 2.5 kHz at a drive of 8, and 30 dB below at 5 kHz.
    """
    last, slow, share = state[LAST], state[MEAN], one_pole_share(STEADY_HZ, rate)
    for i in range(audio.size):
        a, b, c, d = risen_twice(audio[i], state, UP)
        plain = quartered(a, b, c, d, state, DRY)
        a, b = fma(a, drive[i], symmetry[i]), fma(b, drive[i], symmetry[i])
        c, d = fma(c, drive[i], symmetry[i]), fma(d, drive[i], symmetry[i])
        wet = quartered(_mean(last, a), _mean(a, b), _mean(b, c), _mean(c, d), state, DOWN)
        last = d
        slow = fma(share, wet - slow, slow)
        wet -= slow * min(OFF * abs(symmetry[i]), 1.0)
        out[i] = fma(wet - plain, mix[i], plain)
    state[LAST], state[MEAN] = last, slow


@njit(error_model="numpy", forceinline=True)
def _mean(a: float, b: float) -> float:
    """Mean of the folded curve between two values."""
    step = b - a
    small = abs(step) < NEAR
    quotient = (_area(b) - _area(a)) / (1.0 if small else step)
    return _fold(0.5 * (a + b)) if small else quotient


@njit(error_model="numpy", forceinline=True)
def _fold(x: float) -> float:
    """A triangle of slope 1 through 0 that turns at -1 and 1."""
    at = fma(x, 0.25, 0.25)
    return 1.0 - abs(fma(4.0, at - floor(at), -2.0))


@njit(error_model="numpy", forceinline=True)
def _area(x: float) -> float:
    """Antiderivative of ``_fold``; periodic, as its mean is 0."""
    at = fma(x, 0.25, 0.25)
    u = fma(4.0, at - floor(at), -2.0)
    return u * (1.0 - 0.5 * abs(u))


MODULE = ModuleSpec(
    id="folder",
    name="Folder",
    stage="shape",
    sentence="Folds the peaks of a wave back, so that a plain tone turns bright and lively as its level rises.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("drive", "Drive", "factor", 0.1, 32, 2, "Level before folding: 1 leaves a full-scale wave unchanged.",
              taper="octaves", amount=2.0),
        Param("symmetry", "Symmetry", "ratio", -1, 1, 0, "Offset of the wave before folding.", amount=0.3),
        Param("mix", "Mix", "ratio", 0, 1, 1, "Dry/wet: from the dry sound to the folded one.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=STATE,
    handle=("symmetry", "drive"),
    cycle=Cycle(memory_s=lambda g: pole_s(STEADY_HZ)),
    face="drive",
    passes="audio",
    shows="wave",
    words=("wavefolder", "fold", "distortion", "harmonics", "bright"),
    sources=("Parker, Zavalishin, Le Bivic 2016, antiderivative antialiasing (DAFx-16)",),
)  # fmt: skip
