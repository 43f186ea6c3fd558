"""Pairs of sounds of which the truth is known: is it told in words?

`python -m bench.pairs` makes twenty pairs for each word, and twenty that differ by their seed only, and prints how many
are named rightly; `tests/vary/test_words.py` does so with fewer.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import replace
from functools import cache

import numpy as np

from dunefall.analysis.descriptors import Descriptors
from dunefall.catalogue import catalogue
from dunefall.compiler.warmup import prepare
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from dunefall.vary.variations import by_chance, described_patch
from dunefall.vary.words import DIMENSIONS, NEARLY, Chance, difference_of, words_of

__all__ = ["TRUTHS", "named_rightly", "nearly_the_same", "voice"]

FAMILIES, SECONDS = 20, 12.0
LEAST_RIGHT, LEAST_SAME = 19, 18


def voice(k: int) -> Patch:
    """One of twenty sounds: notes at irregular times through a filter, with some noise, each with its own values."""
    dice = np.random.default_rng(k)
    modules = (
        Module("clock", "clock", "Clock", {"sync": 1, "period_s": dice.uniform(0.25, 0.4), "humanise": 0.2}),
        Module("chance", "chance", "Chance", {"probability": dice.uniform(0.6, 0.9)}),
        Module("env", "envelope", "Envelope", {"kind": 0, "attack_s": 0.003, "decay_s": dice.uniform(0.2, 0.4),
                                               "sustain": 0.0, "release_s": 0.05}),
        Module("osc", "oscillator", "Oscillator", {"pitch_note": dice.integers(40, 64), "shape": 2, "level": 0.6}),
        Module("hiss", "noise", "Noise", {"colour": 0}),
        Module("sum", "mix", "Mix", {"level_a": 1.0, "level_b": 0.3, "level_c": 0.0, "level_d": 0.0}),
        Module("low", "filter", "Filter", {"cutoff_hz": dice.uniform(500, 1200), "resonance": 0.2}),
        Module("amp", "amplifier", "Amplifier", {"gain": 0.0}),
        Module("beat", "amplifier", "Beat", {"gain": 1.0}),
        Module("buzz", "oscillator", "Buzz", {"pitch_note": 37.2, "shape": 0, "level": 1.0}),
        Module("wide", "chorus", "Chorus", {"dry": 1.0, "wet": 0.0, "width": 1.0}),
        Module("a-output", "output", "Output", {"level_db": -12.0}),
    )  # fmt: skip
    links = (
        ("clock.gate", "chance.trigger", 1.0), ("chance.passed", "env.trigger", 1.0), ("env.out", "amp.gain", 1.0),
        ("osc.out", "sum.a", 1.0), ("hiss.out", "sum.b", 1.0), ("sum.out", "low.audio", 1.0),
        ("low.low", "amp.audio", 1.0), ("amp.out", "beat.audio", 1.0), ("beat.out", "wide.audio", 1.0),
        ("wide.out", "a-output.audio", 1.0), ("buzz.out", "beat.gain", 0.0),
    )  # fmt: skip
    made = tuple(
        Link(f"link-{n}", Place(*source.split(".")), Place(*target.split(".")), amount)
        for n, (source, target, amount) in enumerate(links)
    )
    return Patch(seed=k + 1, layers=(Layer("shared", "Shared"), Layer("a", "A", modules)), links=made)


def by(module: str, param: str, factor: float, more: float = 0.0) -> Callable[[Patch], Patch]:
    return lambda patch: patch.with_param(module, param, patch.module(module).params[param] * factor + more)


TRUTHS = {
    "brighter": by("low", "cutoff_hz", 2.0), "darker": by("low", "cutoff_hz", 0.5),
    "sparser": by("chance", "probability", 0.5), "denser": by("clock", "period_s", 0.5),
    "louder": by("a-output", "level_db", 1.0, 6.0), "softer": by("a-output", "level_db", 1.0, -6.0),
    "higher": by("osc", "pitch_note", 1.0, 7.0), "lower": by("osc", "pitch_note", 1.0, -7.0),
    "longer": by("env", "decay_s", 2.0), "shorter": by("env", "decay_s", 0.5),
    "noisier": lambda patch: patch.with_param("sum", "level_a", 0.1).with_param("sum", "level_b", 1.0),
    "purer": lambda patch: patch.with_param("sum", "level_a", 1.0).with_param("sum", "level_b", 0.3),
    "wider": by("wide", "wet", 1.0, 0.7),
    "rougher": lambda patch: patch.with_link(replace(patch.links_into("beat", "gain")[0], amount=0.9)),  # at 70 Hz
}  # fmt: skip


STARTS = {"purer": TRUTHS["noisier"]}
"""Pairs that do not start from the sound as it is."""


@cache
def _parent(k: int, seconds: float, start: str = "") -> tuple[Patch, Descriptors, Chance]:
    """A sound, what it is like, and what chance alone makes of it."""
    patch = STARTS[start](voice(k)) if start else voice(k)
    return patch, *by_chance(patch, seconds)


def named_rightly(word: str, families: int = FAMILIES, seconds: float = SECONDS) -> int:
    """How many pairs are told in the dimension that was changed, and in its direction.

    Parameters
    ----------
    word : str
        One of ``TRUTHS``.
    families : int
        How many pairs there are.
    seconds : float
        Of each sound.

    Returns
    -------
    int
    """
    at = next(k for k, one in enumerate(DIMENSIONS) if word in (one.less, one.more))
    right = 0
    for k in range(families):
        patch, first, chance = _parent(k, seconds, word if word in STARTS else "")
        steps = difference_of(first, described_patch(TRUTHS[word](patch), seconds)[1], chance)
        right += int(steps[at] >= 1.0 if word == DIMENSIONS[at].more else steps[at] <= -1.0)
    return right


def nearly_the_same(families: int = FAMILIES, seconds: float = SECONDS) -> int:
    """How many pairs that differ by their seed only are called so.

    Parameters
    ----------
    families : int
        How many pairs there are.
    seconds : float
        Of each sound.

    Returns
    -------
    int
    """
    same = 0
    for k in range(families):
        patch, first, chance = _parent(k, seconds)
        same += words_of(first, described_patch(replace(patch, seed=7000 + k), seconds)[1], chance) == (NEARLY,)
    return same


def main() -> int:
    """Print all of it; 1 if too few are right."""
    prepare(catalogue())
    least = FAMILIES
    for word in TRUTHS:
        right = named_rightly(word)
        least = min(least, right)
        print(f"{word:10} {right} of {FAMILIES}", flush=True)
    same = nearly_the_same()
    print(f"seed only: {same} of {FAMILIES} nearly the same")
    return int(least < LEAST_RIGHT or same < LEAST_SAME)


if __name__ == "__main__":
    sys.exit(main())
