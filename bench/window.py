"""The window with a large patch, 200 modules in 24 layers: times in ms. And how many frames a second it draws of the
demo, with a filter selected and two signals in Watch."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PySide6.QtTest import QTest

from dunefall.app.controls.theme import NOON
from dunefall.app.shell.start import make_app
from dunefall.app.shell.window import MainWindow
from dunefall.catalogue.joining import with_starter
from dunefall.catalogue.search import found, starter
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.library import DEMO, starters
from dunefall.patch.model import Patch
from dunefall.session import Session, open_patch
from dunefall.session.edits.layers import set_tempo

__all__ = ["large_patch", "measure"]

LAYERS, MODULES = 24, 200
FRAMES, SETTLED_MS = 300, 15_000
"""After so much time the engine in reserve stands, too."""


def large_patch() -> Patch:
    """Starters until there are so many layers and modules; all lanes open."""
    patch, names = Patch(), list(starters())
    number = 0
    while len(patch.layers) <= LAYERS or len(list(patch.modules())) < MODULES:
        patch = with_starter(patch, starter(names[number % len(names)])).patch
        number += 1
    return replace(patch, layers=tuple(replace(layer, folded=False) for layer in patch.layers[: LAYERS + 1]))


def _timed(action: Callable[[], object], times: int) -> list[float]:
    found = []
    for _ in range(times):
        begun = time.perf_counter()
        action()
        found.append(1e3 * (time.perf_counter() - begun))
    return found


def frames_per_second(seconds: float = 5.0) -> tuple[float, float]:
    """Frames of the demo that reach Watch in a second, and the share of a core that the window takes for it."""
    make_app("noon")
    window = MainWindow(Session(*open_patch(DEMO), EngineOptions(audio="simulated")), NOON)
    window.show()
    window.selection.select("drip-line-low-pass")
    QTest.qWait(SETTLED_MS)
    count, animate = 0, window.page("build").watch.animate

    def counted() -> None:
        nonlocal count
        count += 1
        animate()

    window.page("build").watch.animate = counted  # type: ignore[method-assign]
    begun, cpu = time.perf_counter(), time.process_time()
    QTest.qWait(round(1000 * seconds))
    passed, spent = time.perf_counter() - begun, time.process_time() - cpu
    window.session.document.mark_saved(None)
    window.close()
    return count / passed, spent / passed


def measure() -> dict[str, float]:
    """Median and 99th percentile of a frame while it scrolls; selecting, undo and searching, each the median; frames a
    second."""
    fps, share = frames_per_second()
    app = make_app("noon")
    window = MainWindow(Session(large_patch(), None, EngineOptions(audio="simulated")), NOON)
    window.show()
    while window.session.engine.status[Status.BLOCKS] == 0:
        QTest.qWait(50)
    QTest.qWait(SETTLED_MS)
    window._frame_timer.stop()
    canvas, session = window.page("build").canvas, window.session
    names = [module.id for module in session.patch.modules()]
    bar, step = canvas.verticalScrollBar(), iter(range(10_000))

    def frame() -> None:
        bar.setValue((next(step) * 7) % max(1, bar.maximum()))
        window._frame()
        canvas.viewport().repaint()

    def select() -> None:
        window.selection.select(names[(next(step) * 13) % len(names)])
        canvas.viewport().repaint()
        window.page("build").inspector.repaint()

    def undo() -> None:
        session.document.undo()
        canvas.viewport().repaint()

    frames = _timed(frame, FRAMES)
    selects = _timed(select, 40)
    undos = []
    for k in range(20):
        set_tempo(session.document, 80.0 + k)
        session.document.end_merge()
    undos = _timed(undo, 20)
    searches = [
        t for text in ("wobble", "rain-like", "random notes", "x") for t in _timed(lambda text=text: found(text), 5)
    ]
    session.document.mark_saved(None)
    window.close()
    app.processEvents()
    return {
        "modules": len(names), "layers": LAYERS, "frame_median_ms": float(np.median(frames)),
        "frame_p99_ms": float(np.percentile(frames, 99)), "select_ms": float(np.median(selects)),
        "undo_ms": float(np.median(undos)), "search_ms": float(np.median(searches)),
        "frames_per_second": fps, "window_share_of_a_core": share,
    }  # fmt: skip


if __name__ == "__main__":
    print({name: round(value, 2) for name, value in measure().items()})
