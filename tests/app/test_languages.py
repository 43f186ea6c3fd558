"""The window in other languages: nothing escapes translation, and no text is cut where the window is small."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

WALK = Path(__file__).with_name("in_language.py")


def walked(code: str) -> dict[str, Any]:
    """What a walk through the window of a process in this language found."""
    place = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, WALK, code], env=place, capture_output=True, text=True, timeout=300)
    assert done.stdout, done.stderr
    return json.loads(done.stdout)


def test_nothing_that_is_shown_escapes_translation() -> None:
    seen = walked("pseudo")
    assert not seen["escaped"], seen["escaped"]
    assert set(seen["menus"]) >= {"Field", "LinkRow", "QWidget", "Rail"}, "these have menus"


@pytest.mark.parametrize("code", ["de", "ja"])
def test_no_text_is_cut(code: str) -> None:
    cut = walked(code)["cut"]
    assert not cut, cut
