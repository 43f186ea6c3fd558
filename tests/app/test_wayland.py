"""The window on a Wayland desktop: a real compositor without a screen, at the usual scale and at twice it."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtGui import QImage

from dunefall.app.controls.theme import NOON
from rig import until

pytestmark = pytest.mark.skipif(shutil.which("weston") is None, reason="needs weston (Debian)")


@pytest.mark.parametrize("scale", [1, 2])
def test_the_window_opens_sounds_and_is_drawn(scale: int, tmp_path: Path) -> None:
    tmp_path.chmod(0o700)
    environment = {
        **os.environ, "XDG_RUNTIME_DIR": str(tmp_path), "WAYLAND_DISPLAY": "test", "QT_QPA_PLATFORM": "wayland",
        "DUNEFALL_CONFIG": str(tmp_path / "config"), "DUNEFALL_DATA": str(tmp_path / "data"),
    }  # fmt: skip
    environment.pop("DISPLAY", None)
    size = ["--width=1280", "--height=800", f"--scale={scale}"]
    compositor = subprocess.Popen(
        ["weston", "--backend=headless-backend.so", "--socket=test", "--idle-time=0", *size], env=environment,
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    shot = tmp_path / "shot.png"
    try:
        assert until((tmp_path / "test").exists)
        command = [sys.executable, "-m", "dunefall", "--demo", "--audio", "simulated", "--keys", "none"]
        subprocess.run([*command, "--screenshot", str(shot), "--quit-after", "0"], env=environment, check=True)
    finally:
        compositor.terminate()
        compositor.wait()
    image = QImage(str(shot))
    assert image.devicePixelRatio() == 1.0
    assert image.width() >= 1000 * scale
    step = 2 * scale
    seen = {
        image.pixelColor(x, y).name() for x in range(0, image.width(), step) for y in range(0, image.height(), step)
    }
    assert {colour.lower() for colour in (NOON.raised, NOON.card, NOON.text, NOON.audio)} <= seen
