"""The Mix workspace in the real window: rows, sends, ducking, field, master, masking."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QRectF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QMenu
from pytestqt.qtbot import QtBot

from dunefall.analysis.masking import Covering
from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.editing.palette import Palette
from dunefall.app.shell.window import MainWindow
from dunefall.app.workspaces.mix.commands import add_lane, ask_group, show_place_menu
from dunefall.app.workspaces.mix.field import place_of, point_of
from dunefall.app.workspaces.mix.rowview import Spot
from dunefall.app.workspaces.mix.ruler import RAIL_X, SEND_X, db_at, send_db_at, send_x, x_of_db
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.mixing import Way, effect_lanes, key_of, master_of, mixed_layers, send_of
from dunefall.session import Session, open_patch
from dunefall.session.edits.layers import remove_layer
from dunefall.session.edits.mix import set_group
from dunefall.session.edits.modules import set_param


@pytest.fixture(scope="module")
def shared(qapp: object) -> Iterator[MainWindow]:
    window = MainWindow(Session(*open_patch("demo:"), EngineOptions(audio="simulated")), NOON)
    window.show()
    window.show_workspace("mix")
    begun = time.monotonic()
    while window.session.engine.status[Status.POSITION] < 4800 and time.monotonic() - begun < 300:
        QTest.qWait(50)
    yield window
    window.session.document.mark_saved(None)
    window.close()


@pytest.fixture
def window(shared: MainWindow) -> Iterator[MainWindow]:
    patch = shared.session.patch
    shared.show_workspace("mix")
    yield shared
    shared.session.document.edit("Back", patch)


def spot(window: MainWindow, layer: str, kind: str, lane: str = "") -> Spot:
    row = next(row for row in window.page("mix").rows.rows if row.layer.name == layer)
    return next(s for s in row.spots if s.kind == kind and s.lane == lane)


def click(qtbot: QtBot, window: MainWindow, at: Spot, modifier: Qt.KeyboardModifier | None = None) -> None:
    point = at.box.center().toPoint()
    plain = Qt.KeyboardModifier.NoModifier if modifier is None else modifier
    qtbot.mouseClick(window.page("mix").rows, Qt.MouseButton.LeftButton, plain, point)


def drag(qtbot: QtBot, widget: object, a: QPoint, b: QPoint) -> None:
    qtbot.mousePress(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, a)
    qtbot.mouseMove(widget, (a + b) / 2)
    qtbot.mouseMove(widget, b)
    qtbot.mouseRelease(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, b)


def test_levels_arrive_while_it_plays(window: MainWindow, qtbot: QtBot) -> None:
    window.session.play()
    qtbot.waitUntil(lambda: window.session.engine.status[Status.POSITION] > 48000, timeout=240_000)

    def loud() -> bool:
        bins = window.session.engine.trace("fog-air-output", "loudness")
        return bins is not None and 0 < float(bins[-1, 1]) < 1 and len(window.page("mix").masking._powers) == 7

    qtbot.waitUntil(loud, timeout=60_000)
    qtbot.waitUntil(lambda: window.session.engine.status[Status.INTEGRATED] > -60, timeout=60_000)
    assert -1 <= window.session.engine.status[Status.CORRELATION] <= 1
    engine, mono = window.session.engine, window.page("mix").folds["mono"]
    mono.click()
    assert engine.monitor.fold == "mono"
    mono.click()
    assert engine.monitor.fold == ""
    assert not mono.isChecked()


def test_rulers_go_both_ways() -> None:
    for db in (-59.0, -36.0, -12.0, 0.0, 6.0):
        assert db_at(x_of_db(db)) == pytest.approx(db, abs=1e-6)
    for db in (-30.0, -6.0, 0.0):
        assert send_db_at(send_x(db)) == pytest.approx(db, abs=0.06)
    for place in ((0.0, 5.0), (-120.0, 12.0), (90.0, 0.8)):
        assert place_of(point_of(*place, 250.0), 250.0) == pytest.approx(place, rel=1e-6, abs=1e-6)


def test_every_layer_and_lane_has_a_row(window: MainWindow) -> None:
    names = [row.layer.name for row in window.page("mix").rows.rows]
    patch = window.session.patch
    assert names == [layer.name for layer in (*mixed_layers(patch), *effect_lanes(patch))]
    assert window.header.workspaces["mix"].isChecked()


def test_dragging_a_level_is_one_undo_step(window: MainWindow, qtbot: QtBot) -> None:
    rows, at = window.page("mix").rows, spot(window, "Drip line", "level")
    before = window.session.patch.module("drip-line-output").params["level_db"]
    y = round(at.box.center().y())
    x = round(RAIL_X + x_of_db(before))
    drag(qtbot, rows, QPoint(x, y), QPoint(x - 60, y))
    now = window.session.patch.module("drip-line-output").params["level_db"]
    assert now == pytest.approx(db_at(x_of_db(before) - 60), abs=0.1)
    window.session.document.undo()
    assert window.session.patch.module("drip-line-output").params["level_db"] == before


def test_mute_solo_and_their_words(window: MainWindow, qtbot: QtBot) -> None:
    click(qtbot, window, spot(window, "Fog air", "mute"))
    assert window.session.patch.module("fog-air-output").params["mute"] == 1.0
    click(qtbot, window, spot(window, "Drip line", "solo"))
    click(qtbot, window, spot(window, "Beacon", "solo"), Qt.KeyboardModifier.ControlModifier)
    solos = [m.id for m in window.session.patch.modules() if m.params.get("solo")]
    assert solos == ["beacon-output"]
    click(qtbot, window, spot(window, "Beacon", "solo"))
    click(qtbot, window, spot(window, "Beacon", "solo"), Qt.KeyboardModifier.AltModifier)
    assert window.session.patch.module("beacon-output").params["solo"] == 2.0


def test_sends_are_dragged_and_go_off_at_the_lowest(window: MainWindow, qtbot: QtBot) -> None:
    patch = window.session.patch
    lane = effect_lanes(patch)[1]
    at = spot(window, "Beacon", "send", lane.id)
    y = round(at.box.center().y())
    drag(qtbot, window.page("mix").rows, QPoint(round(SEND_X[1]), y), QPoint(round(SEND_X[1]) + 20, y))
    link = send_of(window.session.patch, patch.layer("beacon"), lane)
    assert link is not None
    assert 20 * np.log10(link.amount) == pytest.approx(send_db_at(20), abs=1.0)
    x = round(SEND_X[1]) + 20
    drag(qtbot, window.page("mix").rows, QPoint(x, y), QPoint(x - 60, y))
    assert send_of(window.session.patch, patch.layer("beacon"), lane) is None


def test_ducking_is_chosen_from_the_layers(window: MainWindow, qtbot: QtBot) -> None:
    click(qtbot, window, spot(window, "Drip line", "key"))
    menu = next(
        m for m in window.findChildren(QMenu) if m.isVisible() and m.actions()[0].text().startswith("What Drip line")
    )
    next(action for action in menu.actions() if action.text() == "Beacon").trigger()
    menu.close()
    key = key_of(window.session.patch, window.session.patch.layer("drip-line"))
    assert key is not None
    assert key.module == "beacon-output"
    point = spot(window, "Drip line", "key").box.center().toPoint()
    qtbot.mouseClick(window.page("mix").rows, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier, point)
    assert key_of(window.session.patch, window.session.patch.layer("drip-line")) is None


def test_the_rows_go_by_keyboard_alone(window: MainWindow, qtbot: QtBot) -> None:
    rows = window.page("mix").rows
    window.selection.select("turbine-bed-output")
    rows.setFocus()
    qtbot.keyClick(rows, Qt.Key.Key_Down)
    assert window.selection.module == "fog-air-output"
    before = window.session.patch.module("fog-air-output").params["level_db"]
    qtbot.keyClick(rows, Qt.Key.Key_Right)
    assert window.session.patch.module("fog-air-output").params["level_db"] == before + 0.5
    qtbot.keyClick(rows, Qt.Key.Key_M)
    assert window.session.patch.module("fog-air-output").params["mute"] == 1.0
    qtbot.keyClick(rows, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert [x.id for x in mixed_layers(window.session.patch)][1:3] == ["drip-line", "fog-air"]
    assert "Fog air" in rows.accessibleDescription()


def test_keys_of_the_rows_are_not_taken_by_commands(window: MainWindow, qtbot: QtBot) -> None:
    """M is "Move this…" in Build: on a row it mutes, wherever the selection came from."""
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    window.selection.select("fog-air-band")
    window.actions_by_id["mix"].trigger()
    box = spot(window, "Drip line", "level").box
    qtbot.mouseClick(window.page("mix").rows, Qt.MouseButton.LeftButton, pos=QPoint(12, round(box.center().y())))
    assert window.selection.module == "drip-line-output"
    for key, param in ((Qt.Key.Key_M, "mute"), (Qt.Key.Key_S, "solo")):
        qtbot.keyClick(window.focusWidget(), key)
        assert window.session.patch.module("drip-line-output").params[param] == 1.0
    assert not [dialog for dialog in window.findChildren(QDialog) if dialog.isVisible()]


def test_a_mark_is_dragged_in_the_field_and_by_arrows(window: MainWindow, qtbot: QtBot) -> None:
    field = window.page("mix").field
    window.selection.select("drip-line-output")
    begin = field._point(field.place("drip-line-output")).toPoint()
    goal = (field._middle + point_of(-30, 8.0, field._radius)).toPoint()
    drag(qtbot, field, begin, goal)
    params = window.session.patch.module("drip-line-output").params
    assert params["angle_deg"] == pytest.approx(-30, abs=2)
    assert params["distance_m"] == pytest.approx(8.0, rel=0.1)
    field.setFocus()
    qtbot.keyClick(field, Qt.Key.Key_Right)
    assert window.session.patch.module("drip-line-output").params["angle_deg"] == pytest.approx(params["angle_deg"] + 1)


def draw_loop(window: MainWindow, qtbot: QtBot) -> None:
    """A loop of Relay ticks around the front."""
    field = window.page("mix").field
    window.selection.select("relay-ticks-output")
    qtbot.waitUntil(window.page("mix").loop.isEnabled)
    window.page("mix").loop.click()
    assert field.drawing
    middle = field._middle
    points = [(middle + point_of(angle, 5.0, field._radius)).toPoint() for angle in (-60, -20, 20, 60)]
    qtbot.mousePress(field, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, points[0])
    for point in points[1:]:
        qtbot.mouseMove(field, point)
    qtbot.mouseRelease(field, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, points[-1])


def test_a_loop_is_drawn_for_the_selected_layer(window: MainWindow, qtbot: QtBot) -> None:
    draw_loop(window, qtbot)
    assert window.page("mix").field.moved_by("relay-ticks-output") == "Way of Relay ticks"


def test_a_loop_is_drawn_by_keys(window: MainWindow, qtbot: QtBot) -> None:
    """Twelve arrows to the right and back to the left; Esc gives it up, Enter closes it."""
    field = window.page("mix").field
    window.selection.select("relay-ticks-output")
    qtbot.waitUntil(window.page("mix").loop.isEnabled)
    for end in (Qt.Key.Key_Escape, Qt.Key.Key_Return):
        window.page("mix").loop.click()
        for key in (*[Qt.Key.Key_Right] * 12, Qt.Key.Key_Up, *[Qt.Key.Key_Left] * 12):
            qtbot.keyClick(field, key)
        qtbot.keyClick(field, end)
        assert not field.drawing
        assert bool(field.moved_by("relay-ticks-output")) == (end == Qt.Key.Key_Return)
    way = Way.of(window.session.patch, window.session.patch.module("relay-ticks-output"))
    assert way is not None
    angles = [angle for angle, _ in way.places]
    assert max(angles) - min(angles) > 150


def test_handles_of_a_loop_are_moved_added_and_removed(window: MainWindow, qtbot: QtBot) -> None:
    draw_loop(window, qtbot)
    field, output = window.page("mix").field, "relay-ticks-output"
    way = field.handles.way
    assert way is not None
    count = len(way.places)
    at = field._point(way.places[1])
    to = field._middle + point_of(10.0, 12.0, field._radius)
    drag(qtbot, field, at.toPoint(), to.toPoint())
    moved = Way.of(window.session.patch, window.session.patch.module(output))
    assert moved is not None
    assert moved.places[1] == pytest.approx((10.0, 12.0), rel=0.1)
    assert moved.places[0] == pytest.approx(way.places[0])
    half = (field._point(moved.places[1]) + field._point(moved.places[2])) / 2
    qtbot.mouseDClick(field, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, half.toPoint())
    assert field.handles.way is not None
    assert len(field.handles.way.places) == count + 1
    field.setFocus()
    qtbot.keyClick(field, Qt.Key.Key_Delete)
    assert len(field.handles.way.places) == count
    window.session.document.undo()
    assert len(field.handles.way.places) == count + 1


def test_the_loudspeakers_are_chosen(window: MainWindow, qtbot: QtBot) -> None:
    choice = window.page("mix").layout_choice
    qtbot.keyClick(choice, Qt.Key.Key_Down)
    assert window.session.patch.layout == "quad"
    qtbot.keyClick(choice, Qt.Key.Key_Down)
    assert window.session.patch.layout == "5.1"
    show_place_menu(window.context, "fog-air-output")
    low = next(menu for menu in window.findChildren(QMenu) if menu.title() == "Low effects")
    next(action for action in low.actions() if action.text().startswith("−12")).trigger()
    low.parentWidget().close()
    assert window.session.patch.module("fog-air-output").params["low_effects_db"] == -12
    qtbot.waitUntil(lambda: window.session.engine.status[Status.CHANNELS] == 6, timeout=20_000)
    qtbot.waitUntil(lambda: len(window.header.meter.peaks_db) == 6, timeout=5_000)
    for _ in range(3):
        window.session.document.undo()
    assert window.session.patch.layout == "stereo"


def test_rows_of_a_group_move_together(window: MainWindow, qtbot: QtBot) -> None:
    rows, session = window.page("mix").rows, window.session
    for layer in ("fog-air", "drip-line"):
        set_group(session.document, layer, "Wet")
    before = [session.patch.module(f"{x}-output").params["level_db"] for x in ("fog-air", "drip-line", "beacon")]
    window.selection.select("fog-air-output")
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    rows.setFocus()
    qtbot.keyClick(rows, Qt.Key.Key_Right)
    now = [session.patch.module(f"{x}-output").params["level_db"] for x in ("fog-air", "drip-line", "beacon")]
    assert now == pytest.approx([before[0] + 0.5, before[1] + 0.5, before[2]])
    qtbot.keyClick(rows, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert session.patch.module("fog-air-output").params["level_db"] == pytest.approx(before[0])
    assert session.patch.module("drip-line-output").params["level_db"] == pytest.approx(before[1] + 0.5)
    click(qtbot, window, spot(window, "Drip line", "mute"))
    assert all(session.patch.module(f"{x}-output").params["mute"] == 1 for x in ("fog-air", "drip-line"))
    window.session.document.undo()
    assert not any(session.patch.module(f"{x}-output").params.get("mute") for x in ("fog-air", "drip-line"))
    ask_group(window.context, "fog-air")
    menu = next(m for m in window.findChildren(QMenu) if m.isVisible())
    next(action for action in menu.actions() if action.text() == "Nothing").trigger()
    menu.close()
    assert session.patch.layer("fog-air").group == ""
    assert parse_patch(dump_patch(session.patch).encode()).layer("drip-line").group == "Wet"


def test_the_master_s_bands_are_moved_on_their_curve(window: MainWindow, qtbot: QtBot) -> None:
    curve, session = window.page("mix").master.curve, window.session
    start, end = curve.point_of(350.0, 0.0), curve.point_of(500.0, 6.0)
    drag(qtbot, curve, start.toPoint(), end.toPoint())
    master = master_of(session.patch)
    assert master is not None
    assert (master.params["a_hz"], master.params["a_db"]) == (pytest.approx(500, rel=0.05), pytest.approx(6, abs=0.5))
    curve.setFocus()
    for _ in range(60):
        qtbot.keyClick(curve, Qt.Key.Key_Right)
    master = master_of(session.patch)
    assert master is not None
    assert master.params["a_hz"] == 2500.0, "a band never goes past its neighbour"
    qtbot.keyClick(curve, Qt.Key.Key_3)
    qtbot.keyClick(curve, Qt.Key.Key_Up)
    qtbot.keyClick(curve, Qt.Key.Key_Plus)
    master = master_of(session.patch)
    assert master is not None
    assert (master.params["b_db"], master.params["b_q"]) == (0.5, 1.1)
    assert "Q 1.1" in curve.told


def test_the_master_trims_to_the_target(window: MainWindow, qtbot: QtBot) -> None:
    master, status = window.page("mix").master, np.zeros(32)
    status[Status.INTEGRATED], status[Status.TRUE_PEAK], status[Status.REDUCTION] = -29.5, 0.5, 1.0
    master.animate(status)
    assert "6.5" in master.trim.text()
    before = master.value("level_db")
    window._frame_timer.stop()
    master.trim.click()
    window._frame_timer.start()
    found = master_of(window.session.patch)
    assert found is not None
    assert found.params["level_db"] == pytest.approx(before + 6.5)


def test_what_is_covered_is_told_with_a_cure(window: MainWindow, qtbot: QtBot) -> None:
    window._frame_timer.stop()
    window.page("mix").masking.worst = Covering("fog-air", "drip-line", 640.0, 1300.0, 0.38, 9.0)
    window.page("mix")._tell()
    assert (
        window.page("mix").told.text()
        == "Fog air covers Drip line at 640 Hz to 1.30 kHz, 38 % of the last 20 s, by 9 dB."
    )
    window.page("mix").cure.click()
    window._frame_timer.start()
    key = key_of(window.session.patch, window.session.patch.layer("fog-air"))
    assert key is not None
    keys = {link.source.module for link in window.session.patch.links_into("fog-air-output", "duck")}
    assert keys == {"buoy-bell-output", "drip-line-output"}, "it gives way to both: nothing is replaced"


def test_a_loop_that_does_not_die_away_is_warned_of(window: MainWindow) -> None:
    window.show_workspace("build")
    echo = next(module.id for module in window.session.patch.modules() if module.name == "Long pipe")
    window.selection.select(echo)
    assert not window.page("build").inspector._warning.isVisibleTo(window.page("build").inspector)
    set_param(window.session.document, echo, "feedback", 1.02)
    assert window.page("build").inspector._warning.isVisibleTo(window.page("build").inspector)
    assert "102 %" in window.page("build").inspector._warning.text()


def test_both_themes_and_a_small_window_are_drawn(window: MainWindow, qtbot: QtBot) -> None:
    for theme in (DUSK, NOON):
        window.set_theme(theme)
        window.resize(1100, 700)
        picture = window.page("mix").grab().toImage()
        assert picture.pixelColor(4, 300) == theme.colour("raised")
    window.resize(1280, 800)


def test_workspaces_by_their_keys(window: MainWindow) -> None:
    window.actions_by_id["build"].trigger()
    assert window.pages.currentIndex() == 0
    assert not window.page("mix").isVisible()
    window.actions_by_id["mix"].trigger()
    assert window.page("mix").isVisible()
    assert window.header.workspaces["mix"].isChecked()
    assert not window.header.workspaces["build"].isChecked()


def test_width_by_wheel_and_back_by_double_click(window: MainWindow, qtbot: QtBot) -> None:
    at = spot(window, "Drip line", "width").box.center().toPoint()
    drag(qtbot, window.page("mix").rows, at, at - QPoint(10, 0))
    assert window.session.patch.module("drip-line-output").params["width"] < 0.9
    qtbot.mouseDClick(window.page("mix").rows, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    assert window.session.patch.module("drip-line-output").params["width"] == 1.0


def test_an_effect_lane_is_added_from_the_menu_while_there_is_room(window: MainWindow, qtbot: QtBot) -> None:
    patch = window.session.patch
    remove_layer(window.session.document, effect_lanes(patch)[3].id)
    assert len(effect_lanes(window.session.patch)) == 3
    window.actions_by_id["effect_lane"].trigger()
    menu = next(
        m for m in window.findChildren(QMenu) if m.isVisible() and any(a.text() == "Plate" for a in m.actions())
    )
    next(action for action in menu.actions() if action.text() == "Plate").trigger()
    menu.close()
    lanes = effect_lanes(window.session.patch)
    assert [lane.name for lane in lanes][-1] == "Plate"
    assert any(module.type == "plate" for module in lanes[-1].modules)
    add_lane(window.context, "One more", ("chorus",))
    assert "effect lanes already" in window.notice.text()


def test_what_an_effect_lane_does_stands_in_its_row(window: MainWindow) -> None:
    lanes = {lane.name: lane for lane in effect_lanes(window.session.patch)}
    rows = window.page("mix").rows
    assert rows._does(lanes["Wide hall"], 400.0) == "Reverb 6.20 s · 6 layers"
    assert rows._does(lanes["Rust echo"], 400.0).startswith("Delay 660 ms + Drive 9.0 dB")
    assert rows._does(lanes["Rust echo"], 180.0) == "Delay 660 ms + … · 4 layers"


def test_why_a_row_is_silent(window: MainWindow) -> None:
    rows = window.page("mix").rows
    by_name = {row.layer.name: row for row in rows.rows}
    assert rows._silent(by_name["Beacon"]) == ""
    set_param(window.session.document, "drip-line-output", "solo", 1.0)
    by_name = {row.layer.name: row for row in rows.rows}
    assert rows._silent(by_name["Beacon"]) == "Drip line is soloed"
    assert rows._silent(by_name["Drip line"]) == ""
    assert rows._silent(by_name["Wide hall"]) == ""
    set_param(window.session.document, "beacon-output", "mute", 1.0)
    by_name = {row.layer.name: row for row in rows.rows}
    assert rows._silent(by_name["Beacon"]) == "muted, sends muted too"


def test_the_master_is_dragged_and_shown_in_the_inspector(window: MainWindow, qtbot: QtBot) -> None:
    master = window.page("mix").master
    y, x = 20, round(RAIL_X + x_of_db(master.value("level_db")))
    drag(qtbot, master, QPoint(x, y), QPoint(x - 40, y))
    assert master.value("level_db") == pytest.approx(db_at(x_of_db(0.0) - 40), abs=0.2)
    target = round(RAIL_X + x_of_db(master.value("target_lufs")))
    drag(qtbot, master, QPoint(target, 29), QPoint(target + 20, 29))
    assert master.value("target_lufs") > -23.0
    window.actions_by_id["master"].trigger()
    assert window.selection.module == "master-strip"


def test_every_part_has_a_name_for_those_who_do_not_see_it(window: MainWindow) -> None:
    mix = window.page("mix")
    for part in (mix.rows, mix.field, mix.masking, mix.master):
        assert part.accessibleName()
    window.selection.select("beacon-output")
    assert "Beacon" in mix.rows.accessibleDescription()
    assert "m" in mix.field.accessibleDescription()


def test_levels_and_sends_are_typed(window: MainWindow, qtbot: QtBot) -> None:
    window.show_workspace("mix")
    rows = window.page("mix").rows
    qtbot.waitUntil(rows.hasFocus)
    window.selection.select("drip-line-output")
    for digit in "-7.5":
        qtbot.keyClick(QApplication.focusWidget(), digit)
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert window.session.patch.module("drip-line-output").params["level_db"] == -7.5
    assert rows.hasFocus(), "the next letter is a key of the row"
    row = next(row for row in rows.rows if row.module.id == "drip-line-output")
    send = next(spot for spot in row.spots if spot.kind == "send")
    qtbot.mouseClick(rows, Qt.MouseButton.LeftButton, pos=send.box.center().toPoint())
    row = next(row for row in rows.rows if row.module.id == "drip-line-output")
    rows.edit(row)
    field = QApplication.focusWidget()
    qtbot.keyClicks(field, "-9")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    link = send_of(window.session.patch, row.layer, window.session.patch.layer(send.lane))
    assert link is not None
    assert link.amount == pytest.approx(10 ** (-9 / 20))
    rows.edit(row, "7")
    field = QApplication.focusWidget()
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert "0 dB, or off" in field.toolTip()
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    qtbot.mouseDClick(rows, Qt.MouseButton.LeftButton, pos=send.box.center().toPoint())
    assert send_of(window.session.patch, row.layer, window.session.patch.layer(send.lane)) is None, "the default: off"


def test_the_rings_are_written_where_they_can_be_read(window: MainWindow) -> None:
    field = window.page("mix").field
    boxes = field.ring_boxes()
    assert len(boxes) == 4
    marks = [field._mark_box(layer) for layer in mixed_layers(window.session.patch)]
    listed = list(boxes.values())
    for k, box in enumerate(listed):
        assert QRectF(field.rect()).contains(box)
        assert not any(box.intersects(other) for other in (*marks, *listed[k + 1 :]))


def test_there_are_no_more_effect_lanes_than_columns(window: MainWindow, qtbot: QtBot) -> None:
    lanes = effect_lanes(window.session.patch)
    before = window.session.patch
    window.selection.select(lanes[0].output_id)
    window.actions_by_id["duplicate"].trigger()
    assert window.session.patch == before
    assert "there can be 4" in window.notice.text()
    fifth = replace(lanes[0], id="fifth", modules=())
    window.session.document.edit("As from a file", before.with_layer(fifth))
    window.page("mix").rows.grab()
    window.session.document.undo()


def test_effects_are_inserted_on_the_whole_mix(window: MainWindow, qtbot: QtBot) -> None:
    master = window.page("mix").master
    assert master.inserts.text() == "+ Insert…"
    for words, name in (("compressor", "1 insert"), ("drive", "2 inserts")):
        if words == "drive":
            window.actions_by_id["insert"].trigger()
        else:
            qtbot.mouseClick(master.inserts, Qt.MouseButton.LeftButton)
        palette = window.findChildren(Palette)[-1]
        qtbot.keyClicks(palette.search, words)
        qtbot.keyClick(palette.search, Qt.Key.Key_Return)
        qtbot.waitUntil(lambda name=name: master.inserts.text() == name)
    assert "goes through Compressor and Drive" in master.inserts.toolTip()
    qtbot.mouseClick(master.inserts, Qt.MouseButton.LeftButton)
    menu = next(menu for menu in window.findChildren(QMenu) if menu.isVisible())
    assert [action.text() for action in menu.actions() if action.text()] == ["Compressor", "Drive", "Add an insert…"]
    menu.actions()[0].trigger()
    menu.close()
    assert window.selection.module == "compressor-1"
