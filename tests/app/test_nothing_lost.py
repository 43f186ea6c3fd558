"""Nothing that is removed, told or saved is lost: Delete, notices, save as, recovery."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QFileDialog, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import NOON
from dunefall.app.shell.files import open_path, save, save_as, save_path
from dunefall.app.shell.notices import NoticeDialog
from dunefall.app.shell.talk import WindowTalk
from dunefall.app.shell.window import MainWindow
from dunefall.app.watch.watchplots import Plot
from dunefall.base.preferences import Preferences
from dunefall.engine.messages import EngineOptions
from dunefall.patch.claims import Claim
from dunefall.patch.files import load_patch, save_patch
from dunefall.patch.model import Place
from dunefall.patch.recovery import recovery_folder
from dunefall.session import Session
from dunefall.session.edits.layers import set_tempo
from rig import demo


@pytest.fixture(scope="module")
def shared(qapp: QApplication) -> Iterator[MainWindow]:
    made = MainWindow(Session(demo(), None, EngineOptions(audio="simulated")), NOON)
    made.show()
    yield made
    made.session.document.mark_saved(None)
    made.close()


@pytest.fixture
def window(shared: MainWindow, qtbot: QtBot) -> MainWindow:
    shared.selection.select("")
    shared.session.replace_document(demo(), None)
    shared.selection.look_again()
    shared.notice.clear()
    shared.activateWindow()
    qtbot.waitUntil(shared.isActiveWindow)
    return shared


# -- Delete -----------------------------------------------------------------------------------------------------------


def test_delete_removes_the_link_row_that_has_the_focus(window: MainWindow, qtbot: QtBot) -> None:
    window.selection.select("fog-air-band")
    link = window.session.patch.links_into("fog-air-band", "cutoff_hz")[0]
    row = window.page("build").inspector.rows[link.id]
    row.setFocus()
    qtbot.keyClick(row, Qt.Key.Key_Delete)
    assert link.id not in {x.id for x in window.session.patch.links}
    assert window.session.patch.has("fog-air-band"), "only the link"
    assert window.notice.text().startswith("The link from")
    undo = next(b for b in window.notice.findChildren(QPushButton) if b.text() == "Undo")
    qtbot.mouseClick(undo, Qt.MouseButton.LeftButton)
    assert window.session.patch == demo()


def test_delete_on_a_rail_resets_it_and_the_module_stays(window: MainWindow, qtbot: QtBot) -> None:
    window.selection.select("fog-air-band")
    rail = window.page("build").inspector.rails["resonance"]
    rail.setFocus()
    qtbot.keyClick(rail, Qt.Key.Key_Delete)
    assert rail.value == rail.param.default
    assert window.session.patch.has("fog-air-band")


def test_delete_on_a_plot_takes_its_pin_away(window: MainWindow, qtbot: QtBot) -> None:
    pins = window.session.patch.pins
    plot = next(plot for plot in window.page("build").watch.findChildren(Plot) if plot.isVisible())
    plot.setFocus()
    qtbot.keyClick(plot, Qt.Key.Key_Delete)
    assert len(window.session.patch.pins) == len(pins) - 1


def test_delete_on_the_lanes_removes_the_module_and_says_so(window: MainWindow, qtbot: QtBot) -> None:
    window.selection.select("fog-air-band")
    window.page("build").canvas.setFocus()
    qtbot.keyClick(window.page("build").canvas, Qt.Key.Key_Delete)
    assert not window.session.patch.has("fog-air-band")
    assert window.notice.text() == "Band was removed."


def test_a_layer_that_is_removed_says_how_to_get_it_back(window: MainWindow, qtbot: QtBot) -> None:
    window.selection.select("fog-air-output")
    window.actions_by_id["remove"].trigger()
    assert window.notice.text().startswith("The layer Fog air was removed with its 6")
    undo = next(b for b in window.notice.findChildren(QPushButton) if b.text() == "Undo")
    undo.click()
    assert window.session.patch == demo()


# -- healing ----------------------------------------------------------------------------------------------------------


def test_a_slew_that_is_removed_leaves_the_movement_through(window: MainWindow) -> None:
    """Removing the Slew between Hold and the cutoff used to leave the cutoff still."""
    before = demo()
    into = before.links_into("drip-line-slew", "signal")
    out = before.links_from("drip-line-slew")
    window.selection.select("drip-line-slew")
    window.actions_by_id["remove"].trigger()
    patch = window.session.patch
    for link in out:
        healed = [x for x in patch.links_into(link.target.module, link.target.port) if x.source == into[0].source]
        assert [x.amount for x in healed] == [pytest.approx(link.amount * into[0].amount)]
    window.session.document.undo()
    assert window.session.patch == before


# -- notices ----------------------------------------------------------------------------------------------------------


def test_notices_never_move_the_page_and_none_is_lost(window: MainWindow, qtbot: QtBot) -> None:
    page = window.page("build")
    before = page.geometry()
    for k in range(5):
        window.context.tell(f"Sentence {k}.")
    assert page.geometry() == before
    shown = [row.text for row in window.notice._rows]
    assert shown == ["Sentence 2.", "Sentence 3.", "Sentence 4."]
    assert [notice.text for notice in window.notice.kept][-5:] == [f"Sentence {k}." for k in range(5)]
    window.actions_by_id["notices"].trigger()
    dialog = window.findChildren(NoticeDialog)[-1]
    assert dialog.list.item(0).text().endswith("Sentence 4.")
    assert dialog.list.count() >= 5
    dialog.accept()
    window.context.tell("Sentence 4.")
    assert len(window.notice._rows) == 3, "the same again only stays longer"
    window.notice.clear()
    assert not window.notice.isVisible()
    assert window.pages.rect().contains(window.notice.geometry().center())


def test_a_notice_shows_the_whole_of_what_closes_it(window: MainWindow) -> None:
    """The left edge of the cross was all there was of it."""
    window.context.tell("Something happened.")
    (close,) = (b for b in window.notice.findChildren(QPushButton) if b.accessibleName() == "Close the notice")
    picture = close.grab().toImage()
    ground = picture.pixel(2, 2)
    drawn = [x for x in range(picture.width()) if any(picture.pixel(x, y) != ground for y in range(picture.height()))]
    window.notice.clear()
    assert max(drawn) - min(drawn) >= 4
    assert abs((max(drawn) + min(drawn)) / 2 - picture.width() / 2) <= 2


# -- files ------------------------------------------------------------------------------------------------------------


def test_save_as_names_the_patch_and_is_no_undo_step(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    set_tempo(window.session.document, 70.0)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "night walk"), ""))
    assert save_as(window.context)
    assert "night walk" in window.header.title.text()
    assert load_patch(tmp_path / "night walk.dunefall").title == "night walk"
    assert window.session.document.undo_label == "Change tempo", "saving is no step"
    window.session.document.undo()
    assert window.session.patch.title == "night walk", "and undo does not bring the old name back"
    window.session.document.mark_saved(tmp_path / "night walk.dunefall")


def test_a_file_that_another_program_has_written_to_is_not_replaced_unasked(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Two windows of one file: the last one to save took the other's work away."""
    path, asked = tmp_path / "shore.dunefall", list[str]()
    assert save_path(window.context, path)
    set_tempo(window.session.document, 71.0)
    assert save(window.context)
    save_patch(replace(demo(), title="Theirs"), path)
    set_tempo(window.session.document, 72.0)

    def answer(_talk: object, _title: str, text: str, answers: dict[str, str]) -> str:
        asked.append(text)
        return "replace" if len(asked) > 1 else list(answers)[-1]

    monkeypatch.setattr(WindowTalk, "choose", answer)
    assert not save(window.context)
    assert load_patch(path).title == "Theirs"
    assert str(path) in asked[0]
    assert save(window.context)
    assert load_patch(path).tempo_bpm == 72.0
    set_tempo(window.session.document, 73.0)
    assert save(window.context)
    assert len(asked) == 2, "what this window wrote itself is no surprise"


def test_a_file_that_is_open_elsewhere_is_told_and_can_be_copied(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    path = tmp_path / "shore.dunefall"
    save_patch(demo(), path)
    code = "import sys, time; from dunefall.patch.claims import Claim; from pathlib import Path\n"
    code += "claim = Claim(Path(sys.argv[1])); print(claim.take(Path(sys.argv[2])), flush=True); time.sleep(60)"
    monkeypatch.setattr(window.context.settings, "lasting", True)
    monkeypatch.setattr(window.context, "claim", Claim(tmp_path / "open"))
    monkeypatch.setattr(window.context.settings, "take", lambda values: None)
    other = subprocess.Popen([sys.executable, "-c", code, tmp_path / "open", path], stdout=subprocess.PIPE, text=True)
    try:
        assert other.stdout is not None
        assert other.stdout.readline() == "True\n"
        window.notice.clear()
        assert open_path(window.context, path)
        assert "is open in another Dunefall as well" in window.notice.text()

        def offered() -> list[QPushButton]:
            return [x for x in window.findChildren(QPushButton) if x.text() == "Go on with a copy" and x.isVisible()]

        qtbot.waitUntil(lambda: bool(offered()))
        qtbot.mouseClick(offered()[0], Qt.MouseButton.LeftButton)
        assert window.session.document.path is None
        assert window.session.document.modified
    finally:
        other.kill()
        other.communicate()
    assert open_path(window.context, path)
    assert window.session.document.path == path
    window.context.claim.free()


def test_a_suffix_that_is_added_does_not_overwrite_unasked(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "shore.dunefall").write_text("mine")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "shore"), ""))
    asked: list[str] = []

    def no(_parent: object, _title: str, text: str, *_: object) -> QMessageBox.StandardButton:
        asked.append(text)
        return QMessageBox.StandardButton.No

    monkeypatch.setattr(QMessageBox, "question", no)
    assert not save_as(window.context)
    assert "shore.dunefall" in asked[0]
    assert (tmp_path / "shore.dunefall").read_text() == "mine"


def test_a_crash_takes_at_most_five_seconds_of_work(
    qapp: QApplication, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DUNEFALL_DATA", str(tmp_path))
    monkeypatch.setenv("DUNEFALL_CONFIG", str(tmp_path))
    made = MainWindow(Session(demo(), None, EngineOptions(audio="simulated")), NOON, Preferences())
    made.show()
    try:
        begun = time.monotonic()
        set_tempo(made.session.document, 66.0)
        qtbot.waitUntil(lambda: any(recovery_folder().glob("*.recovery")), timeout=5000)
        first = next(recovery_folder().glob("*.recovery")).read_bytes()
        set_tempo(made.session.document, 67.0)
        qtbot.waitUntil(lambda: next(recovery_folder().glob("*.recovery")).read_bytes() != first, timeout=5000)
        assert time.monotonic() - begun < 10
        assert save_path(made.context, tmp_path / "shore.dunefall")
        assert not any(recovery_folder().glob("*.recovery")), "a copy of what is saved would be offered as unsaved"
        set_tempo(made.session.document, 68.0)
        qtbot.waitUntil(lambda: any(recovery_folder().glob("*.recovery")), timeout=5000)
        made.session.replace_document(demo(), None)
        qtbot.waitUntil(lambda: not any(recovery_folder().glob("*.recovery")), timeout=5000)
    finally:
        made.session.document.mark_saved(None)
        made.close()


def test_a_pin_is_a_place() -> None:
    assert all(isinstance(pin, Place) for pin in demo().pins)
