"""Ring modulator: sums and differences of two sounds."""

from __future__ import annotations

from dunefall.base.arrays import Row
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma

__all__ = ["MODULE"]


def kernel(audio: Row, carrier: Row, leak: Row, mix: Row, out: Row) -> None:
    """Keeps nothing."""
    for i in range(out.size):
        wet = audio[i] * fma(carrier[i], 1.0 - leak[i], leak[i])
        out[i] = fma(wet - audio[i], mix[i], audio[i])


MODULE = ModuleSpec(
    id="ring-modulator",
    name="Ring modulator",
    stage="shape",
    sentence="Multiplies two sounds, leaving only the sum and difference frequencies: bells and robots.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio"),
            Input("carrier", "Carrier", "audio", "What it is multiplied with.", steers=True)),
    params=(
        Param("leak", "Leak", "ratio", 0, 1, 0, "From ring modulation (no carrier) to amplitude modulation.",
              amount=0.3),
        Param("mix", "Mix", "ratio", 0, 1, 1, "Dry/wet: from the dry sound to the product.", amount=0.3),
    ),
    outputs=(Output("out", "Audio", "audio"),),
    begins={"leak": 0.5},
    face="leak",
    passes="audio",
    shows="wave",
    words=("multiply", "bell", "robot", "metallic", "amplitude modulation"),
    sources=("product of two sines: half the sines of difference and sum (trigonometry)",),
)  # fmt: skip
