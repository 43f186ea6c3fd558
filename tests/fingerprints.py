"""Fingerprints of all modules: what each gives at many settings, in two numbers a setting.

`python tests/fingerprints.py` writes them anew: after a change that is meant to be heard, and only then. The
numbers say nothing about what is right; the modules' own tests do. They say that nothing else has changed.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import Input, ModuleSpec, Param
from rig import QUANTUM, Rig

FILE = Path(__file__).with_suffix(".json")
SAMPLES = 120 * QUANTUM
PLACES = (0.15, 0.85)
WILD = frozenset(("chaotic-tone", "chaos", "filter-pair", "phase-locked-loop"))
"""What makes much of the last bit, which another processor may round otherwise: only its beginning is compared."""


def settings(spec: ModuleSpec) -> Iterator[tuple[str, dict[str, float], tuple[str, ...]]]:
    """Name, base values, and the parameters that move."""
    params = [param for param in spec.params if not param.follows]
    yield "default", {}, ()
    for param in params:
        for value in _values(param):
            yield f"{param.id} {value:.6g}", {param.id: value, **_counting(spec, param)}, ()
        if not param.choices:
            yield f"{param.id} moves", _counting(spec, param), (param.id,)


def _counting(spec: ModuleSpec, param: Param) -> dict[str, float]:
    """What makes a parameter count."""
    return {param.shown_when[0]: float(param.shown_when[1][0])} if param.shown_when else {}


def _values(param: Param) -> list[float]:
    if param.choices:
        return [float(k) for k in range(len(param.choices))]
    one = [1.0] if param.low <= 1.0 <= param.high and param.default != 1.0 else []
    return [*(param.from_rail(place) for place in PLACES), *one]


def fed(spec: ModuleSpec, moving: tuple[str, ...]) -> dict[str, np.ndarray]:
    """Noise and tones at the inputs, gates that come and go, and what moves."""
    dice, at = np.random.default_rng(7), np.arange(SAMPLES)
    inputs = {}
    for k, port in enumerate(port for port in spec.target_rows if isinstance(port, Input)):
        if port.role == "gate":
            inputs[port.id] = ((at + 97 * k) % (311 + 64 * k) < 90).astype(float)
        elif port.role == "pitch":
            inputs[port.id] = 57.0 + 5.0 * np.floor(at / 700)
        else:
            inputs[port.id] = 0.5 * np.sin(at * (0.02 + 0.011 * k)) + dice.normal(0, 0.1, SAMPLES)
    for name in moving:
        param = spec.param(name)
        inputs[name] = np.array([param.from_rail(0.5 + 0.4 * np.sin(n / 300)) for n in at])
    return inputs


def fingerprint(spec: ModuleSpec, values: dict[str, float], moving: tuple[str, ...]) -> list[float]:
    """The strength of all outputs, and their likeness to a fixed noise, relative to that strength."""
    count = SAMPLES // 8 if spec.id in WILD else SAMPLES
    outputs = Rig(spec.id, values=values).run(SAMPLES, **fed(spec, moving))
    noise = np.random.default_rng(11).normal(0, 1, (len(outputs), SAMPLES))
    both = np.stack([outputs[port][:count] for port in sorted(outputs)])
    strength = float(np.sqrt(np.mean(both**2)))
    likeness = float(np.sum(both * noise[:, :count]) / np.sqrt(count) / max(strength, 1e-12))
    return [strength, likeness]


def fingerprints(spec: ModuleSpec) -> dict[str, list[float]]:
    """By the name of the setting."""
    return {name: fingerprint(spec, values, moving) for name, values, moving in settings(spec)}


def main() -> None:
    """Write all."""
    made = {spec.id: fingerprints(spec) for spec in catalogue().values()}
    rounded = {type_id: {name: [float(f"{x:.9g}") for x in pair] for name, pair in all_of_it.items()}
               for type_id, all_of_it in made.items()}  # fmt: skip
    lines = [f"{json.dumps(type_id)}: {json.dumps(all_of_it)}" for type_id, all_of_it in rounded.items()]
    FILE.write_text("{\n" + ",\n".join(lines) + "\n}\n")
    print(f"{len(made)} modules, {sum(map(len, made.values()))} settings")


if __name__ == "__main__":
    main()
