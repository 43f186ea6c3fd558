"""Errors that nobody expected: written down, told, and nothing else happens."""

from __future__ import annotations

import sys
import threading
from functools import partial
from pathlib import Path

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from dunefall.app.shell.files import save_copy
from dunefall.app.shell.mishaps import MOST_BYTES, Mishaps
from dunefall.app.shell.window import MainWindow
from dunefall.base.errors import PatchError
from dunefall.patch.files import load_patch


def failed(error: Exception) -> tuple[type[BaseException], BaseException | None, object]:
    """An error as it is when nobody caught it."""
    try:
        raise error
    except Exception:
        return sys.exc_info()


@pytest.fixture
def mishaps(tmp_path: Path, demo_window: MainWindow) -> Mishaps:
    made = Mishaps(tmp_path / "log" / "errors.log")
    talk = demo_window.context.talk
    made.happened.connect(lambda text: talk.tell(text, ("Save a copy…", partial(save_copy, demo_window.context))))
    demo_window.notice.clear()
    return made


def test_it_is_told_and_written_down_and_the_patch_stays(
    mishaps: Mishaps, demo_window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    patch, path = demo_window.session.patch, demo_window.session.document.path
    mishaps.take(*failed(ZeroDivisionError("division by zero")))
    assert "Something went wrong inside Dunefall (ZeroDivisionError in test_mishaps.py" in demo_window.notice.text()
    assert "division by zero" in (tmp_path / "log" / "errors.log").read_text()
    assert demo_window.session.patch is patch
    copy = tmp_path / "copy.dunefall"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(copy), ""))
    save_copy(demo_window.context)
    assert load_patch(copy).layers == patch.layers
    assert demo_window.session.document.path == path
    assert f"A copy is in {copy}" in demo_window.notice.text()


def test_it_comes_from_any_thread_to_the_window(
    mishaps: Mishaps, demo_window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    monkeypatch.setattr(threading, "excepthook", threading.excepthook)
    mishaps.install()
    told: list[int] = []
    mishaps.happened.connect(
        lambda _text: told.append(threading.get_ident()),
    )

    def broken() -> None:
        raise KeyError("fog")

    thread = threading.Thread(target=broken)
    thread.start()
    thread.join()
    qtbot.waitUntil(lambda: "KeyError" in demo_window.notice.text())
    assert mishaps.count == 1
    assert told == [threading.get_ident()], "in the thread of the window"


def test_a_slot_that_fails_ends_there(mishaps: Mishaps, demo_window: MainWindow, qtbot: QtBot) -> None:
    """The hook that the program installs is the one that Qt's slots end in."""

    def broken() -> None:
        raise IndexError("no such layer")

    with qtbot.capture_exceptions() as caught:
        QTimer.singleShot(0, broken)
        qtbot.waitUntil(lambda: bool(caught))
    mishaps.take(*caught[0])
    assert "IndexError in test_mishaps.py" in demo_window.notice.text()


def test_the_same_is_told_once_and_what_says_itself_what_is_wrong_is_quoted(
    mishaps: Mishaps, demo_window: MainWindow, tmp_path: Path
) -> None:
    told: list[str] = []
    mishaps.happened.connect(told.append)
    for _ in range(50):
        mishaps.take(*failed(ValueError("again")))
    mishaps.take(*failed(PatchError("the layer is full")))
    assert [text[:20] for text in told] == ["Something went wrong", "the layer is full."]
    assert mishaps.count == 51
    for _ in range(300):
        mishaps.take(*failed(ValueError("x" * 3000)))
    assert (tmp_path / "log" / "errors.log").stat().st_size < 1.1 * MOST_BYTES + 5000
