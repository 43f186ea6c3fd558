"""Drive: from a little warmth to a torn speaker."""

from __future__ import annotations

import math

from numba import njit

from dunefall.base.arrays import Mask, Memory, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, pole_s
from dunefall.dsp.halfband import SIZE, halved, risen
from dunefall.dsp.maths import db_to_gain, fma, tangent_parts
from dunefall.dsp.onepole import one_pole_share
from dunefall.dsp.svf import mean

__all__ = ["MODULE"]

LAST, CALM, TONED, STATE = range(4)
CALM_HZ = 8.0
TINY = 1e-5


def kernel(
    audio: Row, drive_db: Row, bias: Row, tone_hz: Row, mix: Row, level_db: Row, out: Row, state: State, memory: Memory,
    rate: Scalar, moving: Mask,
) -> None:  # fmt: skip
    """State: the curve's last input, the values of the filters for constant parts and for the tone. Memory: the filters
    to and from the double rate.

    At the double rate through x / sqrt(1 + x^2), by the difference of its integral sqrt(1 + x^2), so that what it makes
    above half the rate is weak; a quiet sound is made louder by the square root of the drive only.
    """
    last, calm, toned = state[LAST], state[CALM], state[TONED]
    slow = one_pole_share(CALM_HZ, rate)
    for i in range(out.size):
        if i == 0 or moving & 0b001010:
            gain = db_to_gain(drive_db[i])
            made_up = 1.0 / math.sqrt(gain)
            up, down = tangent_parts(min(2.0 * tone_hz[i] / rate, 0.97))
            share = up / (up + down)
        if i == 0 or moving & 0b100000:
            level = db_to_gain(level_db[i])
        a, b = risen(audio[i], memory, 0)
        at = fma(gain, a, bias[i])
        first = _curve(last, at)
        last = fma(gain, b, bias[i])
        wet = halved(first, _curve(at, last), memory, SIZE) * made_up
        calm = fma(slow, wet - calm, calm)
        wet -= calm
        step = share * (wet - toned)
        low = toned + step
        toned = low + step
        out[i] = fma(mix[i], low - audio[i], audio[i]) * level
    state[LAST], state[CALM], state[TONED] = last, calm, toned


@njit(error_model="numpy", forceinline=True)
def _curve(before: float, now: float) -> float:
    """Mean of the curve between two inputs."""
    step = now - before
    if abs(step) < TINY:
        x = mean(before, now)
        return x / math.sqrt(fma(x, x, 1.0))
    return (math.sqrt(fma(now, now, 1.0)) - math.sqrt(fma(before, before, 1.0))) / step


MODULE = ModuleSpec(
    id="drive",
    name="Drive",
    stage="space",
    sentence="Saturates a sound: warmth, grit, a torn speaker.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("drive_db", "Drive", "db", 0, 48, 12, "How hard.", amount=6.0),
        Param("bias", "Bias", "ratio", -2, 2, 0, "Asymmetry: adds even harmonics.", amount=0.3),
        Param("tone_hz", "Tone", "hz", 200, 20000, 9000, "Above this it is dulled.", taper="octaves", amount=1.0),
        Param("mix", "Mix", "ratio", 0, 1, 1, "Dry/wet: from the dry sound to the driven one.", amount=0.3),
        Param("level_db", "Level", "db", -36, 12, 0, "Level of the output, dry and driven sound alike.", amount=6.0),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=STATE,
    memory=2 * SIZE,
    cycle=Cycle(memory_s=lambda g: pole_s(CALM_HZ)),
    face="drive_db",
    passes="audio",
    shows="wave",
    words=("distortion", "saturation", "overdrive", "warm", "tape", "speaker", "grit"),
    sources=("Parker et al. 2016, Reducing the aliasing of nonlinear waveshaping (antiderivatives)",
             "elliptic half-band filters, as dsp.halfband tells"),
)  # fmt: skip
