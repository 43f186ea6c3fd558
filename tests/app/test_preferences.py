"""What is kept between starts: preferences, recent patches, copies against a crash, the hints of the first start."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import pytest
from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QApplication, QMenu, QMessageBox
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import NOON
from dunefall.app.shell.files import open_path, save_path
from dunefall.app.shell.hints import Hints
from dunefall.app.shell.preferencesdialog import PreferencesDialog
from dunefall.app.shell.talk import WindowTalk
from dunefall.app.shell.window import MainWindow
from dunefall.base.desktoprecent import desktop_list
from dunefall.base.preferences import MOST_RECENT, Preferences, preferences_file
from dunefall.base.programs import program_name
from dunefall.engine.messages import EngineOptions
from dunefall.patch.files import save_patch
from dunefall.patch.recovery import Recovery, recovery_folder
from dunefall.session import Session, open_patch
from dunefall.session.edits.layers import set_tempo
from rig import demo


@pytest.fixture(scope="module")
def shared(qapp: QApplication, tmp_path_factory: pytest.TempPathFactory) -> Iterator[MainWindow]:
    with pytest.MonkeyPatch.context() as patched:
        patched.setenv("DUNEFALL_CONFIG", str(tmp_path_factory.mktemp("config")))
        patched.setenv("DUNEFALL_DATA", str(tmp_path_factory.mktemp("data")))
        session = Session(*open_patch("demo:"), EngineOptions(audio="simulated"))
        window = MainWindow(session, NOON, Preferences())
        window.show()
        yield window
        window.session.document.mark_saved(None)
        window.close()


def kept() -> Preferences:
    return Preferences.load(preferences_file())


def test_preferences_come_back_and_nonsense_is_passed_over(tmp_path: Path) -> None:
    path = tmp_path / "some" / "preferences.json"
    mine = Preferences("dusk", 1.5, "simulated", rate=96000.0, frames=128, recent=("/a", "/b"),
                       shortcuts={"play": "Ctrl+P"}, hints_seen=True)  # fmt: skip
    mine.save(path)
    assert Preferences.load(path) == mine
    raw = json.loads(path.read_text()) | {"theme": "pink", "scale": 7, "rate": "x", "frames": True, "recent": [1, "/c"],
                                          "shortcuts": [], "hints_seen": "yes", "of tomorrow": 1}  # fmt: skip
    path.write_text(json.dumps(raw))
    assert Preferences.load(path) == Preferences(audio="simulated", recent=("/c",))
    for text in ("", "[1]", "{", "\x00"):
        path.write_text(text)
        assert Preferences.load(path) == Preferences()
    assert Preferences.load(tmp_path / "nothing") == Preferences()


def test_the_last_patches_are_kept_without_doubles() -> None:
    made = Preferences()
    for number in [*range(12), 5]:
        made = made.with_recent(Path(f"/x/{number}.dunefall"))
    assert len(made.recent) == MOST_RECENT
    assert made.recent[:2] == ("/x/5.dunefall", "/x/11.dunefall")


def test_opening_and_saving_are_remembered(shared: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    path = tmp_path / "shore.dunefall"
    assert save_path(shared.context, path)
    assert kept().recent == (str(path),)
    assert path.as_uri() in desktop_list().read_text("utf-8"), "the desktop shows it, too"
    recent = next(menu for menu in shared.findChildren(QMenu) if menu.title() == "Open recent")
    recent.aboutToShow.emit()
    action = recent.actions()[0]
    assert action.text() == "shore.dunefall"
    path.unlink()
    action.trigger()
    for box in shared.findChildren(QMessageBox):
        box.close()
    assert kept().recent == (), "what is gone is no longer offered"


def test_keys_and_theme_are_the_user_s(shared: MainWindow, qtbot: QtBot) -> None:
    shared.actions_by_id["preferences"].trigger()
    dialog = shared.findChildren(PreferencesDialog)[-1]
    dialog.theme.setCurrentIndex(dialog.theme.findData("dusk"))
    dialog.keys["duplicate"].setKeySequence(QKeySequence("Ctrl+Z"))
    assert not dialog._ok.isEnabled()
    assert "Ctrl+Z is the key of" in dialog._clash.text()
    dialog.keys["duplicate"].setKeySequence(QKeySequence("Ctrl+U"))
    assert dialog._ok.isEnabled()
    dialog.accept()
    assert shared.context.theme.name == "dusk"
    assert shared.actions_by_id["duplicate"].shortcut().toString() == "Ctrl+U"
    assert (kept().theme, kept().shortcuts) == ("dusk", {"duplicate": "Ctrl+U"})
    shared.actions_by_id["theme"].trigger()
    assert kept().theme == "noon"


def test_who_wants_it_calm_sees_pictures_move_twice_a_second(
    shared: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    shared.session.play()
    qtbot.waitUntil(lambda: shared.session.seconds > 0.2, timeout=60000)
    moved: list[float] = []
    monkeypatch.setattr(shared.page("build"), "animate", lambda: moved.append(shared._moved_s))
    shared.actions_by_id["preferences"].trigger()
    dialog = shared.findChildren(PreferencesDialog)[-1]
    dialog.motion.setCurrentIndex(dialog.motion.findData(True))
    dialog.accept()
    assert kept().calm
    moved.clear()
    qtbot.waitUntil(lambda: len(moved) >= 4, timeout=30000)
    assert min(b - a for a, b in pairwise(moved)) >= 0.49
    shared.context.settings.change(calm=False)
    moved.clear()
    qtbot.waitUntil(lambda: len(moved) > 20, timeout=30000)
    assert min(b - a for a, b in pairwise(moved)) < 0.1
    shared.session.pause()


def test_unsaved_work_is_kept_and_offered_after_a_crash(
    shared: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    set_tempo(shared.session.document, 77.0)
    shared.copies.keep()
    mine = recovery_folder() / f"{program_name()}.recovery"
    qtbot.waitUntil(mine.exists, timeout=5000)
    assert Recovery(recovery_folder()).left_behind() == [], "its process is alive"
    gone = replace(demo(), title="Lost at night", tempo_bpm=61.0)
    Recovery(recovery_folder()).keep(gone, tmp_path / "night.dunefall")
    mine.rename(recovery_folder() / "999999999.recovery")
    (recovery_folder() / "999999998.recovery").write_text("half a fi")
    asked: list[str] = []

    def answer(_talk: object, _title: str, text: str, answers: dict[str, str]) -> str:
        assert list(answers.values()) == ["Open the unsaved patch", "Delete it for good", "Leave it for later"]
        asked.append(text)
        return "open"

    monkeypatch.setattr(WindowTalk, "choose", answer)
    assert shared.copies.offer()
    assert "Lost at night" in asked[0]
    assert "night.dunefall" in asked[0]
    assert shared.session.patch == gone
    assert shared.session.document.modified, "it is still not saved"
    assert shared.session.document.path == tmp_path / "night.dunefall"
    assert not (recovery_folder() / "999999999.recovery").exists()
    assert not shared.copies.offer()
    shared.session.document.mark_saved(None)
    shared.copies.keep()
    assert not mine.exists(), "nothing is unsaved any more"


def test_five_hints_point_at_real_things_and_go_for_good(shared: MainWindow, qtbot: QtBot) -> None:
    shared.show_hints()
    hints = shared.findChildren(Hints)[-1]
    assert len(hints._hints) == 5
    for hint in hints._hints:
        part = hint.part()
        place = QRect(hint.widget.mapTo(shared, part.topLeft()), part.size())
        assert QRect(0, 0, shared.width(), shared.height()).intersects(place)
        assert place.width() > 8
        assert shared.rect().contains(hints.geometry())
        if hint is not hints._hints[-1]:
            qtbot.mouseClick(hints.next, Qt.MouseButton.LeftButton)
    assert not kept().hints_seen
    qtbot.mouseClick(hints.next, Qt.MouseButton.LeftButton)
    assert kept().hints_seen


def test_escape_waves_the_hints_away(shared: MainWindow, qtbot: QtBot) -> None:
    shared.context.settings.take(Preferences())
    shared.show_hints()
    hints = shared.findChildren(Hints)[-1]
    qtbot.keyClick(hints, Qt.Key.Key_Escape)
    assert kept().hints_seen


def test_a_file_that_is_opened_comes_first(shared: MainWindow, tmp_path: Path) -> None:
    path = tmp_path / "other.dunefall"
    save_patch(demo(), path)
    shared.session.document.mark_saved(None)
    assert open_path(shared.context, path)
    assert kept().recent[0] == str(path)
