"""Crusher: fewer samples, fewer bits."""

from __future__ import annotations

from dunefall.base.arrays import Key, Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.maths import exp2, fma, nearest
from dunefall.dsp.random import uniform

__all__ = ["MODULE"]

HELD, PHASE, DRAWS = range(3)
BITS = 0b100
FULL_BITS = 24.0
EARLY = 1e-9
"""A period of whole samples ends there, however the last digits were rounded."""


def kernel(
    audio: Row, rate_hz: Row, bits: Row, dither: Row, mix: Row, out: Row, state: State, key: Key, rate: Scalar,
    moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: value held, phase of the slow clock (0: take at once), random numbers drawn.

    Every period of the slow clock the sound is taken, with triangular dither of one step if asked, and rounded.
    """
    n, held, phase, draws, per = out.size, state[HELD], state[PHASE], state[DRAWS], 1.0 / rate
    steps = scratch[:n]
    if moving & BITS:
        for i in range(n):
            steps[i] = exp2(1.0 - bits[i])
    else:
        steps[:] = exp2(1.0 - bits[0])
    for i in range(n):
        if phase <= EARLY:
            phase += 1.0
            step, noise = steps[i], 0.0
            if dither[i] > 0.0:
                noise = (uniform(key, draws, 0) - uniform(key, draws + 1.0, 0)) * dither[i]
                draws += 2.0
            held = nearest(audio[i] / step + noise) * step if bits[i] < FULL_BITS else audio[i]
        phase -= min(rate_hz[i] * per, 1.0)
        out[i] = fma(held - audio[i], mix[i], audio[i])
    state[HELD], state[PHASE], state[DRAWS] = held, phase, draws


MODULE = ModuleSpec(
    id="crusher",
    name="Crusher",
    stage="shape",
    sentence="Reduces sample rate and bit depth: radios, alarms, broken machines.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),),
    params=(
        Param("rate_hz", "Rate", "hz", 50, 96000, 6000, "Resulting sample rate.", taper="octaves",
              amount=1.0),
        Param("bits", "Bits", "none", 1, FULL_BITS, 8, "Bit depth; 24 leaves levels unchanged.",
              amount=2.0),
        Param("dither", "Dither", "ratio", 0, 1, 0, "Dither: turns quantisation distortion into steady hiss.",
              amount=0.3),
        Param("mix", "Mix", "ratio", 0, 1, 1, "Dry/wet: from the dry sound to the crushed one.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    state=3,
    cycle=Cycle(lambda g: g.used("dither"), noise=True, free=lambda g: True),
    face="bits",
    passes="audio",
    shows="wave",
    words=("bitcrusher", "lo-fi", "digital", "downsample", "quantise", "radio"),
    presets=(
        Preset("Eight bits", "Eight bits at 8 kHz.",
               {"bits": 8, "rate_hz": 8000.0}, ("8-bit", "8 bit", "old game")),
        Preset("Old sampler", "Twelve bits at 26 kHz.",
               {"bits": 12, "rate_hz": 26000.0}, ("12-bit", "12 bit")),
    ),
    sources=("quantisation error of step q has the power q**2 / 12 (Bennett 1948)",
             "Lipshitz et al. 1992, Quantization and dither (triangular dither)"),
)  # fmt: skip
