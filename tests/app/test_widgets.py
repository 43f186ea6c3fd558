"""Link rows, Watch's sums, the header's fields and the lanes' mouse, each by itself."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtGui import QContextMenuEvent, QKeyEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QLineEdit, QMenu
from pytestqt.qtbot import QtBot

from dunefall.app.controls.linkrow import LinkRow
from dunefall.app.controls.rail import Rail
from dunefall.app.controls.rowlist import RowList
from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.inspector.screenkeys import ScreenKeys
from dunefall.app.inspector.values import reach_of
from dunefall.app.model.selection import Selection
from dunefall.app.shell.header import Header, position_text
from dunefall.app.watch.scope import Scope, Trigger, columns_of
from dunefall.app.workspaces import WORKSPACES
from dunefall.app.workspaces.build.canvas import BuildCanvas
from dunefall.app.workspaces.build.stillpicture import card_value
from dunefall.base.amounts import parse_amount
from dunefall.base.errors import ParameterError
from dunefall.catalogue import catalogue
from dunefall.patch.document import Document
from dunefall.patch.model import Link, Module, Place
from rig import demo

LEFT = Qt.MouseButton.LeftButton
LINK = Link("x", Place("gusts-1", "out"), Place("fog-air-band", "cutoff_hz"), 1.0)


class StillTraces:
    """Traces that do not move."""

    def trace(self, module: str, port: str = "") -> np.ndarray:
        return np.tile(np.float32([[-0.5, 0.5]]), (1024, 1))


@pytest.fixture
def row(qapp: QApplication, qtbot: QtBot) -> LinkRow:
    made = LinkRow(LINK, "Gusts", "control", "hz", NOON)
    made.resize(280, 26)
    qtbot.addWidget(made)
    made.show()
    return made


def test_link_row_by_drag_and_name(row: LinkRow, qtbot: QtBot) -> None:
    changes: list[Link] = []
    row.changed.connect(changes.append)
    left, right = row._rail()
    start = QPoint((left + right) // 2, 13)
    qtbot.mousePress(row, LEFT, pos=start)
    qtbot.mouseMove(row, start + QPoint(6, 0))
    qtbot.mouseMove(row, start + QPoint(12, 0))
    with qtbot.waitSignal(row.settled):
        qtbot.mouseRelease(row, LEFT, pos=start + QPoint(12, 0))
    assert changes[-1].amount == pytest.approx(1.0 + 12 / (right - left) * 10.0, abs=0.01)
    with qtbot.waitSignal(row.end_asked):
        qtbot.mouseClick(row, LEFT, pos=QPoint(20, 13))


def typed(row: LinkRow, qtbot: QtBot, text: str) -> QLineEdit | None:
    """Type into the row; the field, if it is still open."""
    qtbot.keyClick(row, Qt.Key.Key_Return)
    field = row.findChildren(QLineEdit)[-1]
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)
    return None if field.isHidden() else field


def test_link_row_by_typing(row: LinkRow, qtbot: QtBot) -> None:
    assert typed(row, qtbot, "-2.5 oct") is None
    assert row.link.amount == -2.5
    field = typed(row, qtbot, "a lot")
    assert field is not None
    assert "not an amount" in field.toolTip()
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    assert (row.link.amount, row.link.offset) == (-2.5, 0.0)
    assert typed(row, qtbot, "1 oct, offset 0.5 oct") is None
    assert (row.link.amount, row.link.offset) == (1.0, 0.5)
    assert "offset +0.50 oct" in row.accessibleDescription()
    with qtbot.waitSignal(row.range_typed) as told:
        typed(row, qtbot, "100 Hz to 2 kHz")
    assert told.args == ["100 Hz to 2 kHz"]


def pick(menu: QMenu, text: str) -> None:
    """Choose an entry of a menu or of its parts."""
    parts = [action for entry in menu.actions() for action in (entry.menu().actions() if entry.menu() else [entry])]
    next(action for action in parts if action.text().startswith(text)).trigger()
    menu.deleteLater()


def test_link_row_menu(row: LinkRow) -> None:
    removed: list[bool] = []
    row.removed.connect(lambda: removed.append(True))
    for text in ("Invert", "Switch off", "late", "Remove"):
        pick(row.menu(), text)
    assert (row.link.amount, row.link.on, row.link.curve) == (-1.0, False, "late")
    assert removed == [True]


@pytest.mark.parametrize(
    ("text", "unit", "value"), [("+1.5 oct", "hz", 1.5), ("-30 %", "ratio", -0.3), ("7", "note", 7.0)]
)
def test_amounts_are_typed_in_the_target_s_unit(text: str, unit: str, value: float) -> None:
    assert parse_amount(text, unit) == pytest.approx(value)


@pytest.mark.parametrize("text", ["", "oct", "1e9", "nan"])
def test_amounts_that_are_none(text: str) -> None:
    with pytest.raises(ParameterError):
        parse_amount(text, "hz")


def test_rail_menu_and_ends(qapp: QApplication, qtbot: QtBot) -> None:
    rail = Rail(catalogue()["filter"].param("cutoff_hz"), 500.0, NOON, 92.0)
    qtbot.addWidget(rail)
    rail.resize(308, 40)
    rail.show()
    moved: list[float] = []
    rail.moved.connect(moved.append)
    qtbot.keyClick(rail, Qt.Key.Key_Home)
    qtbot.keyClick(rail, Qt.Key.Key_End)
    qtbot.keyClick(rail, Qt.Key.Key_Backspace)
    assert moved == [10.0, 20000.0, 950.0]
    pick(rail.menu(), "Reset to 950 Hz")
    pick(rail.menu(), "Randomise")
    assert 10 <= moved[-1] <= 20000
    qtbot.mouseDClick(rail, LEFT, pos=QPoint(60, 28))
    assert rail.value == 950.0
    assert rail.accessibleDescription() == "950 Hz; 10.0 Hz to 20.0 kHz"
    qtbot.keyClicks(rail, "3")
    assert rail._field is not None
    assert rail._field.text() == "3"


def test_choices_step_by_one(qapp: QApplication, qtbot: QtBot) -> None:
    rail = Rail(catalogue()["noise"].param("colour"), 4.0, DUSK, 92.0)
    qtbot.addWidget(rail)
    for expected in (5.0, 6.0, 6.0):
        qtbot.keyClick(rail, Qt.Key.Key_Right)
        assert rail.value == expected


def test_reach_adds_up_all_links() -> None:
    patch = demo()
    module = patch.module("drip-line-low-pass")
    low, high = reach_of(patch, module, catalogue()["filter"].param("cutoff_hz"))
    assert low == pytest.approx(950 * 2**-1.5)  # Gusts either way; Strike only upwards
    assert high == pytest.approx(950 * 2 ** (1.5 + 2.0))
    assert reach_of(patch, patch.module("gusts-1"), catalogue()["smooth-random"].param("rate_hz")) is None


def test_columns_and_trigger() -> None:
    wave = np.sin(np.arange(4800) * 2 * np.pi / 480).astype(np.float32)
    columns = columns_of(wave, 100)
    assert columns.shape == (100, 2)
    assert columns.min() == wave.min()
    assert columns.max() == wave.max()
    short = columns_of(np.float32([0, 1]), 5)
    np.testing.assert_allclose(short[:, 0], [0, 0.25, 0.5, 0.75, 1])
    piece = Trigger().piece(wave, 480)
    assert abs(piece[0]) < 0.02
    assert piece[120] > 0.99
    assert len(Trigger().piece(np.zeros(100, np.float32), 10)) == 10


WAVES = {
    "sine": lambda t: np.sin(t),
    "octaves, three rises a period": lambda t: np.sin(t) + 0.9 * np.sin(2 * t + 1) + 0.8 * np.sin(3 * t),
    "FM": lambda t: np.sin(t + 3 * np.sin(2 * t)),
    "narrow pulse": lambda t: (np.mod(t, 2 * np.pi) < 0.2).astype(float),
    "saw": lambda t: np.mod(t, 2 * np.pi) / np.pi - 1,
}


@pytest.mark.parametrize("name", WAVES)
@pytest.mark.parametrize("hz", [61.0, 220.3, 1011.0])
def test_the_scope_stands_still_on_any_periodic_wave(name: str, hz: float) -> None:
    """Sixty frames of 20 ms: each shows the wave where it stood before, within the step of a sample."""
    wave = WAVES[name](2 * np.pi * hz * np.arange(200_000) / 48000).astype(np.float32)
    length = 960
    trigger, pieces = Trigger(), []
    for frame in range(60):
        end = 6000 + 803 * frame
        pieces.append(trigger.piece(wave[end - 3 * length - 2000 : end], length))
    alike = [np.corrcoef(piece, pieces[0])[0, 1] for piece in pieces]
    assert min(alike) > (0.9 if name in ("saw", "narrow pulse") else 0.98)


def test_the_scope_follows_a_wave_that_changes() -> None:
    trigger, at = Trigger(), np.arange(480 * 3 + 2000)
    slow, quick = (np.sin(2 * np.pi * hz * at / 48000).astype(np.float32) for hz in (300.0, 450.0))
    trigger.piece(slow, 480)
    piece = trigger.piece(quick, 480)
    assert np.corrcoef(trigger.piece(quick[100:], 480), piece)[0, 1] > 0.98


def test_a_regular_clock_is_drawn_regularly() -> None:
    gate = (np.arange(600_000) % 12_000 < 96).astype(np.float32)
    count, step = 403, 596
    widths = set()
    for end in range(400_000, 401_000, 37):
        late = end % step
        columns = columns_of(gate[end - late - count * step : end - late], count)[:, 1]
        high = np.r_[0, columns] > 0.5
        widths |= set(np.diff(np.flatnonzero(high[1:] & ~high[:-1])))
    assert widths <= {20, 21}, "12,000 samples are 20.1 columns"


def test_scope_scales_itself(qapp: QApplication, qtbot: QtBot) -> None:
    scope = Scope("Noise", "Fog air", "audio", NOON)
    qtbot.addWidget(scope)
    scope.show_course(np.float32([-0.03, 0.04]), 1.0)
    assert scope.span == (-0.05, 0.05)
    gate = Scope("Clock", "Shared", "gate", NOON)
    qtbot.addWidget(gate)
    assert gate.span == (0.0, 1.0)


def test_header_texts(qapp: QApplication, qtbot: QtBot) -> None:
    header = Header(NOON, WORKSPACES)
    qtbot.addWidget(header)
    header.show_title("A very long title that would push everything else away", True)
    assert header.title.text().strip().endswith("… •")
    header.show_load(0.234, 3)
    assert header.load.text() == "23 % · 3 late"
    header.meter.show_levels([1.0, 0.5], 1.2, -14.23, 0.5)
    assert header.meter.reduction_db == pytest.approx(-6.02, abs=0.01)
    assert header.meter.peaks_db == pytest.approx((0.0, -6.02), abs=0.01)
    assert header.meter.accessibleDescription() == "−14.2 LUFS"
    assert position_text(3725.96) == "01:02:05.9"


def test_a_list_asks_for_what_is_offered_of_a_row_and_nothing_else(qapp: QApplication, qtbot: QtBot) -> None:
    offered = {"wind": [("hear", "Hear it"), ("rename", "Rename…")], "rain": [("hear", "Hear it"), ("up", "Move up")]}
    rows, asked = RowList("Sounds", offered.__getitem__), list[tuple[str, object]]()
    qtbot.addWidget(rows)
    rows.action_asked.connect(lambda action, row: asked.append((action, row)))
    for row in offered:
        rows.add_row(row, row.capitalize())
    rows.show()
    for key in (Qt.Key.Key_Return, Qt.Key.Key_F2, Qt.Key.Key_Delete):
        QTest.keyClick(rows, key)
    assert asked == [], "no row has the focus"
    for place in range(2):
        rows.setCurrentRow(place)
        for key in (Qt.Key.Key_Return, Qt.Key.Key_F2, Qt.Key.Key_Delete):
            QTest.keyClick(rows, key)
        QTest.keyClick(rows, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert asked == [("hear", "wind"), ("rename", "wind"), ("hear", "rain"), ("up", "rain")]
    at = rows.visualItemRect(rows.item(0)).center()
    QApplication.sendEvent(
        rows.viewport(), QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, rows.viewport().mapToGlobal(at))
    )
    (menu,) = rows.findChildren(QMenu)
    assert [action.text() for action in menu.actions()] == ["Hear it", "Rename…"], "of the row under the pointer"
    menu.actions()[1].trigger()
    assert asked[-1] == ("rename", "wind")
    menu.close()


def test_card_values() -> None:
    patch = demo()
    shown = {name: card_value(patch, patch.module(name)) for name in ("clock-1", "drip-line-hold", "fog-air-noise")}
    assert shown == {"clock-1": "92 · 1/8", "drip-line-hold": "", "fog-air-noise": "pink"}
    free = Module("c", "clock", "C", {"sync": 1, "period_s": 0.3})
    assert card_value(patch, Module("f", "filter", "F", bypassed=True)) == "off"
    assert card_value(patch, Module("u", "unheard-of", "U")) == "unheard-of"
    assert card_value(patch, free)


def test_lanes_fold_and_ask_for_modules(qapp: QApplication, qtbot: QtBot) -> None:
    selection = Selection(Document(demo()))
    canvas = BuildCanvas(selection, StillTraces(), NOON)
    selection.changed.connect(canvas.show_selection)
    qtbot.addWidget(canvas)
    canvas.resize(940, 578)
    canvas.show()
    with qtbot.waitSignal(canvas.fold_asked) as folded:
        qtbot.mouseClick(canvas.viewport(), LEFT, pos=canvas.head_rect("fog-air").topLeft() + QPoint(10, 14))
    assert folded.args == ["fog-air"]
    qtbot.mouseClick(canvas.viewport(), LEFT, pos=canvas.head_rect("fog-air").topLeft() + QPoint(80, 14))
    assert selection.module == "fog-air-output"
    with qtbot.waitSignal(canvas.add_asked) as asked:
        qtbot.mouseClick(canvas.viewport(), LEFT, pos=QPoint(168 + 3 * 128 + 50, 40))
    assert asked.args[0] == "shared"
    with qtbot.waitSignal(canvas.add_asked) as asked:
        qtbot.mouseClick(
            canvas.viewport(), Qt.MouseButton.RightButton, pos=canvas.head_rect("fog-air").topLeft() + QPoint(450, 30)
        )
    assert asked.args[0] == "fog-air"
    canvas.verticalScrollBar().setValue(10_000)
    with qtbot.waitSignal(canvas.layer_asked):
        qtbot.mouseClick(canvas.viewport(), LEFT, pos=canvas.still.foot_rect().center().toPoint())
    qtbot.keyPress(canvas, Qt.Key.Key_L)
    assert canvas.still.all_links
    qtbot.keyRelease(canvas, Qt.Key.Key_L)
    assert not canvas.still.all_links
    canvas.set_faults(("fog-air-band",))
    assert canvas.grab().toImage().pixelColor(0, 0) == NOON.colour("ground")


def reach_rail(qtbot: QtBot, low: float, high: float) -> tuple[Rail, list[float]]:
    """A rail of 300 px with a value of 400 Hz and a reach, and what its reach was asked to be."""
    rail = Rail(catalogue()["filter"].param("cutoff_hz"), 400.0, NOON, 92.0)
    rail.resize(300, 40)
    rail.set_reach((low, high))
    qtbot.addWidget(rail)
    rail.show()
    asked: list[float] = []
    rail.reach_scaled.connect(asked.append)
    return rail, asked


def test_the_reach_is_set_by_dragging_its_ends(qapp: QApplication, qtbot: QtBot) -> None:
    rail, asked = reach_rail(qtbot, 200.0, 800.0)  # an octave either way
    end, to = QPoint(round(rail._x(800.0)), 29), QPoint(round(rail._x(1600.0)), 29)
    qtbot.mousePress(rail, LEFT, pos=end)
    qtbot.mouseMove(rail, to)
    assert asked[-1] == pytest.approx(2.0, abs=0.05)
    qtbot.mouseMove(rail, QPoint(round(rail._x(100.0)), 29))  # not over the value to its other side
    assert 0.0 < asked[-1] < 0.1
    qtbot.mouseRelease(rail, LEFT)
    start = QPoint(round(rail._x(200.0)), 29)
    qtbot.mousePress(rail, LEFT, pos=start)
    qtbot.mouseMove(rail, QPoint(round(rail._x(400.0 / 2**0.5)), 29))
    assert asked[-1] == pytest.approx(0.5, abs=0.05)
    qtbot.mouseRelease(rail, LEFT)
    assert rail.value == 400.0
    count = len(asked)
    qtbot.mousePress(rail, LEFT, pos=QPoint(round(rail._x(400.0)), 29))  # the value itself
    qtbot.mouseMove(rail, QPoint(round(rail._x(500.0)), 29))
    qtbot.mouseRelease(rail, LEFT)
    assert rail.value > 400.0
    assert len(asked) == count
    qtbot.keyClick(rail, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert asked[-1] == pytest.approx(1.1)


def test_randomise_within_a_typed_range(qapp: QApplication, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    rail, _ = reach_rail(qtbot, 200.0, 800.0)
    typed = iter([("1 kHz to 2 kHz", True), ("3 kHz", True), ("1 kHz to 9 kHz", False)])
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: next(typed))
    rail._ask_randomise()
    value = rail.value
    assert 1000.0 <= value <= 2000.0
    rail._ask_randomise()
    rail._ask_randomise()
    assert rail.value == value


def test_the_computer_s_keys_play(qapp: QApplication, qtbot: QtBot) -> None:
    keys = ScreenKeys(NOON)
    keys.resize(300, 84)
    qtbot.addWidget(keys)
    keys.show()
    played: list[tuple[float, float]] = []
    keys.played.connect(lambda note, force: played.append((note, force)))
    qtbot.keyPress(keys, Qt.Key.Key_Z)
    qtbot.keyPress(keys, Qt.Key.Key_C)  # a chord: the first one stays
    qtbot.keyRelease(keys, Qt.Key.Key_Z)
    assert played == [(48.0, 0.8), (52.0, 0.8), (48.0, 0.0)]
    qtbot.keyClick(keys, Qt.Key.Key_Right)
    qtbot.keyClick(keys, Qt.Key.Key_Down)
    qtbot.keyPress(keys, Qt.Key.Key_Q)
    assert played[-1] == (72.0, pytest.approx(0.7))
    keys.hide()
    assert sorted(played[-2:]) == [(52.0, 0.0), (72.0, 0.0)]
    override = QKeyEvent(QEvent.Type.ShortcutOverride, Qt.Key.Key_C, Qt.KeyboardModifier.NoModifier, "c")
    override.ignore()
    assert keys.event(override)
    assert override.isAccepted()  # the letter is a note here, not the command of the window
