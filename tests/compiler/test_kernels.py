"""Loaded kernels: what they take."""

from __future__ import annotations

import subprocess
import sys

import pytest

import dunefall.compiler.makecode as makecode
from dunefall.catalogue import catalogue
from dunefall.compiler import kernels, warmup

MOST_MB = 40.0
"""All kernels of the catalogue: twice what they take; with Numba's code for linking they took 68 MB."""

MEASURED = """
from dunefall.catalogue import catalogue
from dunefall.compiler.warmup import prepare, warm_up

def held_mb():
    return int(open("/proc/self/statm").read().split()[1]) * 4096 / 1e6

warm_up()
before = held_mb()
prepare(catalogue())
print(held_mb() - before)
"""


def test_all_kernels_loaded_take_little_memory() -> None:
    subprocess.run([sys.executable, "-m", makecode.__name__, "--all"], check=True)  # what compiles takes more
    found = subprocess.run([sys.executable, "-c", MEASURED], check=True, capture_output=True, text=True)
    assert float(found.stdout) < MOST_MB


@pytest.mark.parametrize("there", [True, False])
def test_only_what_is_compiled_is_told_of(there: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    """At each start the window said for a moment that it prepares the engine, "once"."""
    specs, told = [catalogue()["clock"], catalogue()["lfo"]], list[tuple[int, int, str]]()
    monkeypatch.setattr(warmup, "_not_loaded", lambda types: specs)
    monkeypatch.setattr(warmup, "compiled_before", lambda path: there)
    warmup.prepare(["clock", "lfo"], lambda *step: told.append(step))
    assert told == ([] if there else [(0, 3, "Clock"), (1, 3, "LFO"), (2, 3, "engine loop"), (3, 3, "")])


def test_generated_code_is_looked_for_once_and_made_again_when_it_is_gone(monkeypatch: pytest.MonkeyPatch) -> None:
    """Each short sound of a set asked for its loops' code anew: a digest of all sources, a list of all folders."""
    text = '"""Nothing."""\n'
    path = kernels.generated_path("once", text)
    with monkeypatch.context() as context:
        context.setattr(kernels, "sources_of", None)
        assert kernels.generated_path("once", text) == path
    path.unlink()
    assert kernels.generated_path("once", text) == path
    assert path.read_text() == text
