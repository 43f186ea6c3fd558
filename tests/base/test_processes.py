"""What a process has begun ends with it, even if it is killed."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from dunefall.base.processes import runs
from rig import until

PARENT = """
import sys, time
from pathlib import Path
from dunefall.compiler.kernels import make_elsewhere
print(make_elsewhere([Path(sys.argv[1])], idle=sys.argv[2] == "idle").pid, flush=True)
time.sleep(600)
"""


@pytest.mark.parametrize("kind", ["idle", "now"])
def test_a_compiler_ends_amid_its_work_with_the_engine_that_asked_for_it(kind: str, tmp_path: Path) -> None:
    """An engine that was killed again and again left one compiler behind each time, which held up the next."""
    begun, slow = tmp_path / "begun", tmp_path / "slow.py"
    slow.write_text(f"import time\nopen({str(begun)!r}, 'w').close()\ntime.sleep(600)\n")
    parent = subprocess.Popen([sys.executable, "-c", PARENT, str(slow), kind], stdout=subprocess.PIPE, text=True)
    assert parent.stdout is not None
    with parent.stdout:
        compiler = parent.stdout.readline().strip()
    assert until(begun.exists)
    parent.kill()
    parent.wait()
    assert until(lambda: not runs(compiler))
