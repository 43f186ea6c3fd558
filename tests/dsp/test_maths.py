"""The approximations keep their stated bounds against NumPy, compiled and as plain Python."""

from __future__ import annotations

import subprocess
import sys

import numpy as np

from dunefall.dsp import maths

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


def test_kernels_run_as_plain_python() -> None:
    """Every kernel without compilation gives what it gives compiled (1e-9: fused multiply-add rounds otherwise)."""
    code = """
import inspect, sys, json
import numpy as np
from dunefall.catalogue import catalogue
results = {}
for spec in catalogue().values():
    generator = np.random.Generator(np.random.PCG64(5))
    n, values = 64, {}
    for port in spec.inputs:
        wild = generator.normal(size=n) * 0.3
        values[port.id] = (wild > 0.2).astype(float) if port.role == "gate" else wild
    for param in spec.params:
        place = generator.random()
        values[param.id] = np.full(n, param.from_rail(place))
    outputs = {output.id: np.zeros(n) for output in spec.outputs}
    own = {"state": np.zeros(spec.state), "memory": np.zeros(2000), "rate": 48000.0, "key": np.uint64(77), "linked": 3,
               "moving": 255, "wanted": 255, "scratch": np.zeros(512), "levels": np.zeros(1), "voices": 1, "start": 0,
               "live": np.sin(np.arange(n) * 0.1)}
    kernel = spec.kernel
    if sys.argv[1] == "compiled":
        from numba import njit
        kernel = njit(error_model="numpy")(kernel)
    with np.errstate(over="ignore"):
        kernel(**{name: {**values, **outputs, **own}[name] for name in inspect.signature(spec.kernel).parameters})
    results[spec.id] = [list(values) for values in outputs.values()]
print(json.dumps(results))
"""
    import json
    import os

    found = {}
    for way in ("plain", "compiled"):
        env = {**os.environ, "NUMBA_DISABLE_JIT": "1" if way == "plain" else "0"}
        done = subprocess.run([sys.executable, "-c", code, way], capture_output=True, text=True, env=env, timeout=300)
        assert done.returncode == 0, done.stderr
        found[way] = json.loads(done.stdout)
    for kind, outputs in found["plain"].items():
        np.testing.assert_allclose(outputs, found["compiled"][kind], atol=1e-9, err_msg=kind)
