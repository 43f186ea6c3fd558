"""What is said of when patches repeat, against their sound: random patches, rendered for three periods."""

from __future__ import annotations

import random
from dataclasses import replace
from functools import cache

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue import spec_of
from dunefall.catalogue.repeats import repeat_of_patch
from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import run
from dunefall.compiler.traces import no_traces
from dunefall.patch.model import Module, Patch
from rig import RATE, patch_of

CLOCKS = (
    ("clock", {"period_beats": 0.25}), ("clock", {"period_beats": 0.5}), ("clock", {"sync": 1.0, "period_s": 0.1}),
    ("impulse", {"rate_hz": 4.0}),
)  # fmt: skip
STEPS = (
    ("divider", {"by_a": 3.0}), ("even-spread", {"hits": 3.0, "steps": 5.0}), ("logic", {"kind": 5.0}),
    ("trigger-delay", {"delay_s": 0.03}), ("multiplier", {"factor": 2.0}),
)  # fmt: skip
MOVERS = (
    ("step-sequencer", {"length_a": 3.0}), ("grid-sequencer", {"columns": 3.0, "rows": 2.0}),
    ("sequential-switch", {}), ("note-list", {}), ("envelope", {"decay_s": 0.05}), ("lfo", {"rate_hz": 2.0}),
    ("lfo", {"rate_hz": 2.5, "shape": 3.0}), ("contour", {"sync": 1.0, "length_s": 0.2}),
    ("curve-sequencer", {"sync": 1.0, "period_s": 0.125, "steps": 4.0}), ("two-way-switch", {"rate_hz": 5.0}),
    ("slew", {"rise_s": 0.01, "fall_s": 0.02}), ("product", {}), ("map", {}), ("gesture", {"length_s": 0.5}),
)  # fmt: skip
SOUNDS = (
    ("oscillator", {"shape": 2.0}), ("wavetable", {}), ("struck-body", {"decay_s": 0.1}), ("operator", {}),
    ("impulse", {"rate_hz": 40.0}),
)  # fmt: skip
EFFECTS = (
    ("filter", {"resonance": 0.5}), ("folder", {}), ("chorus", {"rate_hz": 2.0}), ("tremolo", {"rate_hz": 4.0}),
    ("delay", {"time_s": 0.1, "feedback": 0.3}), ("delay", {"time_s": 0.4, "feedback": 0.9}),
    ("reverb", {"decay_s": 3.0}), ("compressor", {"release_s": 0.05}), ("flanger", {"rate_hz": 1.0, "feedback": 0.5}),
    ("low-pass-gate", {"decay_s": 0.1}), ("ladder", {}), ("crusher", {}), ("comb", {"feedback": 0.6}),
)  # fmt: skip
LONGEST_S = 3.0
SAME = 10 ** (-80 / 20)
"""What is exact comes again within this share of its peak."""


def made(seed: int) -> Patch:
    """A random patch of deterministic modules: clocks, what counts them, what they move, a source and two effects."""
    dice = random.Random(seed)
    kinds = [dice.choice(CLOCKS), dice.choice(STEPS), dice.choice(STEPS), *dice.sample(MOVERS, 3), dice.choice(SOUNDS),
             *dice.sample(EFFECTS, 2)]  # fmt: skip
    modules = [Module(f"m{k}", kind, f"{kind} {k}", dict(values)) for k, (kind, values) in enumerate(kinds)]
    links, audio = [], ""
    for k, module in enumerate(modules):
        spec, before = spec_of(module.type), modules[:k]
        assert spec is not None
        for port in spec.inputs:
            if port.role == "audio":
                links += [(audio, f"{module.id}.{port.id}", 1.0)] if audio and port.id in ("audio", "signal") else []
            elif port.id not in ("clear", "freeze", "slide") and dice.random() < 0.8:
                links += one(dice, before, f"{module.id}.{port.id}", port.role, 1.0)
        if k > 2:
            for param in dice.sample(spec.params, min(2, len(spec.params))):
                if param.amount and not param.follows and param.unit != "choice" and param.id not in spec.cycle.speed:
                    links += one(dice, before, f"{module.id}.{param.id}", "control", 0.3)
        if any(output.role == "audio" for output in spec.outputs):
            audio = f"{module.id}.{next(output.id for output in spec.outputs if output.role == 'audio')}"
    links.append((audio, "a-output.audio", 1.0))
    end = Module("a-output", "output", "A", {"level_db": -18.0})
    return patch_of(*modules, end, links=tuple(links), tempo_bpm=120.0)


def one(
    dice: random.Random, before: list[Module], target: str, role: str, amount: float
) -> list[tuple[str, str, float]]:
    """A link from one of the outputs there are that fit, or none."""
    fit = [
        f"{module.id}.{output.id}"
        for module in before
        for output in spec_of(module.type).outputs  # type: ignore[union-attr]
        if (output.role == "gate") == (role == "gate") and (output.role == "audio") == (role == "audio")
    ]
    return [(dice.choice(fit), target, amount)] if fit else []


def sound_of(patch: Patch, seconds: float) -> NDArray[np.float64]:
    program = compile_patch(patch, rate=RATE)
    out = np.zeros((round(seconds * RATE), 2))
    run(program.plan, program.memory, no_traces(), out)
    return out


@cache
def patches() -> tuple[Patch, ...]:
    """Those whose period is short enough to be rendered three times."""
    found = (made(seed) for seed in range(400))
    return tuple(p for p in found if (r := repeat_of_patch(p)).seconds is None or 0 < r.seconds <= LONGEST_S)


def apart(patch: Patch, period_s: float) -> float:
    """How far the third period is from the second, as a share of the peak; the first is the way in."""
    length = round(period_s * RATE)
    sound = sound_of(patch, 3 * period_s)
    return float(np.abs(sound[2 * length :] - sound[length : 2 * length]).max() / max(np.abs(sound).max(), 1e-9))


def still(patch: Patch, names: tuple[str, ...]) -> Patch:
    """The patch without what some modules give."""
    ids = {module.id for module in patch.modules() if module.name in names}
    return replace(patch, links=tuple(x for x in patch.links if x.source.module not in ids))
