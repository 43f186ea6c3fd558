"""Whatever call fails or ends the program while a file is written: the old one or the new one is whole."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

HERE = Path(__file__).parent / "crash"


@pytest.mark.skipif(not shutil.which("gcc"), reason="the shim needs gcc")
def test_nothing_is_lost_at_any_point_of_writing(tmp_path: Path) -> None:
    shim = tmp_path / "shim.so"
    subprocess.run(["gcc", "-shared", "-fPIC", "-O1", "-o", shim, HERE / "shim.c", "-ldl"], check=True)
    done = subprocess.run(
        [sys.executable, HERE / "points.py"], env={**os.environ, "LD_PRELOAD": str(shim)}, capture_output=True,
        text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-2000:]
    tried = json.loads(done.stdout.splitlines()[-1])
    assert len(tried) == 42
    appended = [count for name, count in tried.items() if name.startswith("finished")]
    assert min(appended) >= 2, tried  # open and write
    assert min(count for name, count in tried.items() if not name.startswith("finished")) >= 5, tried  # … sync, rename
