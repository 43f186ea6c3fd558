"""Nine builds with real input events in the real window: how many gestures each takes, and whether it is right.

`python -m bench.gestures [NAME …]` runs all, or those named, and writes build/gestures.json: gestures by name. A build
may take a fifth more than ``WANTED``; its patch is then saved by the same hands, rendered, and looked at. The exit
status is 1 where one takes too many, or is not what was asked for. Saving is counted where it is part of the build.
"""

from __future__ import annotations

import json
import os
import sys
import tempfile
from pathlib import Path

from PySide6.QtTest import QTest

from bench.builds import BUILDS, WANTED
from bench.built import check
from bench.hands import Hands
from dunefall.app.controls.theme import NOON
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


def build(name: str, folder: Path) -> Hands:
    """Do a build in a window of its own, save its patch by hand, and look at it.

    Parameters
    ----------
    name : str
        One of ``BUILDS``.
    folder : Path
        Where it saves, and its library.

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
    window = MainWindow(Session(Patch(), None, EngineOptions(audio="simulated")), NOON)
    window.show()
    window.activateWindow()
    QTest.qWait(500)
    hands = Hands(window, folder)
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
    make_app("noon")
    counts, good = {}, True
    for name in sys.argv[1:] or BUILDS:
        with tempfile.TemporaryDirectory() as folder:
            try:
                counts[name] = build(name, Path(folder)).count
            except (AssertionError, TimeoutError, StopIteration) as error:
                print(f"{name:10} failed: {type(error).__name__} {error}", flush=True)
                good = False
                continue
        fits = counts[name] <= limit(name)
        good &= fits
        print(f"{name:10} {counts[name]:3} gestures, wanted {WANTED[name]:3}, at most {limit(name):3}"
              f"{'' if fits else '  TOO MANY'}", flush=True)  # fmt: skip
    OUT.parent.mkdir(exist_ok=True)
    OUT.write_text(json.dumps(counts, indent=1) + "\n")
    return 0 if good else 1


if __name__ == "__main__":
    raise SystemExit(main())
