"""A session with a screen reader and no eyes, over the real accessibility bus: open the demo, find Drip line, set its
cutoff, link, undo, save.

The reader (``screenreader.py``) knows roles, names, descriptions, values and what is announced, and presses keys.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from dunefall.patch.files import load_patch
from dunefall.patch.library import DATA
from dunefall.patch.model import Place
from rig import until

SYSTEM_PYTHON = "/usr/bin/python3"
Order = Callable[..., Any]


def _has_what_it_needs() -> bool:
    programs = all(shutil.which(name) for name in ("dbus-daemon", "xdotool", "Xvfb", SYSTEM_PYTHON))
    asked = [SYSTEM_PYTHON, "-c", "import pyatspi"]
    return programs and subprocess.run(asked, capture_output=True, check=False).returncode == 0


pytestmark = pytest.mark.skipif(
    not _has_what_it_needs(), reason="needs dbus, xdotool, xvfb, at-spi2-core and python3-pyatspi (Debian)"
)


@pytest.fixture
def desktop(tmp_path: Path) -> Iterator[dict[str, str]]:
    """A screen and a message bus of its own; the bus begins that of accessibility when it is asked for."""
    begun, (far, near) = [], os.pipe()
    begun.append(subprocess.Popen(["Xvfb", "-displayfd", str(near), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
                                  pass_fds=[near], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL))  # fmt: skip
    os.close(near)
    with os.fdopen(far) as told:
        screen = f":{told.readline().strip()}"
    bus = subprocess.Popen(
        ["dbus-daemon", "--session", "--print-address", "--nofork"], env={**os.environ, "DISPLAY": screen}, text=True,
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    begun.append(bus)
    assert bus.stdout is not None
    yield {
        **os.environ, "DISPLAY": screen, "DBUS_SESSION_BUS_ADDRESS": bus.stdout.readline().strip(),
        "QT_QPA_PLATFORM": "xcb", "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1", "XDG_RUNTIME_DIR": str(tmp_path),
        "DUNEFALL_CONFIG": str(tmp_path / "config"), "DUNEFALL_DATA": str(tmp_path / "data"),
    }  # fmt: skip
    bus.stdout.close()
    for process in reversed(begun):
        process.kill()
        process.wait()


@pytest.fixture
def patch_file(tmp_path: Path) -> Path:
    return Path(shutil.copy(DATA / "sluice-house.dunefall", tmp_path / "house.dunefall"))


@pytest.fixture
def reader(desktop: dict[str, str], patch_file: Path) -> Iterator[Order]:
    command = [sys.executable, "-m", "dunefall", str(patch_file), "--audio", "simulated", "--keys", "none"]
    program = subprocess.Popen(command, env=desktop, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    script = Path(__file__).with_name("screenreader.py")
    ears = subprocess.Popen(
        [SYSTEM_PYTHON, script, "Dunefall"], env=desktop, text=True, stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
    )  # fmt: skip
    assert ears.stdin is not None
    assert ears.stdout is not None
    assert json.loads(ears.stdout.readline()), "the program stands on the bus"

    def order(*words: Any) -> Any:
        assert ears.stdin is not None
        assert ears.stdout is not None
        ears.stdin.write(json.dumps(words) + "\n")
        ears.stdin.flush()
        return json.loads(ears.stdout.readline())

    yield order
    for process in (ears, program):
        process.kill()
        process.wait()
    for pipe in (ears.stdin, ears.stdout):
        pipe.close()


def said(heard: list[list[str]]) -> list[str]:
    return [name for _, name, _ in heard]


def test_a_session_without_eyes(reader: Order, patch_file: Path) -> None:
    def cutoff() -> str:
        return str(reader("tell", "slider", "Cutoff", "Inspector")["description"]).partition(";")[0]

    assert until(lambda: reader("tell", "list", "Lanes") is not None)
    reader("activate")
    assert reader("remember", "filler", "Inspector")
    lanes = reader("tell", "list", "Lanes")["children"]
    assert {"Layer Drip line", "Droplet", "Low-pass", "Echo"} <= set(lanes)

    assert reader("focus", "list", "Lanes")
    assert "Lanes" in said(reader("heard"))
    reader("key", "Down", "Down", "Down")
    assert "Skip" in said(reader("heard")), "the first card of Drip line"
    reader("key", "Right", "Right", "Right", "Right")
    assert said(reader("heard"))[-1] == "Low-pass", "each card on the way is told"
    assert cutoff() == "950 Hz"

    assert reader("set", "slider", "Cutoff", 500, "Inspector")
    assert until(lambda: cutoff() == "447 Hz"), "half way of the rail, in octaves from 10 Hz to 20 kHz"

    assert reader("press", "push button", "Link to Cutoff", "Inspector")
    assert until(lambda: len(reader("windows")) == 2)
    reader("activate")
    reader("heard")
    reader("key", "T", "i", "d", "e")
    assert said(reader("heard"))[-1] == "Tide, Shared", "what would be chosen is said while one types"
    reader("key", "Down")
    assert said(reader("heard"))[-1] == "Tide, Hull groan", "and told apart from another of its name"
    reader("key", "Up", "Return")
    assert until(lambda: len(reader("windows")) == 1)
    assert until(lambda: reader("tell", "slider", "Moved by Tide", "Inspector") is not None)
    assert reader("tell", "slider", "Moved by Tide", "Inspector")["description"].startswith("+1.50 oct")
    assert reader("set", "slider", "Moved by Tide", 100, "Inspector")
    assert until(lambda: reader("tell", "slider", "Moved by Tide", "Inspector")["description"].startswith("+0.50 oct"))

    reader("activate")
    reader("key", "ctrl+z")
    assert until(lambda: reader("tell", "slider", "Moved by Tide", "Inspector")["description"].startswith("+1.50 oct"))
    reader("key", "ctrl+z")
    assert until(lambda: reader("tell", "slider", "Moved by Tide", "Inspector") is None)
    assert cutoff() == "447 Hz"
    reader("key", "ctrl+s")
    assert until(lambda: abs(load_patch(patch_file).module("drip-line-low-pass").params["cutoff_hz"] - 447.2) < 0.1)
    assert not [x for x in load_patch(patch_file).links if x.target == Place("drip-line-low-pass", "cutoff_hz")][2:]


def test_every_workspace_can_be_walked_and_nothing_is_nameless(reader: Order) -> None:
    """What takes the keys has a name; what happens aside of them is announced."""
    assert until(lambda: reader("tell", "list", "Lanes") is not None)
    reader("activate")
    roles = ("push button", "check box", "radio button", "text", "slider", "list", "combo box", "spin button")
    for number, name in enumerate(("Build", "Mix", "Vary", "Survey", "Render"), 1):
        reader("key", f"ctrl+{number}")
        assert until(lambda name=name: reader("checked", "check box", name))
        shown = reader("roles")
        assert len(shown) > 40, name
        nameless = [entry for entry in shown if entry[0] in roles and not entry[1]]
        assert not nameless, name
        reader("heard")
        walked = set[str]()
        for _ in range(6):
            reader("key", "Tab")
            walked |= set(said(reader("heard", 0.3)))
        assert len(walked) >= 3, name
    reader("key", "ctrl+l")
    assert any("limiter is off" in text for text in said(reader("heard")))
