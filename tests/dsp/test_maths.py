"""The approximations keep their stated bounds against NumPy, compiled and as plain Python."""

from __future__ import annotations

import os
import pickle
import subprocess
import sys

import numpy as np

from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import RIGHT
from dunefall.dsp import maths
from rig import QUANTUM, Rig

GRID = np.linspace(-3.0, 3.0, 20001)


def test_sine_within_its_bound() -> None:
    ours = np.array([maths.sine(x) for x in GRID])
    assert np.abs(ours - np.sin(2 * np.pi * GRID)).max() < 1e-9


def test_exp2_within_its_bound() -> None:
    x = np.linspace(-126, 126, 20001)
    ours = np.array([maths.exp2(v) for v in x])
    assert np.abs(ours / np.exp2(x) - 1).max() < 2e-13


def test_tan_within_its_bound() -> None:
    x = np.linspace(1e-6, 0.98, 20001)
    ours = np.array([up / down for up, down in map(maths.tangent_parts, x)])
    assert np.abs(ours / np.tan(np.pi / 2 * x) - 1).max() < 1e-7


def test_saturation_is_transparent_then_bounded() -> None:
    assert maths.saturate(0.9, 1.0) == 0.9
    x = np.linspace(-1e6, 1e6, 10001)
    y = np.array([maths.saturate(v, 1.0) for v in x])
    assert np.abs(y).max() < 2.0
    assert (np.diff(y) > 0).all()
    slopes = [(maths.saturate(1.0 + h, 1.0) - maths.saturate(1.0, 1.0)) / h for h in (-1e-6, 1e-6)]
    assert abs(slopes[0] - slopes[1]) < 1e-5  # no corner at the knee


PLAIN = """
import inspect, pickle, sys
import numpy as np
from dunefall.catalogue import catalogue
from dunefall.compiler import sounds
from dunefall.patch.model import Module
given = pickle.load(sys.stdin.buffer)
results = {}
for spec in catalogue().values():
    names = inspect.signature(spec.kernel).parameters
    outputs = {output.id: np.zeros(64) for output in spec.output_rows}
    sound = sounds.prepared(spec, Module("m", spec.id, "M"))
    own = {"state": np.zeros(spec.state), "memory": np.zeros(spec.memory + int(np.ceil(spec.memory_s * 48000))),
           "rate": 48000.0,
           "wanted": -1, "scratch": np.zeros(512), "levels": np.zeros(1), "voices": 1, "start": 0,
           "live": np.zeros(64), "sound": sound.samples, "sound_rows": sound.rows,
           "sound_rate": sound.rate_hz}
    with np.errstate(over="ignore"):
        spec.kernel(**{name: {**given[spec.id], **outputs, **own}[name] for name in names})
    results[spec.id] = outputs
pickle.dump(results, sys.stdout.buffer)
"""


def test_kernels_run_as_plain_python() -> None:
    """Every kernel without compilation gives what it gives compiled (1e-9: fused multiply-add rounds otherwise)."""
    generator, given, compiled = np.random.default_rng(5), {}, {}
    for spec in catalogue().values():
        signals = {port.id: 0.3 * generator.normal(size=QUANTUM) for port in spec.inputs}
        signals |= {port.id: (signals[port.id] > 0.06) * 1.0 for port in spec.inputs if port.role == "gate"}
        values = {param.id: param.from_rail(generator.random()) for param in spec.params}
        rig = Rig(spec.id, **values)
        compiled[spec.id] = rig.run(QUANTUM, **signals)
        record = rig.program.plan.modules[0]
        given[spec.id] = {f"{port.id}{RIGHT}": signals[port.id] for port in spec.inputs if port.stereo} | signals
        now = rig.program.memory.now
        given[spec.id] |= {name: np.full(QUANTUM, now[rig.program.input_at[("m", name)]]) for name in values}
        given[spec.id] |= {name: int(record["linked"]) for name in ("linked", "moving")}
        given[spec.id]["key"] = np.uint64(record["key"])
    done = subprocess.run([sys.executable, "-c", PLAIN], input=pickle.dumps(given), capture_output=True, timeout=300,
                          env={**os.environ, "NUMBA_DISABLE_JIT": "1"}, check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr.decode()
    for kind, outputs in pickle.loads(done.stdout).items():
        for port, values in outputs.items():
            np.testing.assert_allclose(values, compiled[kind][port], atol=1e-9, err_msg=f"{kind} {port}")


def test_log2_within_its_bound() -> None:
    x = np.geomspace(1e-15, 1e9, 20001)
    assert np.abs(np.array([maths.log2(v) for v in x]) - np.log2(x)).max() < 1e-9
