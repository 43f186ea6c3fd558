"""What is said of when patches repeat, against their sound: random patches, rendered for three periods."""

from __future__ import annotations

import math
import random
from dataclasses import replace

import numpy as np
import pytest
from numpy.typing import NDArray

from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.declare import Given, ModuleSpec
from dunefall.catalogue.repeats import repeat_of_layer, repeat_of_patch
from dunefall.catalogue.story import layer_story
from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import run
from dunefall.compiler.traces import no_traces
from dunefall.patch.model import Link, Module, Patch, Place
from rig import RATE, Rig, patch_of

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


def apart(patch: Patch, period_s: float) -> float:
    """How far the third period is from the second, as a share of the peak; the first is the way in."""
    length = round(period_s * RATE)
    sound = sound_of(patch, 3 * period_s)
    return float(np.abs(sound[2 * length :] - sound[length : 2 * length]).max() / max(np.abs(sound).max(), 1e-9))


def test_what_is_said_to_repeat_does_sample_by_sample() -> None:
    """A loop of the pitch was told as 1.0 s, though 8 % of its samples did not recur."""
    exact = 0
    for seed in range(1500):
        patch = made(seed)
        repeat = repeat_of_patch(patch)
        if repeat.exact and repeat.seconds and repeat.seconds <= LONGEST_S:
            assert apart(patch, float(repeat.seconds)) < SAME, (seed, repeat.told(120.0))
            exact += 1
    assert exact > 20


def test_what_goes_by_chance_does_not() -> None:
    never = 0
    for seed in range(100):
        patch = made(seed)
        period = repeat_of_patch(patch).seconds
        if period and period <= LONGEST_S:
            dice = Module("dice", "stepped-random", "Dice", {"rate_hz": 8.0})
            end = Link("chance", Place("dice", "out"), Place("a-output", "level_db"), 0.5)
            moved = patch.with_new_module("a", dice).with_link(end)
            assert repeat_of_patch(moved).told(120.0) == "It never repeats, because Dice goes by chance."
            if np.abs(sound_of(moved, 1.0)).max() > 1e-3:
                assert apart(moved, float(period * math.ceil(1 / period))) > SAME
                never += 1
    assert never > 20


def test_what_keeps_its_past_only_resembles_itself() -> None:
    """An echo of 90 % adds up for 34 rounds: the third period is still louder than the second."""
    clock = Module("c", "clock", "Clock", {"period_beats": 0.5})
    body = Module("b", "struck-body", "Bell", {"decay_s": 0.1})
    echo = Module("e", "delay", "Echo", {"time_s": 0.4, "feedback": 0.9})
    links = (("c.gate", "b.trigger", 1.0), ("b.out", "e.audio", 1.0), ("e.out", "a-output.audio", 1.0))
    patch = patch_of(clock, body, echo, Module("a-output", "output", "A"), links=links, tempo_bpm=120.0)
    told = "It resembles itself every 0.125 bars, 0.2 s, because Echo keeps what was."
    assert repeat_of_patch(patch).told(120.0) == told
    assert apart(patch, 0.25) > SAME
    dry = patch.with_param("e", "feedback", 0.0).with_param("e", "time_s", 0.1).with_param("b", "decay_s", 0.05)
    assert repeat_of_patch(dry).exact
    assert apart(dry, 0.25) < SAME


def test_loops_through_links_only_resemble_themselves() -> None:
    wave, tone = Module("l", "lfo", "Tide", {"rate_hz": 1.0}), Module("o", "oscillator", "Tone")
    links = (("l.out", "o.pitch_note", 0.2), ("o.out", "o.fm_hz", 0.3), ("o.out", "a-output.audio", 1.0))
    patch = patch_of(wave, tone, Module("a-output", "output", "A"), links=links)
    told = repeat_of_patch(patch).told(120.0)
    assert told.startswith("It resembles itself every 0.5 bars, 1.0 s, because Tone keeps what was")
    assert apart(patch, 1.0) > SAME


def test_a_wave_that_nothing_restarts_is_named() -> None:
    clock, tone = Module("c", "clock", "Clock", {"period_beats": 0.5}), Module("o", "oscillator", "Tone")
    fall = Module("e", "envelope", "Fall", {"decay_s": 0.05})
    links = (("c.gate", "e.trigger", 1.0), ("e.out", "o.level", 0.4), ("o.out", "a-output.audio", 1.0))
    patch = patch_of(clock, fall, tone, Module("a-output", "output", "A"), links=links, tempo_bpm=120.0)
    assert repeat_of_patch(patch).told(120.0) == "It repeats after 0.125 bars, 0.2 s, but for the phase of Tone."
    assert apart(patch, 0.25) > SAME
    again = patch.with_link(Link("again", Place("c", "gate"), Place("o", "restart"), 1.0))
    assert repeat_of_patch(again).exact
    assert apart(again, 0.25) < SAME


def test_voices_that_run_apart_never_meet_and_one_alone_repeats() -> None:
    wave, tone = Module("l", "lfo", "Tide", {"rate_hz": 1.0}), Module("o", "oscillator", "Tone")
    links = (("l.out", "o.level", 0.2), ("o.out", "a-output.audio", 1.0))
    patch = patch_of(wave, tone, Module("a-output", "output", "A"), links=links)
    several = patch.with_layer(replace(patch.layer("a"), voices=3, spread=0.5))
    whole, alone = repeat_of_layer(several, "a"), repeat_of_layer(several, "a", voice=True)
    assert whole.told(120.0) == "It never repeats, because Tide runs at another speed in each voice."
    assert alone.told(120.0) == "It repeats after 0.5 bars, 1.0 s, but for the phase of Tone."
    assert alone.told(92.0, "One voice alone") in layer_story(several, several.layer("a"))


def test_the_world_does_not_repeat() -> None:
    ear = Module("i", "live-input", "Ear")
    patch = patch_of(ear, Module("a-output", "output", "A"), links=(("i.out", "a-output.audio", 1.0),))
    assert repeat_of_patch(patch).told(120.0) == "It never repeats, because Ear hears the world."


def _effects() -> list[ModuleSpec]:
    """Modules that change a sound and do not go by chance."""
    found = []
    for spec in catalogue().values():
        passes = next((port for port in spec.inputs if port.id == spec.passes and port.role == "audio"), None)
        if passes and spec.outputs[0].role == "audio" and not spec.ends and "key" not in spec.asks:
            found.append(spec)
    return found


def _set_at_random(spec: ModuleSpec, dice: random.Random) -> dict[str, float]:
    """Half of its values anywhere in their ranges."""
    values = {}
    for param in spec.params:
        if not param.follows and dice.random() < 0.5:
            low, high = param.domain
            value = dice.randint(int(low), int(high)) if param.choices else low + (high - low) * dice.random()
            values[param.id] = min(max(2.0**value if param.octaves else float(value), param.low), param.high)
    return values


@pytest.mark.parametrize("spec", _effects(), ids=lambda spec: spec.id)
def test_what_a_module_keeps_of_its_past_is_declared(spec: ModuleSpec) -> None:
    """A burst, then silence: after the time that it declares, nothing of it is heard. The equaliser, resonator, vowel
    and five others declared nothing."""
    burst = np.zeros(round(2.0 * RATE))
    count = round(0.05 * RATE)
    burst[:count] = 0.3 * np.random.default_rng(3).standard_normal(count)
    for seed in range(5):
        values = _set_at_random(spec, random.Random(seed)) if seed else {}
        module = Module("m", spec.id, "M", values)
        given = Given.of(spec, patch_of(module), module)
        kept = spec.cycle.memory_s(given) if spec.cycle.memory_s else 0.0
        if kept > 1.8:
            continue
        ways = [Rig(spec.id, values=values).run(burst.size, **{spec.passes: x}) for x in (burst, 0.0 * burst)]
        left = np.max([np.abs(ways[0][port] - ways[1][port]) for port in ways[0]], axis=0)
        after = count + round((kept + 0.002) * RATE)
        assert left[after:].max() <= SAME * left.max(), (values, kept)
