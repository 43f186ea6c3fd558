"""Whole patches sound as they did: their strength and their likeness to a fixed noise, each tenth of a second."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from dunefall.compiler.sounds import import_sounds
from dunefall.patch.library import starters
from dunefall.patch.model import Patch
from dunefall.render.offline import render_to_array
from dunefall.session import open_patch

FILE = Path(__file__).with_name("same_sound.json")
SECONDS, PIECE = 1.0, 4800


def patches() -> dict[str, Patch]:
    """All that ships, and the demo with several voices in each layer and in quad."""
    found = {name: open_patch(f"starter:{name}")[0] for name in starters()}
    demo, _ = open_patch("demo:")
    layers = tuple(replace(x, voices=3, spread=0.4) if x.output_id and not x.effects else x for x in demo.layers)
    voices, quad = replace(demo, layers=layers), replace(demo, layout="quad")
    return {**found, "demo": demo, "demo, voices": voices, "demo, quad": quad}


def course(patch: Patch) -> list[float]:
    """Strength and likeness of each tenth of a second, all channels."""
    import_sounds(patch)
    sound = render_to_array(patch, seconds=SECONDS)
    noise = np.random.default_rng(5).normal(0, 1, sound.shape)
    numbers = []
    for at in range(0, len(sound), PIECE):
        piece = sound[at : at + PIECE].astype(float)
        strength = float(np.sqrt(np.mean(piece**2)))
        likeness = np.sum(piece * noise[at : at + PIECE]) / np.sqrt(piece.size) / max(strength, 1e-9)
        numbers += [strength, float(likeness)]
    return numbers


@pytest.mark.parametrize("name", list(patches()))
def test_a_patch_sounds_as_it_did(name: str) -> None:
    """What is meant to sound otherwise is written anew by `python tests/compiler/test_same_sound.py`."""
    assert course(patches()[name]) == pytest.approx(json.loads(FILE.read_text())[name], rel=1e-3, abs=1e-3)


if __name__ == "__main__":
    made = {name: [float(f"{x:.7g}") for x in course(patch)] for name, patch in patches().items()}
    FILE.write_text("{\n" + ",\n".join(f"{json.dumps(name)}: {json.dumps(x)}" for name, x in made.items()) + "\n}\n")
