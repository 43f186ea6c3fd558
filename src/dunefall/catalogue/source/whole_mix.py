"""Whole mix: the sum of all layers, for what is inserted before the master."""

from __future__ import annotations

from dunefall.base.arrays import Row
from dunefall.base.layouts import LAYOUTS
from dunefall.catalogue.declare import ModuleSpec, Output, Param

__all__ = ["MODULE"]

SURROUND = 6
"""Channels of 5.1."""


def kernel(
    layout: Row, out: Row, out_right: Row, behind: Row, behind_right: Row, middle: Row, middle_right: Row,
    whole_mix: Row,
) -> None:  # fmt: skip
    """Keeps nothing. The order of the channels is that of the layout."""
    channels = 2 * int(layout[0] + 1.5)
    for i in range(out.size):
        out[i], out_right[i] = whole_mix[i], whole_mix[64 + i]
    if channels > 2:
        back = 64 * (channels - 2)
        for i in range(out.size):
            behind[i], behind_right[i] = whole_mix[back + i], whole_mix[back + 64 + i]
    if channels == SURROUND:
        for i in range(out.size):
            middle[i], middle_right[i] = whole_mix[128 + i], whole_mix[192 + i]


MODULE = ModuleSpec(
    id="whole-mix",
    name="Whole mix",
    stage="source",
    sentence="All layers together, before the master: effects between here and the master work on the whole mix.",
    kernel=kernel,
    params=(
        Param("layout", "Layout", "choice", 0, 2, 0, "The loudspeakers of the patch.",
              tuple(layout.name for layout in LAYOUTS), follows="layout"),
    ),
    outputs=(
        Output("out", "Audio", "audio", stereo=True),
        Output("behind", "Behind", "audio", stereo=True),
        Output("middle", "Centre and low effects", "audio", stereo=True),
    ),
    words=("insert", "mix bus", "sum"),
    sources=("definition",),
)  # fmt: skip
