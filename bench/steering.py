"""Steering on every starter: darker, brighter, sparser, denser, where that makes sense.

`python -m bench.steering [--starter NAME …] [--word WORD …] [--seed 1]`. Told for each: whether the wanted descriptor
has moved by twice its spread and no other by more than its own, and with how many sounds of 3 s.
"""

from __future__ import annotations

import argparse

from dunefall.catalogue import catalogue
from dunefall.compiler.warmup import prepare
from dunefall.patch.library import load_patch, starters
from dunefall.patch.mixing import mixed_layers
from dunefall.vary.steer import steered
from dunefall.vary.variations import USUAL_KINDS

__all__ = ["main"]

ASKED = ("darker", "brighter", "sparser", "denser")


def main() -> int:
    """Steer, and print what came of it."""
    parser = argparse.ArgumentParser(prog="python -m bench.steering", description=__doc__)
    parser.add_argument("--starter", action="append", choices=sorted(starters()))
    parser.add_argument("--word", action="append")
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    prepare(catalogue())
    there = whole = senseless = 0
    for name in options.starter or sorted(starters()):
        patch = load_patch(starters()[name])
        modules = [module.id for layer in mixed_layers(patch) for module in layer.modules]
        for word in options.word or ASKED:
            found = steered(patch, modules, USUAL_KINDS, {word: 1.0}, seed=options.seed)
            whole += 1
            there += found.reached
            senseless += not found.possible
            steps = " ".join(f"{step:+.1f}" for step in found.steps)
            print(f"{name}, {word}: {found.told} ({found.renders} sounds; {steps})", flush=True)
    print(f"{there} of {whole} there; {senseless} that no sound of 3 s can be")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
