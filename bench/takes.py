"""From a click in Survey to the sound there, and from a correction in a take of an hour with 5,000 entries.

`python -m bench.takes`, with a display. The first on the demo, at random places; the second on a light starter: entries
are removed at random, and it is timed until the corrected take is heard there.
"""

from __future__ import annotations

import random
import statistics
import time

from PySide6.QtTest import QTest

from bench.folders import own_folders
from dunefall.app.controls.theme import NOON
from dunefall.app.shell.start import make_app
from dunefall.app.shell.window import MainWindow
from dunefall.engine.messages import EngineOptions
from dunefall.patch.changes import ParamSet
from dunefall.patch.library import DEMO
from dunefall.patch.model import Patch
from dunefall.patch.take import Edit, Entry, Take
from dunefall.session import Session, open_patch
from dunefall.session.edits.takes import keep_take

__all__ = ["main"]

LIGHT, RATE = "starter:pump-engine", 48000
HOUR_S, COUNT, TRIES, DEMO_S = 3600.0, 5000, 20, 120.0
LATEST_S = 30.0


def _looked(window: MainWindow, seconds: float) -> float:
    """Look so far ahead; gives how long it took."""
    page, begun = window.page("survey"), time.perf_counter()
    page.looking.set_seconds(seconds)
    window.show_workspace("survey")
    while not page.looking.outlook.done:
        QTest.qWait(50)
    return time.perf_counter() - begun


def _heard(session: Session, first: float, last: float) -> float:
    """Seconds until the sound is between two times; infinite, and told, where it does not get there."""
    begun = time.perf_counter()
    while not first <= session.seconds < last:
        QTest.qWait(2)
        if time.perf_counter() - begun > LATEST_S:
            print(f"not heard within {LATEST_S:.0f} s: wanted {first:.1f} to {last:.1f} s, at {session.seconds:.1f} s")
            return float("inf")
    return time.perf_counter() - begun


def _told(what: str, times: list[float]) -> None:
    times.sort()
    print(f"{what}: median {statistics.median(times):.2f} s, {times[0]:.2f} to {times[-1]:.2f} s", flush=True)


def _clicks(window: MainWindow, dice: random.Random) -> None:
    session, page = window.session, window.page("survey")
    print(f"{DEMO_S / 60:.0f} min of the demo looked at in {_looked(window, DEMO_S):.0f} s")
    session.play()
    times = []
    for _ in range(TRIES):
        QTest.qWait(1500)
        at = dice.uniform(4.0, DEMO_S - 8.0)
        begun = time.perf_counter()
        page.hear_from(at)
        times.append(time.perf_counter() - begun + _heard(session, at, at + 3.0))
    _told("from a click to the sound there", times)


def an_hour(patch: Patch) -> Take:
    """A take with thousands of entries: levels that go up and down by hand."""
    ends = [layer.output_id for layer in patch.layers if layer.output_id]
    step = round(HOUR_S * RATE / COUNT)
    whats = [Edit((ParamSet(ends[k % len(ends)], "level_db", -10.0 - k * 7 % 25),)) for k in range(COUNT)]
    return Take(patch, float(RATE), tuple(Entry(step * k + 480, what) for k, what in enumerate(whats)))


def _corrections(window: MainWindow, dice: random.Random) -> None:
    patch, path = open_patch(LIGHT)
    session, page = window.session, window.page("survey")
    session.replace_document(patch, path)
    window.selection.look_again()
    begun = time.perf_counter()
    session.hear_take(keep_take(session.document, an_hour(patch)))
    page.desk.show()
    page.grab()
    print(f"{COUNT} entries opened and shown in {time.perf_counter() - begun:.2f} s")
    print(f"an hour of it looked at in {_looked(window, HOUR_S):.0f} s")
    session.play()
    times = []
    for index in sorted(
        (dice.randrange(100, COUNT - 100) for _ in range(TRIES)), reverse=True
    ):  # what is before is known
        QTest.qWait(1500)
        at = session.engine.take.entries[index].at / RATE
        begun = time.perf_counter()
        page.desk.do("remove", index)
        times.append(time.perf_counter() - begun + _heard(session, at - 2.1, at + 1.0))
    _told("from a removed entry to the corrected sound, two seconds before it", times)


def main() -> int:
    """Run both; 0 where nothing failed on the way."""
    own_folders("takes")
    app = make_app("noon")
    window = MainWindow(Session(*open_patch(DEMO), EngineOptions(audio="simulated")), NOON)
    window.resize(1280, 800)
    window.show()
    dice = random.Random(3)
    _clicks(window, dice)
    _corrections(window, dice)
    window.session.document.mark_saved(None)
    window.close()
    app.quit()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
