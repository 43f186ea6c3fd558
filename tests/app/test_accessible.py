"""Painted parts told to screen readers, the chain walked by keys, the inspector as a drawer."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from dunefall.app.controls.drawer import NARROW
from dunefall.app.shell.window import MainWindow
from dunefall.session.edits.modules import set_param

NAME, VALUE = QAccessible.Text.Name, QAccessible.Text.Description


@pytest.fixture
def window(demo_window: MainWindow) -> MainWindow:
    return demo_window


def told(widget: QWidget) -> dict[str, str]:
    """What a screen reader is told of a widget's parts."""
    interface = QAccessible.queryAccessibleInterface(widget)
    children = [interface.child(k) for k in range(interface.childCount())]
    return {child.text(NAME): child.text(VALUE) for child in children}


def test_each_lane_head_and_card_is_told_with_its_value(window: MainWindow) -> None:
    parts = told(window.page("build").canvas)
    assert parts["Layer Drip line"] == "12 cards" or parts["Layer Drip line"].endswith("cards")
    assert parts["Layer Buoy bell"] == "folded"
    assert parts["Low-pass"] == "Filter, 950 Hz"
    shown = {m.name for m in window.selection.seen.modules() if window.page("build").canvas.card_rect(m.id).isValid()}
    assert shown <= set(parts)


def test_a_part_knows_its_place_and_whether_it_is_selected(window: MainWindow) -> None:
    window.selection.select("drip-line-low-pass")
    interface = QAccessible.queryAccessibleInterface(window.page("build").canvas)
    part = interface.focusChild()
    assert part.text(NAME) == "Low-pass"
    assert part.state().selected
    assert part.role() == QAccessible.Role.ListItem
    assert part.parent().object() is window.page("build").canvas
    box = window.page("build").canvas.card_rect("drip-line-low-pass")
    corner = window.page("build").canvas.viewport().mapToGlobal(box.topLeft())
    assert part.rect().topLeft() == corner
    assert interface.childAt(corner.x() + 5, corner.y() + 5).text(NAME) == "Low-pass"
    assert interface.indexOfChild(part) >= 0
    assert interface.child(10_000) is None
    window.selection.select("")
    assert interface.focusChild() is None


def test_rows_and_marks_of_the_mix_are_told(window: MainWindow) -> None:
    set_param(window.session.document, "fog-air-output", "mute", 1.0)
    assert told(window.page("mix").rows)["Fog air"] == "−4.5 dB, muted, sends muted too"
    window.session.document.undo()
    assert " m  " in told(window.page("mix").field)["Fog air"]


def test_the_chain_is_walked_by_keys(window: MainWindow, qtbot: QtBot) -> None:
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    window.selection.select("drip-line-slew")
    qtbot.keyClick(window, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert window.selection.module == "drip-line-droplet"
    window.selection.select("drip-line-low-pass")
    window.actions_by_id["up"].trigger()
    menu = next(m for m in window.findChildren(QMenu) if m.isVisible())
    names = [action.text() for action in menu.actions()]
    assert "Gusts (Low-pass cutoff)" in names
    menu.actions()[names.index("Gusts (Low-pass cutoff)")].trigger()
    menu.close()
    assert window.selection.module == "gusts-1"
    window.actions_by_id["up"].trigger()
    assert window.notice.text() == "Nothing moves Gusts."


def test_enter_goes_to_the_first_value(window: MainWindow, qtbot: QtBot) -> None:
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    window.selection.select("gusts-1")
    window.page("build").canvas.setFocus()
    qtbot.keyClick(window.page("build").canvas, Qt.Key.Key_Return)
    qtbot.waitUntil(window.page("build").inspector.rails["rate_hz"].hasFocus)


def test_what_a_module_moves_is_listed_and_can_be_changed(window: MainWindow) -> None:
    window.selection.select("gusts-1")
    rows = [row for row in window.page("build").inspector.rows.values() if row.accessibleName().startswith("Moves ")]
    assert {row.accessibleName() for row in rows} == {"Moves Band cutoff", "Moves Low-pass cutoff"}
    row = next(row for row in rows if row.accessibleName() == "Moves Low-pass cutoff")
    QTest.keyClick(row, Qt.Key.Key_Right)
    assert window.session.patch.link(row.link.id).amount == pytest.approx(1.6)
    assert window.page("build").inspector.rows[row.link.id].link.amount == pytest.approx(1.6)
    row.end_asked.emit()
    assert window.selection.module == "drip-line-low-pass"
    window.session.document.undo()


def test_the_inspector_is_a_drawer_where_the_window_is_narrow(window: MainWindow, qtbot: QtBot) -> None:
    window.resize(1280, 800)
    window.selection.select("")
    assert window.page("build").inspector.isVisible()
    width = window.page("build").canvas.width()
    window.resize(NARROW - 20, 720)
    qtbot.waitUntil(lambda: not window.page("build").inspector.isVisible())
    qtbot.waitUntil(lambda: window.page("build").canvas.width() > width)
    window.selection.select("drip-line-low-pass")
    qtbot.waitUntil(window.page("build").inspector.isVisible)
    assert (
        window.page("build").inspector.geometry().right()
        == window.page("build").inspector.parentWidget().rect().right()
    )
    qtbot.keyClick(window, Qt.Key.Key_I)
    assert not window.page("build").inspector.isVisible()
    qtbot.keyClick(window, Qt.Key.Key_I)
    window.resize(1280, 800)
    qtbot.waitUntil(lambda: window.page("build").canvas.width() == width)
    assert window.page("build").inspector.isVisible()
    window.selection.select("")


def test_the_lanes_are_zoomed_and_still_found_under_the_mouse(window: MainWindow, qtbot: QtBot) -> None:
    window.resize(1280, 800)
    canvas = window.page("build").canvas
    window.selection.select("")
    canvas.verticalScrollBar().setValue(0)
    size, shown = canvas.card_rect("drip-line-low-pass").width(), canvas.verticalScrollBar().maximum()
    qtbot.keyClick(window, Qt.Key.Key_Minus, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(window, Qt.Key.Key_Minus, Qt.KeyboardModifier.ControlModifier)
    assert canvas.card_rect("drip-line-low-pass").width() == round(0.65 * size)
    assert canvas.verticalScrollBar().maximum() < shown
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=canvas.card_rect("drip-line-hold").center())
    assert window.selection.module == "drip-line-hold"
    picture = canvas.viewport().grab().toImage()  # the card is drawn where it is said to be
    box = canvas.card_rect("drip-line-hold")
    edge = picture.pixelColor(box.center().x(), box.top())
    assert edge.lightness() < picture.pixelColor(box.center().x(), box.top() + 3).lightness()
    for step in (1, 1, 1, 1):
        canvas.zoom(step)
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=canvas.card_rect("drip-line-hold").center())
    assert window.selection.module == "drip-line-hold"
    qtbot.keyClick(window, Qt.Key.Key_0, Qt.KeyboardModifier.ControlModifier)
    assert canvas.card_rect("drip-line-low-pass").width() == size
    window.selection.select("")


def test_enter_presses_the_button_that_has_the_focus_and_space_plays(window: MainWindow, qtbot: QtBot) -> None:
    """By Tab alone a button could be reached, but not pressed: Space belongs to the transport."""
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    window.selection.select("drip-line-low-pass")
    inspector = window.page("build").inspector
    button = next(b for b in inspector.findChildren(QPushButton) if b.text() == "Bypass")
    button.setFocus()
    qtbot.keyClick(button, Qt.Key.Key_Return)
    assert window.session.patch.module("drip-line-low-pass").bypassed
    window.session.document.undo()
    window.show_workspace("mix")
    box = window.page("mix").layout_choice
    box.setFocus()
    qtbot.keyClick(box, Qt.Key.Key_Return)
    assert box.view().isVisible()
    box.hidePopup()
    window.show_workspace("build")


def test_where_the_module_with_the_keys_is_left_the_lanes_get_them(window: MainWindow, qtbot: QtBot) -> None:
    """Find while a rail has the keys: they went to the patch's title."""
    window.show_workspace("build")
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    window.selection.select("drip-line-low-pass")
    page = window.page("build")
    page.inspector.rails["cutoff_hz"].setFocus()
    window.selection.select("drip-line-droplet")
    assert window.focusWidget() is page.canvas
    qtbot.keyClick(page.canvas, Qt.Key.Key_Return)
    assert page.inspector.isAncestorOf(window.focusWidget())
