"""Every value of every module is typed, reset, turned, stepped and dragged in the real inspector.

Values on which others hang (a Clock's "Counts in", a Delay's range) build the page anew while the rail that caused it
is still at work; the program used to end there.
"""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication, QLineEdit
from pytestqt.qtbot import QtBot

from dunefall.app.controls.rail import Rail
from dunefall.app.controls.theme import NOON
from dunefall.app.inspector.inspector import Inspector
from dunefall.catalogue import catalogue
from dunefall.patch.document import Document
from dunefall.patch.model import Module
from rig import patch_of

LEFT = Qt.MouseButton.LeftButton
STILL_MODULE = "m"


class NothingLive:
    """No sound runs."""

    def value_now(self, module: str, port: str) -> float | None:
        return None

    def trace(self, module: str, port: str = "") -> None:
        return None

    def portrait(self, wanted: object) -> None:
        return None


class Desk:
    """The inspector over a document with one module: what it asks for is done at once, as in the window."""

    def __init__(self, type_id: str) -> None:
        self.document = Document(patch_of(Module(STILL_MODULE, type_id, "M")))
        self.inspector = Inspector(self.document, NOON, NothingLive())
        self.inspector.unfolded |= {f"{type_id}/{group}" for group, _ in catalogue()[type_id].groups}
        self.document.changed.connect(lambda _, patch: self.inspector.show_module(patch, STILL_MODULE))
        self.inspector.show_module(self.document.patch, STILL_MODULE)
        self.inspector.resize(340, 900)


@pytest.fixture
def desk(request: pytest.FixtureRequest, qapp: QApplication, qtbot: QtBot) -> Desk:
    made = Desk(request.param)
    qtbot.addWidget(made.inspector)
    made.inspector.show()
    made.inspector.activateWindow()
    qtbot.waitUntil(made.inspector.isActiveWindow)
    return made


def shown_field(rail: Rail) -> QLineEdit | None:
    return next((field for field in rail.findChildren(QLineEdit) if field.isVisible()), None)


def type_into(rail: Rail, text: str, qtbot: QtBot) -> None:
    """Enter opens the field, the text replaces what stands there, Enter ends it."""
    qtbot.keyClick(rail, Qt.Key.Key_Return)
    field = shown_field(rail)
    assert field is not None
    field.setText(text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def wheel(rail: Rail, steps: int) -> None:
    spot = QPointF(20, 20)
    event = QWheelEvent(
        spot, rail.mapToGlobal(spot), QPoint(), QPoint(0, 120 * steps), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(rail, event)


def drag(rail: Rail, px: int, qtbot: QtBot) -> None:
    start = QPoint(rail.width() // 2, 12)
    qtbot.mousePress(rail, LEFT, pos=start)
    for x in range(4):
        qtbot.mouseMove(rail, start + QPoint(px * (x + 1) // 4, 0))
    qtbot.mouseRelease(rail, LEFT, pos=start + QPoint(px, 0))


@pytest.mark.parametrize("desk", sorted(catalogue()), indirect=True)
def test_every_value_by_every_way(desk: Desk, qtbot: QtBot) -> None:
    inspector = desk.inspector
    for port, shown in list(inspector.rails.items()):
        for value in (shown.param.high, shown.param.low, shown.param.default):
            if port not in inspector.rails:
                continue  # a value that another one has hidden
            rail = inspector.rails[port]
            rail.setFocus()
            type_into(rail, rail.param.format(value), qtbot)
            assert inspector.rails[port].hasFocus(), f"{port}: the focus stays on the rail"
            assert shown_field(inspector.rails[port]) is None, f"{port}: the typing has ended"
        for act in (
            lambda rail: wheel(rail, 1),
            lambda rail: wheel(rail, -1),
            lambda rail: qtbot.keyClick(rail, Qt.Key.Key_Right),
            lambda rail: qtbot.keyClick(rail, Qt.Key.Key_End),
            lambda rail: qtbot.keyClick(rail, Qt.Key.Key_Backspace),
            lambda rail: drag(rail, -160, qtbot),
            lambda rail: drag(rail, 300, qtbot),
            Rail.reset,
            Rail.randomise,
        ):
            if port in inspector.rails:
                inspector.rails[port].setFocus()
                act(inspector.rails[port])
                assert port not in inspector.rails or inspector.rails[port].hasFocus()
    QApplication.processEvents()
    while desk.document.undo_label:
        desk.document.undo()
    assert desk.document.patch.module(STILL_MODULE).params == {}


@pytest.mark.parametrize("desk", ["clock"], indirect=True)
def test_enter_ends_the_typing_and_the_next_letter_is_a_command(desk: Desk, qtbot: QtBot) -> None:
    rail = desk.inspector.rails["sync"]
    rail.setFocus()
    type_into(rail, rail.param.choices[1], qtbot)
    now = desk.inspector.rails["sync"]
    assert now is not rail, "another kind of value was asked for: the page is a new one"
    assert now.hasFocus()
    assert now.value == 1.0
    with qtbot.waitSignal(desk.inspector.wishes.left):
        qtbot.keyClick(now, Qt.Key.Key_Escape)


@pytest.mark.parametrize("desk", ["clock"], indirect=True)
def test_what_the_mouse_holds_is_not_taken_away(desk: Desk, qtbot: QtBot) -> None:
    rail = desk.inspector.rails["sync"]
    start = QPoint(rail.width() // 2, 12)
    qtbot.mousePress(rail, LEFT, pos=start)
    qtbot.mouseMove(rail, start + QPoint(rail.width() // 2, 0))
    qtbot.mouseMove(rail, start + QPoint(rail.width(), 0))
    assert desk.document.patch.module(STILL_MODULE).params["sync"] == 1.0
    assert desk.inspector.rails["sync"] is rail
    qtbot.mouseRelease(rail, LEFT, pos=start)
    assert desk.inspector.rails["sync"] is not rail
