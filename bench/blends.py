"""Recalls and blends between states of the starters: no click, and never much louder than both ends.

`python -m bench.blends [--count 500] [--seed 1]`. Each plays a starter, then recalls a state or blends to it within a
second, as the window does: a state is a variation, and one in three is built differently, too. The largest step from
sample to sample may be that of the louder end, and what the fades of an edit add (see tests/engine/test_sounding.py);
the loudest 400 ms may be 6 dB above those of the louder end.
"""

from __future__ import annotations

import argparse
import random
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.loudness import energies_of, programme_of
from dunefall.catalogue import catalogue
from dunefall.catalogue.varying import varied
from dunefall.compiler.records import RAMP_S
from dunefall.compiler.warmup import prepare
from dunefall.patch.changes import difference
from dunefall.patch.library import load_patch, starters
from dunefall.patch.mixing import mixed_layers
from dunefall.patch.model import Patch
from dunefall.patch.states import recalled
from dunefall.patch.take import Edit, Entry, Take
from dunefall.render.offline import render_to_array
from dunefall.vary.blend import blended

__all__ = ["main"]

RATE, BEFORE_S, BLEND_S, STEPS, AFTER_S, ENDS_S = 48000, 1.0, 1.0, 20, 0.7, 8.0
GLIDES_S = 0.1
MOST_LOUDER_DB, FADE_SAMPLES, MOST_GLIDE_DB = 6.0, 480, 30.0


@dataclass(frozen=True)
class _Heard:
    step: float
    peak: float
    loudest: float


def _heard(sound: NDArray[np.float64], until_s: float = ENDS_S) -> _Heard:
    """Of a sound; its steps from just before an edit on, and until a time."""
    edited = sound[round((BEFORE_S - 0.01) * RATE) : round(until_s * RATE)]
    step = float(np.abs(np.diff(edited, axis=0)).max())
    loudest = programme_of(energies_of(sound, RATE)[0]).loudest_momentary
    return _Heard(step, float(np.abs(sound).max()), loudest)


def _other(patch: Patch, dice: random.Random) -> Patch:
    """A state to go to."""
    modules = [module.id for layer in mixed_layers(patch) for module in layer.modules]
    other = varied(patch, modules, dice.uniform(0.2, 0.8), seed=dice.randrange(10_000))
    if dice.random() < 1 / 3:
        ends = {layer.output_id for layer in other.layers}
        one = dice.choice([module for module in other.modules() if module.id not in ends and module.type != "master"])
        if dice.random() < 0.5:
            return other.with_module(replace(one, bypassed=not one.bypassed))
        return other.without_module(one.id)
    return other


def _way(first: Patch, last: Patch, recall: bool) -> NDArray[np.float64]:
    """The sound of going from one to the other."""
    if recall:
        steps = [(BEFORE_S, first), (BEFORE_S, recalled(first, last))]
    else:
        shares = [k / STEPS for k in range(STEPS + 1)]
        steps = [(BEFORE_S + BLEND_S * share, recalled(first, blended(first, last, share))) for share in shares]
    entries = tuple(
        Entry(round(at * RATE), Edit(difference(before, after))) for (_, before), (at, after) in pairwise(steps)
    )
    entries = tuple(entry for entry in entries if isinstance(entry.what, Edit) and entry.what.changes)
    return render_to_array(Take(first, RATE, entries), seconds=BEFORE_S + BLEND_S + AFTER_S, rate=RATE)


def main() -> int:
    """Go between states, and print what was too much."""
    parser = argparse.ArgumentParser(prog="python -m bench.blends", description=__doc__)
    parser.add_argument("--count", type=int, default=500)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    prepare(catalogue())
    dice, names = random.Random(options.seed), sorted(starters())
    glide = MOST_GLIDE_DB * np.log(10) / 20 * 1.5 / (RAMP_S * RATE)
    bad, worst_step, worst_db = 0, 0.0, -np.inf
    for k in range(options.count):
        name, recall = dice.choice(names), dice.random() < 0.5
        first = load_patch(starters()[name])
        last = _other(first, dice)
        ends = [_heard(render_to_array(end, seconds=ENDS_S, rate=RATE)) for end in (first, last)]
        way = _heard(_way(first, last, recall), BEFORE_S + (0.0 if recall else BLEND_S) + GLIDES_S)
        peak = max(end.peak for end in ends)
        allowed = max(end.step for end in ends) + 2.0 * peak / FADE_SAMPLES + peak * glide
        step, louder = way.step / max(allowed, 1e-9), way.loudest - max(end.loudest for end in ends)
        worst_step, worst_db = max(worst_step, step), max(worst_db, louder)
        if step > 1.0 or louder > MOST_LOUDER_DB:
            bad += 1
            what = "recall" if recall else "blend"
            print(f"{k}: {what} in {name}: step {step:.2f} of what is allowed, {louder:+.1f} dB", flush=True)
    print(f"{options.count} recalls and blends from seed {options.seed}: {bad} too much; the largest step "
          f"{worst_step:.2f} of what is allowed, {worst_db:+.1f} dB at most")  # fmt: skip
    return min(bad, 1)


if __name__ == "__main__":
    raise SystemExit(main())
