"""A monkey at the real window: random keys, clicks, drags, wheels and typing, then undo back to the start.

`python -m bench.monkey [--gestures 200000] [--seed 1] [--minutes 5]` works in rounds: so many gestures, then undo until
nothing can be undone, and the patch is the first one, bit for bit. An exception anywhere, or a patch that differs, ends
it with the seed of the round and its last gestures, so that it can be done again (``--seed``). A run of ``--minutes``
is one process; as many processes follow as it takes.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
import traceback
from collections import deque
from pathlib import Path

import shiboken6
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QKeySequence, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QFileDialog, QWidget

from dunefall.app.controls.theme import NOON
from dunefall.app.shell.start import make_app
from dunefall.app.shell.window import MainWindow
from dunefall.engine.messages import EngineOptions
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.model import Patch
from dunefall.session import Session, open_patch

__all__ = ["Monkey", "monkey_window"]

ROUND, POPUP_MS, LAST = 250, 40, 40
OUT = Path(__file__).parent.parent / "build" / "monkey.dunefall"
"""The patch in which something went wrong."""
PATIENCE = 12
"""Gestures within a dialog or a menu before it is closed."""
LEFT, PLAIN = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
LEAVES = frozenset(("quit", "new", "open", "demo", "recent", "save", "save_as", "save_take", "take_in", "device"))
"""Commands that go to files, to another patch, or to the device: undo does not lead back from there."""
TEXTS = ("950", "0.2", "-6 dB", "3 st", "A3", "1/8.", "200 Hz to 2 kHz", "cutoff 500, res 30", "amount 1 oct", "xyz",
         "noise", "low-pass", "slow wave", "chance", "reverb", "clock", "", "1e99", "-", "50 %", "kick",
         "filter")  # fmt: skip
PLAIN_KEYS = (
    "Up", "Down", "Left", "Right", "Return", "Escape", "Tab", "Shift+Tab", "Space", "Delete", "Backspace", "Home",
    "End", "PgUp", "PgDown", "+", "-", "1", "5", "A", "L", "/", "Ctrl+Z", "Ctrl+Shift+Z", "Alt+Up", "Shift+Right",
)  # fmt: skip


def monkey_window() -> MainWindow:
    """A window with the demo, simulated devices, and nothing kept; renders go to a folder of their own."""
    window = MainWindow(Session(*open_patch("demo:"), EngineOptions(audio="simulated")), NOON)
    window.page("render").settings.set(folder=tempfile.mkdtemp(prefix="dunefall-monkey-"))
    window.show()
    window.activateWindow()
    QTest.qWait(300)
    return window


class Monkey:
    """Random gestures in a window.

    Attributes
    ----------
    faults : list of str
        What went wrong.
    last : deque of str
        The last gestures.
    """

    def __init__(self, window: MainWindow, seed: int) -> None:
        self.window, self.dice = window, random.Random(seed)
        self._within = 0
        self._told = {notice.text for notice in window.notice.kept}
        self.faults, self.last = list[str](), deque[str](maxlen=LAST)
        usual = [(command.id, command.key) for command in window.commands if command.key]
        self._keys = [key for name, key in usual if name not in LEAVES] + list(PLAIN_KEYS) * 2
        self._first = dump_patch(window.session.patch)
        self._replace = type(window.session).replace_document
        window.session.replace_document = self._other  # type: ignore[method-assign]
        sys.excepthook = self._catch
        self._answers = self._asks = True
        self._ask_again()

    def _catch(self, *error: object) -> None:
        self.faults.append("".join(traceback.format_exception(*error)))  # type: ignore[arg-type]

    def _ask_again(self) -> None:
        QTimer.singleShot(POPUP_MS, self._answer)  # a timer does not fire while its own slot has not returned

    def _answer(self) -> None:
        """Something that waits for an answer: give one, some time; the answer itself may ask something."""
        if self._asks:
            self._ask_again()
        if not self._answers:
            return
        popup, modal = QApplication.activePopupWidget(), QApplication.activeModalWidget()
        if isinstance(modal, QFileDialog):
            modal.reject()
        elif popup is not None and self.dice.random() < 0.3:
            popup.close()
        elif isinstance(modal, QDialog) and self.dice.random() < 0.2:
            self._note(f"answer {type(modal).__name__}")
            if self.dice.random() < 0.5:
                modal.reject()
            else:
                self._type(QApplication.focusWidget() or modal)

    def _other(self, patch: Patch, path: Path | None) -> None:
        """Another patch was opened, by way of the command search or a menu: undo leads back to its start."""
        self._replace(self.window.session, patch, path)
        self._first = dump_patch(self.window.session.patch)

    def _note(self, what: str) -> None:
        self.last.append(what)

    def _target(self) -> QWidget:
        if QApplication.activeWindow() is None:
            (QApplication.activeModalWidget() or self.window).activateWindow()
        active = QApplication.activePopupWidget() or QApplication.activeModalWidget() or QApplication.activeWindow()
        return active or self.window

    def _type(self, widget: QWidget) -> None:
        text = self.dice.choice(TEXTS)
        keys = [*text, Qt.Key.Key_Return] if self.dice.random() < 0.8 else [*text]
        for key in keys:
            target = QApplication.focusWidget() or widget
            if shiboken6.isValid(target):  # what was typed before may have closed it
                QTest.keyClick(target, key)

    def gesture(self) -> None:
        """One of them."""
        target, dice = self._target(), self.dice
        self._within = self._within + 1 if target is not self.window else 0
        if self._within > PATIENCE:
            self._note(f"close {type(target).__name__}")
            target.close()
            return
        kind = dice.choices(("key", "click", "drag", "wheel", "type", "double", "right"), (9, 7, 4, 3, 4, 1, 1))[0]
        if kind == "key":
            chord = dice.choice(self._keys)
            self._note(f"press {chord}")
            combination = QKeySequence(chord)[0]
            QTest.keyClick(QApplication.focusWidget() or target, combination.key(), combination.keyboardModifiers())
        elif kind == "type":
            self._note("type")
            self._type(QApplication.focusWidget() or target)
        else:
            self._by_mouse(kind, target)

    def _by_mouse(self, kind: str, target: QWidget) -> None:
        dice = self.dice
        place = QPoint(dice.randrange(max(1, target.width())), dice.randrange(max(1, target.height())))
        widget = target.childAt(place) or target
        inside = widget.mapFrom(target, place) if widget is not target else place
        self._note(f"{kind} {type(widget).__name__} at {place.x()},{place.y()} {widget.accessibleName()}")
        if type(widget).__name__ == "QMenuBar":
            return  # the files are there
        held = dice.choice(
            (PLAIN, PLAIN, PLAIN, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier)
        )
        if kind == "click":
            QTest.mouseClick(widget, LEFT, held, inside)
        elif kind == "double":
            QTest.mouseDClick(widget, LEFT, held, inside)
        elif kind == "right":
            QTest.mouseClick(widget, Qt.MouseButton.RightButton, held, inside)
        elif kind == "wheel":
            turn = QPoint(0, dice.choice((-240, -120, 120, 240)))
            event = QWheelEvent(QPointF(inside), QPointF(widget.mapToGlobal(inside)), QPoint(), turn,
                                Qt.MouseButton.NoButton, held, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
            QApplication.sendEvent(widget, event)
        else:
            QTest.mousePress(widget, LEFT, held, inside)
            for _ in range(dice.randrange(1, 5)):
                inside += QPoint(dice.randrange(-120, 121), dice.randrange(-60, 61))
                QTest.mouseMove(widget, inside)
            QTest.mouseRelease(widget, LEFT, held, inside)

    def back(self) -> None:
        """Close what is open, see whether the patch can be saved and read, and undo until nothing can be undone."""
        self._answers = False
        for dialog in self.window.findChildren(QDialog):
            dialog.close()
        self.window.session.trial.end()
        queue = self.window.page("render").queue
        for entry in queue.entries:
            queue.cancel(entry)
        text = dump_patch(self.window.session.patch)
        if parse_patch(text.encode()) != self.window.session.patch:
            self.faults.append("what is saved is not what is read")
        undo, document = self.window.actions_by_id["undo"], self.window.session.document
        while document.undo_label:
            undo.trigger()
        self._answers = True
        if dump_patch(self.window.session.patch) != self._first:
            self.faults.append("undone to the start, the patch is not the first one")

    def _look(self) -> None:
        """A module that gives invalid numbers is a fault, with its values."""
        for message in list(self.window.notice.kept):
            if "invalid numbers" in message.text and message.text not in self._told:
                self._told.add(message.text)
                values = [(m.name, m.type, dict(m.params)) for m in self.window.session.patch.modules()]
                bad = [entry for entry in values if message.text.startswith(entry[0])]
                self.faults.append(f"{message.text} {bad}")

    def stop(self) -> None:
        """Answer nothing any more."""
        self._answers = self._asks = False

    def round(self, count: int) -> None:
        """So many gestures, and back; what fails here, and not in the window, is a fault like any other."""
        try:
            self._round(count)
        except Exception:
            self._catch(*sys.exc_info())

    def _round(self, count: int) -> None:
        for number in range(count):
            self.gesture()
            if not self.window.isVisible():  # by the command search it may quit
                return
            if number % 8 == 0:
                QTest.qWait(1)
            self._look()
            if self.faults:
                return
        self.back()


def run(gestures: int, seed: int, minutes: float) -> int:
    """Rounds in this process until the time is over; returns how many gestures there were, or a negative number."""
    make_app("noon")
    window, done, end = monkey_window(), 0, time.monotonic() + 60 * minutes
    while done < gestures and time.monotonic() < end:
        monkey = Monkey(window, seed + done)
        count = min(ROUND, gestures - done)
        monkey.round(count)
        monkey.stop()
        if not window.isVisible():
            window = monkey_window()
        if monkey.faults:
            OUT.parent.mkdir(exist_ok=True)
            OUT.write_text(dump_patch(window.session.patch))
            print(f"seed {seed + done}: after\n  " + "\n  ".join(monkey.last), "\n".join(monkey.faults), sep="\n")
            sys.stdout.flush()
            os._exit(1)
        done += count
    print(f"{done} gestures from seed {seed}", flush=True)
    window.session.document.mark_saved(None)
    window.close()
    shutil.rmtree(window.page("render").settings.job.folder, ignore_errors=True)
    return done


def main() -> int:
    """Run processes one after the other until all gestures are done."""
    parser = argparse.ArgumentParser(prog="python -m bench.monkey")
    parser.add_argument("--gestures", type=int, default=200_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--minutes", type=float, default=5.0)
    parser.add_argument("--here", action="store_true", help="this is one of the processes")
    options = parser.parse_args()
    if options.here:
        run(options.gestures, options.seed, options.minutes)
        return 0
    left, seed = options.gestures, options.seed
    with tempfile.TemporaryDirectory() as folder:
        environment = os.environ | {"DUNEFALL_CONFIG": folder, "DUNEFALL_DATA": folder, "DUNEFALL_LIBRARY": folder,
                                    "PYTHONFAULTHANDLER": "1"}  # fmt: skip
        while left > 0:
            command = [sys.executable, "-m", "bench.monkey", "--here", "--gestures", str(left), "--seed", str(seed),
                       "--minutes", str(options.minutes)]  # fmt: skip
            done = subprocess.run(
                command, env=environment, capture_output=True, text=True, cwd=Path(__file__).parent.parent, check=False
            )
            print(done.stdout, end="", flush=True)
            if done.returncode:
                print(f"ended with {done.returncode}", done.stderr[-6000:], sep="\n")
                return 1
            made = int(done.stdout.rsplit(" gestures", 1)[0].split()[-1])
            left, seed = left - made, seed + made
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
