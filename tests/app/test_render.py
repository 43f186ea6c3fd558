"""The Render workspace, as a user works in it: real clicks, keys and files."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QFileDialog, QLineEdit, QPushButton, QSpinBox
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.listening.audition import Reader
from dunefall.app.shell.window import MainWindow
from dunefall.app.workspaces.render.page import RenderPage
from dunefall.app.workspaces.render.results import NOTE_X, ResultsTable
from dunefall.deliver.making import File
from dunefall.deliver.measure import Measures
from dunefall.deliver.queue import RenderQueue
from dunefall.deliver.verdict import Finding
from dunefall.engine.messages import EngineOptions
from dunefall.session import Session
from dunefall.session.edits.modules import set_param
from rig import demo, least_of, slowness

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="module")
def window(qapp: QApplication, tmp_path_factory: pytest.TempPathFactory) -> Iterator[MainWindow]:
    """One window for all tests of this file: its workers take a while to come."""
    with pytest.MonkeyPatch.context() as patched:
        patched.setenv("DUNEFALL_DATA", str(tmp_path_factory.mktemp("data")))
        made = MainWindow(Session(demo(), None, EngineOptions(audio="simulated")), NOON)
        made.resize(1280, 800)
        made.show()
        made.activateWindow()
        assert QTest.qWaitForWindowActive(made, 10_000)
        yield made
        made.session.document.mark_saved(None)
        made.close()


@pytest.fixture
def page(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> Iterator[RenderPage]:
    """Render, with nothing in its queue, and a folder of the test's own."""
    qtbot.keyClick(window, Qt.Key.Key_5, Qt.KeyboardModifier.ControlModifier)
    found = window.page("render")
    assert found.isVisible()
    preset(found, qtbot, "Game variations")
    found.settings.set(folder=str(tmp_path / "out"), existing="ask")
    yield found
    for entry in found.queue.entries:
        found.queue.cancel(entry)
    qtbot.waitUntil(lambda: found.queue.running is None, timeout=120_000)
    for entry in list(found.queue.entries):
        found.queue.remove(entry)
    found.chosen = None
    found._show_queue()


def preset(page: RenderPage, qtbot: QtBot, name: str) -> None:
    qtbot.mouseClick(next(button for button in page.preset_buttons if button.text() == name), LEFT)


def control(page: RenderPage, kind: type, name: str) -> object:
    return page.settings.findChild(kind, name)


def typed(page: RenderPage, qtbot: QtBot, name: str, text: str) -> None:
    """Type into the value line of a rail."""
    rail = next(child for child in page.settings.findChildren(object) if child.objectName() == name)
    rail.setFocus()
    for letter in text:
        qtbot.keyClick(QApplication.focusWidget(), letter)
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)


def wait(page: RenderPage, qtbot: QtBot, state: str = "done") -> None:
    qtbot.waitUntil(lambda: page.chosen is not None and page.chosen.state == state, timeout=120_000)


def short(page: RenderPage, **settings: object) -> None:
    page.settings.set(seconds=0.4, ends="cut", trim_db=None, fade_out_s=0.1, **settings)


def test_from_a_preset_to_files_that_are_measured_and_heard(page: RenderPage, qtbot: QtBot, tmp_path: Path) -> None:
    count = control(page, QSpinBox, "variations")
    count.setFocus()
    count.selectAll()
    qtbot.keyClick(count, "3")
    typed(page, qtbot, "seconds", "0.5")
    assert page.settings.job.variations == 3
    assert page.settings.job.seconds == 0.5
    assert "…" in page.settings.told, "the first and the last name are shown before anything is rendered"
    assert page.settings.add.text() == "Add 3 to queue"
    qtbot.mouseClick(page.settings.add, LEFT)
    wait(page, qtbot)
    files = page.results.shown
    assert len(files) == 3
    assert {path.suffix for path in (tmp_path / "out").iterdir()} == {".wav", ".json", ".csv"}
    page.results.setFocus()
    assert page.detail.file is not None, "a result is shown without being asked for"
    page.results.selectRow(0)
    qtbot.keyClick(page.results, Qt.Key.Key_Down)
    assert page.detail.file is files[1]
    assert page.detail.name.text() == files[1].names[0]
    qtbot.keyClick(page.results, Qt.Key.Key_Space)
    assert page.audition.path == tmp_path / "out" / files[1].names[0]
    qtbot.waitUntil(lambda: page.audition.path is None, timeout=5000)
    qtbot.keyClick(page.results, Qt.Key.Key_Return)
    assert page.window().session.patch.seed == files[1].seed
    assert page.window().page("build").isVisible(), "Enter opens the patch with the file's seed"


def test_a_file_is_played_and_stopped_by_its_button(page: RenderPage, qtbot: QtBot) -> None:
    short(page, variations=1)
    qtbot.mouseClick(page.settings.add, LEFT)
    wait(page, qtbot)
    box = page.results.button_box(page.results.visualRect(page.results.model().index(0, 0)))
    qtbot.mouseClick(page.results.viewport(), LEFT, pos=box.center())
    assert page.audition.path is not None
    qtbot.waitUntil(lambda: page.results.playing == page.results.shown[0].names[0], timeout=2000)
    qtbot.mouseClick(page.results.viewport(), LEFT, pos=box.center())
    assert page.audition.path is None


def test_several_files_get_numbers_of_themselves(page: RenderPage, qtbot: QtBot) -> None:
    """A preset for one file has no number in its name; with several seeds all files would have one name."""
    preset(page, qtbot, "Seamless loop")
    page.settings.set(folder=page.settings.job.folder, seconds=1.0)
    count = control(page, QSpinBox, "variations")
    count.setFocus()
    count.selectAll()
    qtbot.keyClick(count, "4")
    assert page.settings.job.name.endswith("_{n:02}")
    assert control(page, QLineEdit, "name").text() == page.settings.job.name
    assert page.settings.add.isEnabled()
    assert "_01" in page.settings.told


def test_what_is_flagged_says_why_and_is_cured(page: RenderPage, qtbot: QtBot, tmp_path: Path) -> None:
    short(page, variations=1, checks=True)
    page.settings.set(fade_out_s=0.0)
    qtbot.mouseClick(page.settings.add, LEFT)
    wait(page, qtbot)
    (file,) = page.results.shown
    (finding,) = [finding for finding in file.findings if "cut off" in finding.text]
    before = soundfile.read(tmp_path / "out" / file.names[0])[0]
    note = page.results.visualRect(page.results.model().index(1, 0))
    box = page.results.cure_box(note, file.findings[0])
    assert page.results.model().index(1, 0).data() == file.findings[0].text
    if file.findings[0] is finding:
        qtbot.mouseClick(page.results.viewport(), LEFT, pos=box.center())
    else:
        page.cure(file, finding)
    qtbot.waitUntil(lambda: page.chosen.state == "done" and page.results.shown[0] is not file, timeout=60_000)
    after = soundfile.read(tmp_path / "out" / file.names[0])[0]
    assert np.abs(before[-10:]).max() > 0.001 > np.abs(after[-10:]).max()
    assert not [found for found in page.results.shown[0].findings if "cut off" in found.text]
    report = json.loads(next((tmp_path / "out").glob("*.json")).read_text())
    assert report["files"][0]["changes"] == {"fade_out_s": 0.5}


def test_a_loop_shows_its_seam_and_is_heard_across_it(page: RenderPage, qtbot: QtBot, tmp_path: Path) -> None:
    preset(page, qtbot, "Seamless loop")
    typed(page, qtbot, "seconds", "1.5")
    typed(page, qtbot, "fold_s", "0.5")
    qtbot.mouseClick(page.settings.add, LEFT)
    wait(page, qtbot)
    assert not page.results.isColumnHidden(5)
    page.results.setFocus()
    qtbot.keyClick(page.results, Qt.Key.Key_Down)
    assert page.detail.seam.isVisible()
    assert "Loop seam" in page.detail.seam_head.text()
    assert len(page.detail.colours.seam) > 40, "the spectrum at the seam is drawn, and that of the rest"
    assert len(page.detail.colours.rest) == len(page.detail.colours.seam)
    qtbot.mouseClick(page.detail.across, LEFT)
    qtbot.wait(200)
    assert 0 < page.audition.place < 1
    qtbot.keyClick(page.window(), Qt.Key.Key_1, Qt.KeyboardModifier.ControlModifier)
    assert page.audition.path is None, "what plays stops when another workspace is shown"


def test_queue_pause_order_cancel_and_retry(page: RenderPage, qtbot: QtBot, tmp_path: Path) -> None:
    short(page, variations=40)
    qtbot.mouseClick(page.settings.add, LEFT)
    first = page.chosen
    page.settings.set(name="other_{n}", variations=1)
    qtbot.mouseClick(page.settings.add, LEFT)
    second = page.chosen
    qtbot.waitUntil(lambda: len(first.files) >= 2, timeout=120_000)
    press(page, qtbot, f"pause {first.id}")
    assert first.state == "paused"
    qtbot.waitUntil(lambda: page.queue_told.text() == "1 waiting, 1 paused")
    press(page, qtbot, f"resume {first.id}")
    press(page, qtbot, f"cancel {first.id}")
    qtbot.waitUntil(lambda: second.state == "done", timeout=60_000)
    whole = {path.name for path in (tmp_path / "out").glob("*.wav")}
    assert whole == {file.names[0] for entry in (first, second) for file in entry.files}
    assert 2 <= len(first.files) < 40
    assert not list((tmp_path / "out").glob(".*"))
    press(page, qtbot, f"retry {first.id}")
    assert first.state in ("waiting", "running")
    press(page, qtbot, f"cancel {first.id}")
    qtbot.waitUntil(lambda: first.batch is None, timeout=60_000)


def test_a_job_is_removed_once_however_often_it_is_asked_for(page: RenderPage, qtbot: QtBot) -> None:
    short(page, variations=1)
    qtbot.mouseClick(page.settings.add, LEFT)
    wait(page, qtbot)
    name = f"remove {page.chosen.id}"
    qtbot.waitUntil(lambda: any(b.isVisible() for b in page.jobs.findChildren(QPushButton, name)), timeout=5000)
    button = next(b for b in page.jobs.findChildren(QPushButton, name) if b.isVisible())
    QTest.mouseClick(button, LEFT)
    QTest.mouseClick(button, LEFT)  # hidden by then
    assert not page.queue.entries


def press(page: RenderPage, qtbot: QtBot, name: str) -> None:
    qtbot.waitUntil(lambda: any(b.isVisible() for b in page.jobs.findChildren(QPushButton, name)), timeout=5000)
    qtbot.mouseClick(next(b for b in page.jobs.findChildren(QPushButton, name) if b.isVisible()), LEFT)


def test_names_are_checked_while_they_are_typed_and_nothing_is_overwritten(
    page: RenderPage, qtbot: QtBot, tmp_path: Path
) -> None:
    short(page, variations=1)
    for wrong, told in (("{what}", "no token"), ("../a", "folder"), ("", "name")):
        field = control(page, QLineEdit, "name")
        field.setFocus()
        field.selectAll()
        qtbot.keyClick(field, Qt.Key.Key_Delete)
        qtbot.keyClicks(field, wrong)
        assert told in page.settings.told.lower(), (wrong, page.settings.told)
        assert not page.settings.add.isEnabled()
    qtbot.keyClicks(control(page, QLineEdit, "name"), "drop")
    (tmp_path / "out").mkdir()
    (tmp_path / "out" / "drop.wav").write_bytes(b"precious")
    page.settings.set(layout="mono")
    assert "are there" in page.settings.told
    assert not page.settings.add.isEnabled()
    qtbot.keyClick(page.window(), Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert not page.queue.entries
    page.settings.set(folder=str(tmp_path / "out"))  # what stands there is looked at again
    choice = control(page, QComboBox, "existing")
    choice.setFocus()
    qtbot.keyClick(choice, "N")
    choice.activated.emit(choice.currentIndex())
    assert page.settings.job.existing == "number"
    qtbot.keyClick(page.window(), Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    wait(page, qtbot)
    assert (tmp_path / "out" / "drop.wav").read_bytes() == b"precious"
    assert len(list((tmp_path / "out").glob("*.wav"))) == 2


def test_what_was_heard_is_rendered_with_what_was_done_by_hand(
    page: RenderPage, window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    set_param(window.session.document, "fog-air-output", "level_db", -30.0)
    qtbot.waitUntil(lambda: bool(window.session.engine.take.entries), timeout=5000)
    qtbot.waitUntil(lambda: window.session.seconds > 1.0, timeout=10_000)
    preset(page, qtbot, "Last minutes")
    page.settings.set(folder=str(tmp_path / "out"), seconds=0.5)
    qtbot.mouseClick(page.settings.add, LEFT)
    wait(page, qtbot)
    entry = page.chosen
    assert entry.source.take.entries
    assert entry.job.start_s > 0.3
    assert soundfile.info(tmp_path / "out" / entry.files[0].names[0]).frames == 24000
    preset(page, qtbot, "Take")
    page.settings.set(folder=str(tmp_path / "take"))
    qtbot.mouseClick(page.settings.add, LEFT)
    wait(page, qtbot)
    assert page.chosen.files[0].measures.seconds == pytest.approx(page.chosen.job.seconds, abs=0.01)
    assert page.chosen.job.seconds > 1.0


def test_a_preset_of_ones_own(page: RenderPage, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(page._context.talk, "ask_text", lambda *_: "Tiny drops")
    short(page, variations=7, depth="16")
    assert "settings changed" in page.back.text()
    qtbot.mouseClick(page.keep, LEFT)
    preset(page, qtbot, "Film bed")
    assert page.settings.job.variations == 1
    preset(page, qtbot, "Tiny drops")
    assert (page.settings.job.variations, page.settings.job.depth, page.settings.job.seconds) == (7, "16", 0.4)
    assert not page.back.isVisible()


def test_the_queue_of_before_is_taken_up(page: RenderPage, qtbot: QtBot, tmp_path: Path) -> None:
    short(page, variations=2)
    qtbot.mouseClick(page.settings.add, LEFT)
    wait(page, qtbot)
    again = RenderQueue(page.queue._folder, 1)
    again.load()
    assert not again.troubles
    assert [(e.state, [f.names for f in e.files]) for e in again.entries] == [
        ("done", [f.names for f in page.chosen.files])
    ]


def test_by_the_keyboard_alone(page: RenderPage, window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """Ctrl+Shift+R, a preset by arrows or Tab, a length typed, Ctrl+Enter, results by arrows: every control is reached
    by Tab."""
    short(page, variations=1)
    qtbot.keyClick(window, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    page.take_focus()
    reached = set()
    for _ in range(120):
        widget = QApplication.focusWidget()
        if widget in reached:
            break
        reached.add(widget)
        qtbot.keyClick(widget, Qt.Key.Key_Tab)
    names = {widget.accessibleName() or getattr(widget, "text", lambda: "")() for widget in reached}
    for wanted in ("Film bed", "Save as new", "File name", "Folder", "WAV", "Add to queue", "Results"):
        assert wanted in names, (wanted, names)
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    wait(page, qtbot)
    assert len(page.results.shown) == 1


def test_it_fits_a_small_window_and_both_themes(page: RenderPage, window: MainWindow, qtbot: QtBot) -> None:
    for theme in (DUSK, NOON):
        window.context.shell.set_theme(theme)
        for size in ((1100, 700), (1280, 800)):
            window.resize(*size)
            qtbot.wait(50)
            assert window.width() == size[0], "nothing in Render needs more room"
            assert page.detail.isVisible() == (size[0] > 1180)
            assert page.settings.add.isVisible()
            corner = page.settings.add.mapTo(window, QPoint(page.settings.add.width(), page.settings.add.height()))
            assert corner.x() < size[0]
            assert corner.y() < size[1]


def many(count: int) -> list[File]:
    measures = Measures(seconds=2.0, lufs=-23.0, momentary_lufs=-19.0, short_term_lufs=-20.0, range_lu=3.0,
                        true_peak_db=-3.0, dc_db=-90.0,
                        head_s=0.0, tail_s=0.0, mono_loss_lu=0.5)  # fmt: skip
    one = File(("a.wav",), 1, 417, ("",), measures, (), None, (), [[-0.5, 0.5]] * 100)
    bad = (Finding("A click at 0:00.30 in Fog air.", "Use another seed", {"seed": "next"}),)
    return [replace(one, number=k, names=(f"drop_{k:04}.wav",), findings=bad if k % 3 == 0 else ())
            for k in range(1, count + 1)]  # fmt: skip


def test_a_thousand_results_do_not_hold_the_window_up(qtbot: QtBot) -> None:
    """A file more, sorting and filtering cost less than 50 ms each (the bound for the window's thread), whatever the
    threads of earlier tests are still at."""
    table = ResultsTable(NOON)
    qtbot.addWidget(table)
    table.resize(800, 400)
    table.show()
    files = many(1000)
    acts = (
        lambda: table.show_files(files, False), lambda: table.filter(True), lambda: table._sort_by(7),
        lambda: table.selectRow(0), lambda: table.step_to(1),
    )  # fmt: skip

    def longest() -> float:
        table.filter(False)
        table.show_files(files[:-1], False)
        times = []
        for act in acts:
            begun = time.thread_time()
            act()
            table.viewport().repaint()
            times.append(time.thread_time() - begun)
        return max(times)

    most = 0.05 * slowness()
    assert least_of(longest, most) < most
    assert table.current is not None
    assert len(table.shown) == 333
    assert NOTE_X > 100


def test_a_file_is_read_piece_by_piece_and_round_its_seam(tmp_path: Path) -> None:
    sound = np.arange(96000 * 3, dtype=np.float32)[:, None].repeat(2, axis=1) / (96000 * 3)
    soundfile.write(tmp_path / "a.wav", sound, 48000, subtype="FLOAT")
    out, heard = np.zeros((1000, 2), np.float32), []
    reader = Reader(tmp_path / "a.wav", seam=False)
    while reader.read(out):
        heard.append(out.copy())
    assert reader.seconds == 6.0
    np.testing.assert_array_equal(np.concatenate(heard), sound)
    assert not out.any()
    reader.close()
    reader = Reader(tmp_path / "a.wav", seam=True)
    heard = []
    for _ in range(250):
        reader.read(out)
        heard.append(out.copy())
    reader.close()
    round_once = np.concatenate([sound[-48000:], sound[:48000]])
    np.testing.assert_array_equal(np.concatenate(heard)[:192000], np.concatenate([round_once, round_once]))


def test_a_file_that_is_gone_is_told(page: RenderPage, qtbot: QtBot, tmp_path: Path) -> None:
    short(page, variations=1)
    qtbot.mouseClick(page.settings.add, LEFT)
    wait(page, qtbot)
    (tmp_path / "out" / page.results.shown[0].names[0]).unlink()
    page.results.setFocus()
    qtbot.keyClick(page.results, Qt.Key.Key_Down)
    qtbot.keyClick(page.results, Qt.Key.Key_Space)
    assert "cannot be played" in page.window().notice.kept[-1].text


def test_the_folder_can_be_chosen(page: RenderPage, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: "/tmp")
    qtbot.mouseClick(control(page, QPushButton, "folder"), LEFT)
    assert page.settings.job.folder == "/tmp"


def test_files_go_beside_the_patch_once_it_has_a_file(window: MainWindow, page: RenderPage, tmp_path: Path) -> None:
    document = window.session.document
    page.settings.set(folder=page._usual_folder)
    document.mark_saved(tmp_path / "first" / "a.dunefall")
    assert page.settings.job.folder == str(tmp_path / "first" / "Renders")
    page.settings.set(folder=str(tmp_path / "mine"))
    document.mark_saved(tmp_path / "second" / "a.dunefall")
    assert page.settings.job.folder == str(tmp_path / "mine")
