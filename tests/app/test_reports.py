"""A fault that ends the program leaves a report, which is offered once."""

from __future__ import annotations

import signal
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from dunefall.app.shell.reports import MOST_BYTES, MOST_KEPT, Report, ReportDialog, offer_reports
from dunefall.app.shell.window import MainWindow

FAULT = """
import faulthandler, os, signal, sys
from pathlib import Path
from dunefall.app.shell.reports import Report
report = Report(Path(sys.argv[1]), "sound simulated, 48000 Hz")
report.note("undo")
report.close() if sys.argv[2] == "0" else os.kill(os.getpid(), int(sys.argv[2]))
"""


def ended_by(folder: Path, how: int) -> int:
    return subprocess.run([sys.executable, "-c", FAULT, str(folder), str(how)], check=False).returncode


def test_a_fault_is_reported_and_offered_once(demo_window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    assert ended_by(tmp_path, signal.SIGSEGV) == -signal.SIGSEGV
    offer_reports(demo_window.context, tmp_path)
    assert "ended by a fault" in demo_window.notice.text()
    show = next(b for b in demo_window.notice.findChildren(QPushButton) if b.text() == "Show the report…")
    qtbot.mouseClick(show, Qt.MouseButton.LeftButton)
    dialog = demo_window.findChildren(ReportDialog)[-1]
    told = dialog.text.toPlainText()
    for words in ("Dunefall", "sound simulated, 48000 Hz", "undo", "Segmentation fault"):
        assert words in told
    assert str(Path.home()) not in told.split("Fatal Python error")[0]
    dialog.reject()
    demo_window.notice.clear()
    kept = demo_window.notice.kept.copy()
    offer_reports(demo_window.context, tmp_path)
    assert demo_window.notice.kept == kept
    assert len(list(tmp_path.glob("crash-*"))) == 1


@pytest.mark.parametrize("how", [0, signal.SIGKILL])
def test_what_was_no_fault_is_not_reported(demo_window: MainWindow, tmp_path: Path, how: int) -> None:
    ended_by(tmp_path, how)
    kept = demo_window.notice.kept.copy()
    offer_reports(demo_window.context, tmp_path)
    assert demo_window.notice.kept == kept
    assert not list(tmp_path.iterdir())


def test_it_stays_small_and_so_does_the_folder(demo_window: MainWindow, tmp_path: Path) -> None:
    for day in range(9):
        (tmp_path / f"crash-2026-11-0{day}-000000.txt").write_text("an old one")
    report = Report(tmp_path, "sound simulated")
    for _ in range(MOST_BYTES // 10):
        report.note("set a value")
    assert (file := next(tmp_path.glob("running-*"))).stat().st_size < MOST_BYTES + 100
    assert file.read_text("utf-8").startswith("Dunefall ")
    offer_reports(demo_window.context, tmp_path)
    assert len(list(tmp_path.glob("crash-*"))) == MOST_KEPT
    assert file.exists()
    report.close()
    assert not file.exists()


def test_where_nothing_can_be_written_nothing_is(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("in the way")
    report = Report(tmp_path / "file", "sound simulated")
    report.note("undo")
    report.close()
