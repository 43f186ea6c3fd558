"""The inspector's values as they are read, folded, found and typed, in the real window."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from dunefall.app.shell.window import MainWindow
from dunefall.catalogue.reach import range_of
from dunefall.session.edits.modules import set_param
from rig import add_module


@pytest.fixture
def window(demo_window: MainWindow, qtbot: QtBot) -> Iterator[MainWindow]:
    patch = demo_window.session.patch
    demo_window.show_workspace("build")
    demo_window.activateWindow()
    qtbot.waitUntil(demo_window.isActiveWindow)
    yield demo_window
    demo_window.session.document.edit("Back", patch)
    demo_window.selection.select("")


def test_what_is_set_first_is_shown_first_and_the_rest_folds(window: MainWindow, qtbot: QtBot) -> None:
    inspector = window.page("build").inspector
    tone = add_module(window.session.document, "fog-air", "oscillator").module
    window.selection.select(tone)
    assert inspector.rails["pitch_note"].isVisible()
    assert not inspector.rails["detune_ct"].isVisible()
    head = inspector._values.groups["Unison"]
    inspector.ensureWidgetVisible(head)
    qtbot.mouseClick(head, Qt.MouseButton.LeftButton)
    assert inspector.rails["detune_ct"].isVisible()
    window.selection.select("fog-air-band")
    window.selection.select(tone)
    assert inspector.rails["detune_ct"].isVisible(), "remembered"
    assert window.context.settings.values.unfolded == ("oscillator/Unison",)
    qtbot.mouseClick(inspector._values.groups["Unison"], Qt.MouseButton.LeftButton)
    assert not inspector.rails["detune_ct"].isVisible()
    set_param(window.session.document, tone, "detune_ct", 30.0)
    assert inspector._values.groups["Unison"].text().endswith("changed")


def test_a_value_is_found_by_typing(window: MainWindow, qtbot: QtBot) -> None:
    inspector = window.page("build").inspector
    tone = add_module(window.session.document, "fog-air", "oscillator").module
    window.selection.select(tone)
    window.actions_by_id["find_value"].trigger()
    assert inspector.search is not None
    qtbot.keyClicks(inspector.search, "detu")
    shown = [port for port, box in inspector._values.boxes.items() if box.isVisible()]
    assert shown == ["detune_ct"]
    qtbot.keyClick(inspector.search, Qt.Key.Key_Return)
    assert inspector.rails["detune_ct"].hasFocus()
    assert inspector.rails["pitch_note"].isVisible()


def test_several_values_are_typed_in_one_line(window: MainWindow, qtbot: QtBot) -> None:
    before = window.session.patch
    window.selection.select("fog-air-band")
    rail = window.page("build").inspector.rails["cutoff_hz"]
    rail.edit("700, resonance 35")
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    params = window.session.patch.module("fog-air-band").params
    assert (params["cutoff_hz"], params["resonance"]) == (700.0, 0.35)
    window.session.document.undo()
    assert window.session.patch == before, "one undo step"
    rail.edit("700, wobble 35")
    field = QApplication.focusWidget()
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert "wobble 35" in field.toolTip()
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    assert window.session.patch == before


def test_a_range_is_typed_into_a_link_s_row(window: MainWindow, qtbot: QtBot) -> None:
    window.selection.select("fog-air-band")
    link = next(x for x in window.session.patch.links_into("fog-air-band") if x.target.port == "cutoff_hz")
    row = window.page("build").inspector.rows[link.id]
    row.edit("200 Hz to 1.6k")
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert range_of(window.session.patch, window.session.patch.link(link.id)) == pytest.approx((200.0, 1600.0))
    assert "200 Hz to 1.60 kHz" in window.page("build").inspector.rows[link.id].accessibleDescription()
