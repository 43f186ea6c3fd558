"""The board of Vary: how long twelve variations of two layers of the demo take, with the demo sounding.

`python -m bench.board [--count 12] [--rounds 5]` prints for each round when the first one was there and when all were,
and the underruns of the engine meanwhile. The parent and its other seeds are there before, as in the window; code of
feedback loops that the first round meets for the first time is made before the second.
"""

from __future__ import annotations

import argparse
import time

from dunefall.deliver.workers import Workers
from dunefall.engine import messages as say
from dunefall.engine.client import EngineClient
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.document import Document
from dunefall.session import open_patch
from dunefall.session.edits.family import fill_board
from dunefall.vary.desk import Desk

__all__ = ["main"]

LAYERS = ("drip-line", "buoy-bell")


def _board(desk: Desk, document: Document, engine: EngineClient, seed: int, count: int) -> tuple[float, float]:
    """Seconds until the first variation is there, and until all are."""
    begun, first = time.monotonic(), 0.0
    fill_board(document, desk.chosen(document.patch), desk.strength, desk.kinds, seed=seed, count=count)
    family = document.patch.family
    states = [state for state in map(family.state, family.board) if state is not None]
    parent = family.state(states[0].parent)
    assert parent is not None
    desk.ask(document.patch, desk.patch_of(document.patch, parent), states)
    while desk.looks.busy:
        engine.poll()
        if desk.step() and not first:
            first = time.monotonic() - begun
        time.sleep(0.005)
    return first, time.monotonic() - begun


def main() -> int:
    """Fill the board some times."""
    parser = argparse.ArgumentParser(prog="python -m bench.board", description=__doc__)
    parser.add_argument("--count", type=int, default=12)
    parser.add_argument("--rounds", type=int, default=5)
    options = parser.parse_args()
    patch, _ = open_patch("demo:")
    document, desk, engine = Document(patch), Desk(Workers(2)), EngineClient(EngineOptions(audio="simulated"))
    engine.set_patch(patch)
    engine.wait_for(say.Prepared)
    engine.play()
    desk.layers = LAYERS
    desk.ask(patch, patch, ())
    while desk.looks.busy:
        engine.poll()
        desk.step()
        time.sleep(0.005)
    before = engine.status[Status.UNDERRUNS]
    for k in range(options.rounds):
        while desk.looks.prepares:  # code of loops that the round before met for the first time
            engine.poll()
            desk.step()
            time.sleep(0.05)
        first, whole = _board(desk, document, engine, 100 + k, options.count)
        print(f"first after {first:.2f} s, {options.count} after {whole:.2f} s, "
              f"{engine.status[Status.UNDERRUNS] - before:.0f} underruns so far", flush=True)  # fmt: skip
    engine.close()
    desk.close()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
