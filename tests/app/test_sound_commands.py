"""The window's commands for takes, voices, devices and memories, as a user does them."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QFileDialog, QInputDialog
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import NOON
from dunefall.app.editing.voicesdialog import VoicesDialog
from dunefall.app.listening.devicedialog import DeviceDialog
from dunefall.app.shell.window import MainWindow
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.takefiles import load_take
from dunefall.session import Session
from dunefall.session.edits.modules import set_param
from rig import add_module, demo


@pytest.fixture
def window(qapp: QApplication, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> Iterator[MainWindow]:
    monkeypatch.setattr("dunefall.app.shell.files.may_leave", lambda _self: True)
    made = MainWindow(Session(demo(), None, EngineOptions(audio="simulated")), NOON)
    made.show()
    made.activateWindow()
    qtbot.waitUntil(made.isActiveWindow)
    qtbot.waitUntil(lambda: made.session.engine.status[Status.PEAKS] > 0.01, timeout=30_000)
    yield made
    made.close()
    made.deleteLater()


def dialog(window: MainWindow, kind: type) -> QDialog:
    return next(child for child in window.findChildren(kind) if child.isVisible())


def press(window: MainWindow, qtbot: QtBot, command: str) -> None:
    keys = window.actions_by_id[command].shortcut()
    assert not keys.isEmpty()
    window.page("build").canvas.setFocus()
    qtbot.keySequence(window, keys)


def test_a_take_is_saved_and_offered_for_rendering(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    set_param(window.session.document, "fog-air-output", "level_db", -30.0)
    qtbot.waitUntil(lambda: len(window.session.engine.take.entries) == 1, timeout=5000)
    path = tmp_path / "evening"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    press(window, qtbot, "save_take")
    take = load_take(path.with_suffix(".dunetake"))
    assert take.patch_at(1 << 60).module("fog-air-output").params["level_db"] == -30.0
    press(window, qtbot, "render_take")
    page = window.page("render")
    assert page.isVisible()
    assert page.settings.job.of == "take"


def test_going_back_to_a_time_takes_the_patch_along_and_undo_brings_it_back(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    qtbot.waitUntil(lambda: window.session.seconds > 1.2, timeout=10_000)
    set_param(window.session.document, "fog-air-output", "level_db", -30.0)
    qtbot.waitUntil(lambda: window.session.seconds > 1.8, timeout=10_000)
    asked = iter([("99:00", True), ("soon", True), ("0:01", True)])
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: next(asked))
    press(window, qtbot, "go_to")
    assert "is not there yet" in window.notice.text()
    press(window, qtbot, "go_to")
    assert "soon" in window.notice.text()
    assert window.session.patch.module("fog-air-output").params["level_db"] == -30.0
    press(window, qtbot, "go_to")
    assert window.session.patch.module("fog-air-output").params["level_db"] == -7
    qtbot.waitUntil(lambda: window.session.seconds < 1.6, timeout=5000)
    window.session.document.undo()
    assert window.session.patch.module("fog-air-output").params["level_db"] == -30.0


def test_shared_and_the_master_have_no_voices(window: MainWindow, qtbot: QtBot) -> None:
    window.selection.select("tide-1")
    press(window, qtbot, "voices")
    assert "no voices" in window.notice.kept[-1].text
    assert window.session.patch.layer("shared").voices == 1


def test_voices_of_a_layer(window: MainWindow, qtbot: QtBot) -> None:
    window.selection.select("drip-line-droplet")
    press(window, qtbot, "voices")
    voices = dialog(window, VoicesDialog)
    assert isinstance(voices, VoicesDialog)
    voices.voices.setValue(4)
    voices.spread.setValue(20)
    voices.meet.setCurrentIndex(voices.meet.findData("drip-line-echo"))
    voices.accept()
    layer = window.session.patch.layer("drip-line")
    assert (layer.voices, layer.spread, layer.meet) == (4, 0.2, "drip-line-echo")
    qtbot.waitUntil(lambda: window.session.engine.trace("drip-line-echo") is not None)
    window.session.document.undo()
    assert window.session.patch.layer("drip-line").voices == 1


def test_the_device_changes_while_it_plays(window: MainWindow, qtbot: QtBot) -> None:
    press(window, qtbot, "device")
    device = dialog(window, DeviceDialog)
    assert isinstance(device, DeviceDialog)
    assert [device.frames.itemData(k) for k in range(device.frames.count())] == [64, 128, 256, 512, 1024, 2048]
    assert [device.rate.itemData(k) for k in range(device.rate.count())] == [44100.0, 48000.0, 88200.0, 96000.0]
    device.rate.setCurrentIndex(device.rate.findData(44100.0))
    device.frames.setCurrentIndex(device.frames.findData(1024))
    device.accept()
    qtbot.waitUntil(lambda: "44.1 kHz, 1024 frames" in window.header.meter.toolTip(), timeout=5000)
    qtbot.waitUntil(lambda: window.session.engine.status[Status.RATE] == 44100.0, timeout=5000)
    assert window.page("build").watch.rate == 44100.0


def test_where_open_sound_control_goes_is_checked_before_the_dialog_closes(window: MainWindow, qtbot: QtBot) -> None:
    device = DeviceDialog(window.session.options, window)
    qtbot.addWidget(device)
    device.show()
    QTest.keyClicks(device.osc_out, "lights, please")
    QTest.keyClick(device.osc_out, Qt.Key.Key_Return)
    assert device.isVisible()
    assert "goes to a host and a port" in device.note.text()
    device.osc_out.clear()
    QTest.keyClicks(device.osc_out, "10.0.0.7:9000")
    device.midi_out.setCurrentIndex(device.midi_out.findData("simulated"))
    QTest.keyClick(device.osc_out, Qt.Key.Key_Return)
    assert not device.isVisible()
    assert (device.values.osc_out, device.values.midi_out) == ("10.0.0.7:9000", "simulated")


def test_the_header_says_whom_the_sound_goes_with(window: MainWindow, qtbot: QtBot) -> None:
    """Beside the simulated output there is a simulated transport, which tells a tempo of 90."""
    label = window.header._labels[window.header.tempo]
    window.actions_by_id["transport"].trigger()
    qtbot.waitUntil(lambda: label.text() == "JACK", timeout=20000)
    qtbot.waitUntil(lambda: window.session.patch.tempo_bpm == 90.0, timeout=20000)
    QTest.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: window.session.playing, timeout=20000)
    QTest.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: not window.session.playing, timeout=20000)
    window.actions_by_id["transport"].trigger()
    qtbot.waitUntil(lambda: label.text() == "Tempo", timeout=20000)


def test_a_module_that_leads_nowhere_is_marked_and_runs_while_it_is_looked_at(window: MainWindow, qtbot: QtBot) -> None:
    added = add_module(window.session.document, "shared", "lfo").module
    window.selection.select(added)
    qtbot.waitUntil(lambda: added in window.session.engine.asleep, timeout=5000)
    qtbot.waitUntil(
        lambda: "Nothing uses its output yet" in window.page("build").inspector.story.text.text(), timeout=5000
    )

    def moves() -> bool:
        trace = window.session.engine.trace(added)
        return trace is not None and float(np.ptp(trace[-40:])) > 0

    qtbot.waitUntil(moves, timeout=5000)
    window.selection.select("")
    qtbot.waitUntil(lambda: window.session.engine.trace(added) is None, timeout=5000)


def test_limiter_reset_and_silence_by_keys(window: MainWindow, qtbot: QtBot) -> None:
    press(window, qtbot, "limiter")
    assert "off" in window.notice.text()
    assert not window.session.engine.monitor.limited
    press(window, qtbot, "limiter")
    assert window.session.engine.monitor.limited
    window.selection.select("drip-line-echo")
    press(window, qtbot, "reset")
    press(window, qtbot, "silence")
    qtbot.waitUntil(lambda: len(window.session.engine.take.entries) == 2, timeout=5000)
