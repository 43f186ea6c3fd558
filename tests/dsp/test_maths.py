"""The approximations keep their stated bounds against NumPy, compiled and as plain Python."""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
from fractions import Fraction

import numpy as np
import pytest
from numba import njit

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


@njit
def _ramps(phase, steps, size):  # type: ignore[no-untyped-def]
    out = np.zeros(len(steps))
    for i in range(0, len(steps), size):
        phase = maths.ramp_by(out[i : i + size], phase, steps[i : i + size], 0.5)
    return out, phase


@njit
def _even_ramp(phase, step, count, size):  # type: ignore[no-untyped-def]
    out = np.zeros(count)
    for i in range(0, count, size):
        phase = maths.ramp(out[i : i + size], phase, step)
    return out, phase


@pytest.mark.parametrize("step", [1e-9, 0.0123456789, 0.499, -0.3, 1.0])
def test_ramps_are_the_same_in_any_pieces_and_keep_their_pitch(step: float) -> None:
    """Sample by sample, in sevens and in quantums: equal bits; against exact rational steps within 4e-15 each."""
    whole, _ = _even_ramp(0.25, step, 64 * 70, 64)
    moving, _ = _ramps(0.25, np.full(64 * 70, 2 * step), 64)
    np.testing.assert_array_equal(whole, moving)
    for size in (1, 7):
        np.testing.assert_array_equal(_even_ramp(0.25, step, 64 * 70, size)[0], whole)
        np.testing.assert_array_equal(_ramps(0.25, np.full(64 * 70, 2 * step), size)[0], whole)
    assert ((whole >= 0) & (whole < 1)).all()
    exact = [float((Fraction(1, 4) + k * Fraction(step)) % 1) for k in range(0, 4480, 97)]
    away = np.abs(whole[::97] - exact)
    assert np.minimum(away, 1 - away).max() < 4480 * 8e-15


PLAIN = """
import inspect, pickle, sys
import numpy as np
from dunefall.catalogue import catalogue
from dunefall.compiler import sounds
from dunefall.compiler.records import SCRATCH
from dunefall.patch.model import Module
given = pickle.load(sys.stdin.buffer)
results = {}
for spec in catalogue().values():
    names = inspect.signature(spec.kernel).parameters
    outputs = {output.id: np.zeros(64) for output in spec.output_rows}
    place = {"place": float(given[spec.id]["place"][0])} if spec.sound == "response" else {}
    sound = sounds.prepared(spec, Module("m", spec.id, "M", place), 48000.0)
    own = {"state": np.zeros(spec.state), "memory": np.zeros(spec.memory_size({}, 48000.0)),
           "rate": 48000.0,
           "wanted": -1, "scratch": np.zeros(SCRATCH), "levels": np.zeros(1), "voices": 1, "start": 0,
           "live": np.zeros(64), "sound": sound.samples, "sound_rows": sound.rows,
           "sound_rate": sound.rate_hz, "whole_mix": np.zeros(384), "bypassed": 0, "line_phase": 0,
           "response": sound.samples.view(np.float64) if spec.sound == "response" else None}
    with np.errstate(over="ignore"):
        spec.kernel(**{name: {**given[spec.id], **outputs, **own}[name] for name in names})
    results[spec.id] = outputs
pickle.dump(results, sys.stdout.buffer)
"""


def test_kernels_run_as_plain_python() -> None:
    """Every kernel without compilation gives what it gives compiled (1e-9: fused multiply-add rounds otherwise)."""
    given, compiled = {}, {}
    for spec in catalogue().values():
        generator = np.random.default_rng(list(spec.id.encode()))  # its own: a new module or value changes no other
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
        for series, (first, count) in spec.series_places.items():
            at = int(record["series_at"]) + first
            given[spec.id][series] = rig.program.memory.series[at : at + count].copy()
        given[spec.id]["key"] = np.uint64(record["key"])
    done = subprocess.run([sys.executable, "-c", PLAIN], input=pickle.dumps(given), capture_output=True, timeout=300,
                          env={**os.environ, "NUMBA_DISABLE_JIT": "1"}, check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr.decode()
    for kind, outputs in pickle.loads(done.stdout).items():
        for port, values in outputs.items():
            np.testing.assert_allclose(values, compiled[kind][port], atol=1e-9, err_msg=f"{kind} {port}")


def test_largest_and_smallest_are_found_compiled_as_in_python() -> None:
    @njit
    def ends(row):  # type: ignore[no-untyped-def]
        low = high = row[0]
        for i in range(row.size):
            low, high = maths.smaller(low, row[i]), maths.larger(high, row[i])
        return low, high

    for size in (1, 7, 64):
        row = np.random.default_rng(size).normal(size=size)
        assert ends(row) == ends.py_func(row) == (row.min(), row.max())


def test_log2_within_its_bound() -> None:
    x = np.geomspace(1e-15, 1e9, 20001)
    assert np.abs(np.array([maths.log2(v) for v in x]) - np.log2(x)).max() < 1e-9
