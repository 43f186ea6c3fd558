"""What is behind the listener: modules that place a sound around it, and what comes after them, in quad and 5.1."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from numpy.typing import NDArray

from dunefall.base.layouts import MOST_CHANNELS, layout_of
from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import run
from dunefall.compiler.traces import no_traces
from dunefall.patch.model import Module, Patch
from rig import RATE, patch_of

SECONDS = 1.0


def powers(patch: Patch) -> dict[str, float]:
    """Power of each channel of the mix, by its name; the first tenth of a second left out."""
    program = compile_patch(patch, rate=RATE)
    out = np.zeros((round(SECONDS * RATE), MOST_CHANNELS))
    run(program.plan, program.memory, no_traces(), out)
    found: NDArray[np.float64] = np.mean(out[4800:] ** 2, axis=0)
    speakers = layout_of(patch.layout).speakers
    return {speaker.short: float(power) for speaker, power in zip(speakers, found, strict=False)}


def placed(layout: str, angle_deg: float, *between: Module, source: float = 0.0) -> Patch:
    """A noise at a place, through other modules."""
    noise = Module("n", "noise", "Noise", {"width": source})
    place = Module("p", "position", "Place", {"angle_deg": angle_deg, "distance_m": 1.0, "early": 0.0, "air": 0.0})
    chain = [noise, place, *between, Module("a-output", "output", "A")]
    links = [(f"{a.id}.{'low' if a.type == 'filter' else 'out'}", f"{b.id}.audio", 1.0) for a, b in pairwise(chain)]
    return patch_of(*chain, links=tuple(links), layout=layout)


@pytest.mark.parametrize("layout", ["quad", "5.1"])
@pytest.mark.parametrize("width", [0.0, 1.0], ids=["mono", "stereo"])
def test_what_is_placed_behind_sounds_behind(layout: str, width: float) -> None:
    """Position folded what is behind to the front."""
    shorts = [speaker.short for speaker in layout_of(layout).speakers]
    behind = [speaker.short for speaker in layout_of(layout).speakers if abs(speaker.angle_deg) > 90]
    heard = powers(placed(layout, 180.0, source=width))
    assert sum(heard[x] for x in behind) > 0.999 * sum(heard.values())
    ahead = powers(placed(layout, 0.0, source=width))
    assert sum(ahead[x] for x in shorts[:2]) > 0.999 * sum(ahead.values())
    assert sum(heard.values()) == pytest.approx(sum(ahead.values()), rel=0.01)


def test_each_speaker_plays_what_is_placed_at_it() -> None:
    for speaker in layout_of("quad").speakers:
        heard = powers(placed("quad", speaker.angle_deg))
        assert heard[speaker.short] > 0.999 * sum(heard.values())


@pytest.mark.parametrize("between", [
    Module("f", "filter", "F"), Module("f", "chorus", "C"), Module("f", "compressor", "C"), Module("f", "reverb", "R"),
], ids=lambda module: module.type)  # fmt: skip
def test_what_comes_after_it_is_behind_as_well(between: Module) -> None:
    """Mono and stereo modules run for the pair behind, too."""
    heard = powers(placed("quad", 180.0, between))
    names = [speaker.short for speaker in layout_of("quad").speakers]
    assert heard[names[2]] + heard[names[3]] > 0.999 * sum(heard.values()) > 0.0


def test_in_stereo_nothing_is_lost() -> None:
    back, front = powers(placed("stereo", 180.0)), powers(placed("stereo", 0.0))
    assert back == pytest.approx(front, rel=0.01)


def test_a_level_that_moves_holds_behind_as_well() -> None:
    """Links that move a module move what it is for the pair behind."""
    gate = Module("f", "amplifier", "Gain", {"gain": 0.0})
    assert sum(powers(placed("quad", 180.0, gate)).values()) == 0.0
    control = Module("k", "named-control", "K", {"value": 1.0})
    patch = placed("quad", 180.0, gate)
    layer = patch.layer("a")
    moved = patch_of(
        *layer.modules, control, layout="quad",
        links=(*((str(x.source), str(x.target), x.amount) for x in patch.links), ("k.out", "f.gain", 0.5)),
    )  # fmt: skip
    assert sum(powers(moved).values()) == pytest.approx(0.25 * sum(powers(placed("quad", 180.0)).values()), rel=1e-6)


@pytest.mark.parametrize("layout", ["quad", "5.1"])
def test_the_cloud_goes_round_the_listener(layout: str) -> None:
    """Its channels behind were exactly 0."""
    noise = Module("n", "noise", "Noise")
    cloud = Module("g", "grain-cloud", "Cloud", {"dry": 0.0, "wet": 1.0, "spread": 1.0, "turn_hz": 1.0})
    links = (("n.out", "g.audio", 1.0), ("g.out", "a-output.audio", 1.0))
    heard = powers(patch_of(noise, cloud, Module("a-output", "output", "A"), links=links, layout=layout))
    each = [heard[x.short] for x in layout_of(layout).speakers if x.angle_deg or x.short.startswith(("L", "R"))]
    loud = [power for power in each if power > 0.0]
    assert len(loud) >= 4
    assert min(loud) > 0.1 * max(loud)
