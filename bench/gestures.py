"""Nine builds with real input events in the real window: how many gestures each takes, and whether it is right.

`python -m bench.gestures [NAME …]` runs all, or those named, and writes build/gestures.json: gestures by name. A build
may take a fifth more than ``WANTED``; its patch is then saved by the same hands, rendered, and looked at. The exit
status is 1 where one takes too many, or is not what was asked for. Saving is counted where it is part of the build.
`--keys` does without the mouse, and counts nothing; `--theme dusk` and `--size 1100x700` do as they say; the scale is
Qt's (QT_SCALE_FACTOR=2, on a screen that has the room).
"""

from __future__ import annotations

import argparse
import json
import os
import tempfile
from pathlib import Path

from PySide6.QtTest import QTest

from bench.builds import BUILDS, WANTED
from bench.built import check
from bench.hands import Hands
from dunefall.app.controls.theme import NOON, THEMES, Theme
from dunefall.app.shell.start import make_app
from dunefall.app.shell.window import MainWindow
from dunefall.engine.messages import EngineOptions
from dunefall.patch.model import Patch
from dunefall.session import Session

__all__ = ["build", "limit"]

OUT = Path(__file__).parent.parent / "build" / "gestures.json"


def limit(name: str) -> int:
    """Most gestures that a build may take."""
    return int(WANTED[name] * 1.2)


def build(name: str, folder: Path, *, theme: Theme = NOON, size: str = "1280x800", keys: bool = False) -> Hands:
    """Do a build in a window of its own, save its patch by hand, and look at it.

    Parameters
    ----------
    name : str
        One of ``BUILDS``.
    folder : Path
        Where it saves, and its library.
    theme : Theme
        Of the window.
    size : str
        Of the window.
    keys : bool
        Without the mouse.

    Returns
    -------
    Hands
        With the count of the build's gestures, saving left out.

    Raises
    ------
    AssertionError
        If the patch is not what was asked for.
    """
    usual, os.environ["DUNEFALL_LIBRARY"] = os.environ.get("DUNEFALL_LIBRARY"), str(folder / "library")
    window = MainWindow(Session(Patch(), None, EngineOptions(audio="simulated")), theme)
    window.resize(*(int(side) for side in size.split("x")))
    window.show()
    window.activateWindow()
    QTest.qWait(500)
    hands = Hands(window, folder, keys=keys)
    path = folder / f"{name}.dunefall"
    try:
        BUILDS[name](hands)
        count, done = hands.count, list(hands.done)
        if not path.exists():
            hands.key("Ctrl+S", hands.file(path))
        hands.wait(path.exists)
        hands.count, hands.done = count, done
    finally:
        window.session.document.mark_saved(None)
        window.close()
        os.environ.pop("DUNEFALL_LIBRARY")
        os.environ.update({"DUNEFALL_LIBRARY": usual} if usual else {})
    check(name, path)
    return hands


def main() -> int:
    """Run the builds and write what was counted."""
    parser = argparse.ArgumentParser(prog="python -m bench.gestures")
    parser.add_argument("names", nargs="*", choices=[*BUILDS, []], metavar="NAME")
    parser.add_argument("--keys", action="store_true")
    parser.add_argument("--theme", choices=tuple(THEMES), default="noon")
    parser.add_argument("--size", default="1280x800")
    asked = parser.parse_args()
    make_app(asked.theme)
    counts, good = {}, True
    for name in asked.names or BUILDS:
        with tempfile.TemporaryDirectory() as folder:
            try:
                hands = build(name, Path(folder), theme=THEMES[asked.theme], size=asked.size, keys=asked.keys)
            except (AssertionError, TimeoutError, StopIteration) as error:
                print(f"{name:10} failed: {type(error).__name__} {error}", flush=True)
                good = False
                continue
        counts[name] = hands.count
        fits = counts[name] <= limit(name) or asked.keys
        good &= fits
        most = "by keys alone" if asked.keys else f"wanted {WANTED[name]:3}, at most {limit(name):3}"
        print(f"{name:10} {counts[name]:3} gestures, {most}{'' if fits else '  TOO MANY'}", flush=True)
    if not asked.keys:
        OUT.parent.mkdir(exist_ok=True)
        OUT.write_text(json.dumps(counts, indent=1) + "\n")
    return 0 if good else 1


if __name__ == "__main__":
    raise SystemExit(main())
