"""MIDI through ALSA's sequencer: that of the kernel where there is one, else a stand-in for it, compiled here.

The stand-in takes the place of the kernel only (see ``sequencer.c``): ALSA's library and the package on it are real.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from dunefall.engine.devices.sequencer import SEQUENCER

HERE = Path(__file__).parent


def test_midi_goes_both_ways_through_the_sequencer(tmp_path: Path) -> None:
    environment = dict(os.environ)
    if not SEQUENCER.exists():
        compiler = shutil.which("cc")
        if compiler is None or not Path("/usr/include/sound/asequencer.h").exists():
            pytest.skip("neither a sequencer nor a C compiler with the kernel's headers (linux-libc-dev)")
        library = tmp_path / "sequencer.so"
        subprocess.run([compiler, "-shared", "-fPIC", "-O1", "-o", library, HERE / "sequencer.c", "-ldl"], check=True)
        environment["LD_PRELOAD"] = str(library)
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", str(HERE / "on_sequencer.py")]
    ran = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=300, check=False)
    assert ran.returncode == 0, ran.stdout + ran.stderr
    assert " passed" in ran.stdout
    assert "skipped" not in ran.stdout
