"""The Survey workspace, as a user works in it: real clicks and keys, a real worker process."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import replace

import pytest
from bench.faults import FAULTS
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QEnterEvent, QMouseEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.shell.window import MainWindow
from dunefall.app.workspaces.survey.axis import Axis, tick_told
from dunefall.app.workspaces.survey.page import SurveyPage
from dunefall.base.words import time_told
from dunefall.engine.messages import EngineOptions
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.library import load_patch, starters
from dunefall.patch.model import Moment, Patch
from dunefall.session import Session
from dunefall.session.edits.modules import set_param
from dunefall.survey.findings import Cure, Finding, level_cure
from dunefall.survey.stretch import STRETCH
from rig import demo

LEFT = Qt.MouseButton.LeftButton
SECONDS = 16.0


@pytest.fixture(scope="module")
def window(qapp: object) -> Iterator[MainWindow]:
    made = MainWindow(Session(demo(), None, EngineOptions(audio="simulated")), NOON)
    made.resize(1280, 800)
    made.show()
    yield made
    made.session.document.mark_saved(None)
    made.close()


def opened(window: MainWindow, patch: Patch) -> SurveyPage:
    window.session.replace_document(patch, None)
    window.selection.look_again()
    found: SurveyPage = window.page("survey")
    found.looking.set_seconds(SECONDS)
    found.plot.set_range(0.0, 0.0)
    window.show_workspace("survey")
    found.looking.look()
    return found


@pytest.fixture
def page(window: MainWindow) -> Iterator[SurveyPage]:
    found = opened(window, demo())
    yield found
    window.session.pause()
    window.session.document.mark_saved(None)


def looked(page: SurveyPage, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: page.looking.outlook.done, timeout=120_000)
    qtbot.waitUntil(lambda: page.looking.report is not None, timeout=20_000)
    QTest.qWait(900)


def x_of(page: SurveyPage, seconds: float, what: str = "spectrum") -> QPoint:
    box = page.plot._boxes[what]
    return QPoint(round(page.plot.axis.x(seconds)), round(box.center().y()))


def test_it_looks_ahead_by_itself_and_shows_every_layer(page: SurveyPage, qtbot: QtBot) -> None:
    looked(page, qtbot)
    assert page.status.known.text() == "00:16 of 00:16"
    assert page.status.speed.text() == "all of it"
    assert [layer.name for layer in page.looking.view.layers] == ["Turbine bed", "Fog air", "Drip line"]
    picture = page.plot.grab().toImage()
    box = page.plot._boxes["spectrum"]
    colours = {picture.pixel(x, round(box.center().y())) for x in range(round(box.x()) + 2, round(box.right()), 7)}
    assert len(colours) > 20, "a spectrogram has many shades"
    assert page.findings.count.text().endswith("all of it")
    assert page.events._numbers is not None


def test_a_picture_that_takes_long_is_drawn_seldom(page: SurveyPage, qtbot: QtBot) -> None:
    """With an hour in view the plots were drawn anew seven times a second, which was most of what the window did."""
    looked(page, qtbot)
    looking = page.looking
    try:
        looking.set_seconds(SECONDS + 16.0)
        view, looking.drawing_s = looking.view, lambda: 60.0
        qtbot.waitUntil(lambda: looking.outlook.done, timeout=120_000)
        QTest.qWait(200)
        assert looking.view is view
        looking.drawing_s = lambda: 0.0
        qtbot.waitUntil(lambda: looking.view is not view, timeout=10_000)
    finally:
        looking.drawing_s = lambda: page.plot.took_s
        looking.set_seconds(SECONDS)


def test_late_in_a_take_one_looks_ahead_of_what_the_sound_has_come_to(window: MainWindow, qtbot: QtBot) -> None:
    """And not from the start, which would take minutes; the axis goes on as the sound comes near to its end."""
    page = opened(window, load_patch(starters()["pump-engine"]))
    session, outlook, looking = window.session, page.looking.outlook, page.looking
    try:
        looking.set_seconds(120.0)
        assert outlook.seconds == 120.0
        session.seek(900.0)
        session.play()
        qtbot.waitUntil(lambda: outlook.seconds == 1080.0, timeout=30_000)
        here = round(900.0 * outlook.take.rate_hz) // STRETCH
        qtbot.waitUntil(lambda: outlook.known[here:].any(), timeout=60_000)
        assert not outlook.known[here // 2 : here].any(), "what was heard before comes later"
        qtbot.waitUntil(lambda: looking.report is not None and looking.view.first_bin > 0, timeout=20_000)
        first_s = looking.view.time_of(0)
        assert 900.0 < first_s < 930.0
        assert page.status.known.text().startswith(f"{time_told(first_s)} to ")
        assert page.status.far.currentText() == "2 min"
        assert all(at >= first_s * outlook.take.rate_hz for found in looking.report.findings for at in found.times)
        opened(window, demo())
        assert outlook.seconds == SECONDS, "the sound begins at the start of another patch"
        qtbot.waitUntil(lambda: session.seconds < 30.0, timeout=10_000)
        qtbot.wait(300)
        assert outlook.seconds == SECONDS
    finally:
        session.pause()
        looking.set_seconds(SECONDS)


def test_an_edit_hatches_what_it_may_have_changed_and_that_is_looked_at_again(page: SurveyPage, qtbot: QtBot) -> None:
    looked(page, qtbot)
    session = page._context.session
    session.play()
    qtbot.waitUntil(lambda: session.seconds > 5.0, timeout=30_000)
    session.pause()
    before = page.looking.outlook.rest[0].digest, page.looking.outlook.rest[2].digest
    set_param(session.document, "drip-line-low-pass", "cutoff_hz", 3000.0)
    qtbot.waitUntil(lambda: not page.looking.outlook.done, timeout=10_000)
    assert page.looking.outlook.known[0], "what was before the edit stays"
    looked(page, qtbot)
    after = page.looking.outlook.rest[0].digest, page.looking.outlook.rest[2].digest
    assert after[0] == before[0]
    assert after[1] != before[1]


def test_a_click_hears_from_there_and_a_drag_makes_a_range(page: SurveyPage, qtbot: QtBot) -> None:
    looked(page, qtbot)
    session = page._context.session
    QTest.mouseClick(page.plot, LEFT, pos=x_of(page, 10.0))
    qtbot.waitUntil(lambda: session.playing and 9.5 < session.seconds < 14.0, timeout=10_000)
    session.pause()
    first, last = x_of(page, 3.0), x_of(page, 7.0)
    QTest.mousePress(page.plot, LEFT, pos=first)
    QTest.mouseMove(page.plot, (first + last) / 2)
    QTest.mouseMove(page.plot, last)
    QTest.mouseRelease(page.plot, LEFT, pos=last)
    assert page.plot.range is not None
    assert page.plot.range == pytest.approx((3.0, 7.0), abs=0.1)
    assert "LUFS" in page.range_bar.told.text()
    assert page.range_bar.buttons["Hear it"].isEnabled()


def test_the_wheel_zooms_at_the_pointer_to_fifty_milliseconds(page: SurveyPage) -> None:
    axis, place = page.plot.axis, x_of(page, 8.0)
    at = axis.seconds(place.x())
    for turn in (*[120] * 40, *[-120] * 60):
        event = QWheelEvent(
            QPointF(place), QPointF(page.plot.mapToGlobal(place)), QPoint(), QPoint(0, turn), Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(page.plot, event)
        if turn > 0:
            assert axis.seconds(place.x()) == pytest.approx(at, abs=0.2)
            nearest = axis.span
    assert nearest == pytest.approx(0.05)
    assert (axis.first, axis.last) == (0.0, axis.total)


def test_by_keys_the_caret_moves_hears_and_makes_a_range(page: SurveyPage, qtbot: QtBot) -> None:
    looked(page, qtbot)
    plot, session = page.plot, page._context.session
    plot.setFocus()
    plot.caret = 4.0
    for _ in range(10):
        QTest.keyClick(plot, Qt.Key.Key_Right)
    assert plot.caret == pytest.approx(4.0 + SECONDS / 10, abs=0.01)
    QTest.keyClick(plot, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(plot, Qt.Key.Key_PageDown, Qt.KeyboardModifier.ShiftModifier)
    assert plot.range == pytest.approx((5.6, 5.6 + 0.11 * SECONDS), abs=0.02)
    QTest.keyClick(plot, Qt.Key.Key_Escape)
    assert plot.range is None
    QTest.keyClick(plot, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: session.playing and session.seconds >= 7.0, timeout=10_000)
    names = [part.name for part in plot.painted_parts()]
    assert names[:4] == ["Caret", "Turbine bed", "Fog air", "Drip line"]


def test_a_layer_is_soloed_at_its_head(page: SurveyPage, qtbot: QtBot) -> None:
    looked(page, qtbot)
    box = page.plot._boxes["solo drip-line"]
    QTest.mouseClick(page.plot, LEFT, pos=box.center().toPoint())
    document = page._context.session.document
    assert document.patch.module("drip-line-output").params["solo"] == 1.0
    document.undo()
    assert not document.patch.module("drip-line-output").params.get("solo", 0.0)


def test_moments_are_marked_named_heard_removed_and_saved(page: SurveyPage, window: MainWindow, qtbot: QtBot) -> None:
    looked(page, qtbot)
    document = window.session.document
    QTest.mouseClick(page.moments.mark, LEFT)
    page.plot.set_range(6.0, 9.0)
    QTest.mouseClick(page.range_bar.buttons["Mark it"], LEFT)
    assert [moment.name for moment in document.patch.moments] == ["Moment 1", "Moment 2"]
    assert document.patch.moments[1] == Moment(6.0, "Moment 2", 9.0)
    again = parse_patch(dump_patch(document.patch).encode())
    assert again.moments == document.patch.moments
    moments = page.moments.list
    moments.setCurrentRow(1)
    page.plot.set_range(0.0, 0.0)
    QTest.keyClick(moments, Qt.Key.Key_Return)
    assert page.plot.range == (6.0, 9.0)
    qtbot.waitUntil(lambda: window.session.seconds >= 6.0, timeout=10_000)
    QTest.keyClick(moments, Qt.Key.Key_Delete)
    assert len(document.patch.moments) == 1
    document.undo()
    document.undo()
    document.undo()
    assert document.patch.moments == ()


def test_a_finding_is_gone_to_and_cured_in_one_step(window: MainWindow, qtbot: QtBot) -> None:
    fault = next(fault for fault in FAULTS if fault.kind == "click")
    page = opened(window, fault.patch)
    looked(page, qtbot)
    session = window.session
    assert [finding.kind for finding in page.shown_findings] == ["click"]
    window.actions_by_id["next_finding"].trigger()
    at = page.shown_findings[0].times[0] / 48000
    qtbot.waitUntil(lambda: session.playing and session.seconds >= max(at - 2.5, 0.0), timeout=10_000)
    session.pause()
    cure = next(button for tip, button in page.findings.buttons.items() if tip.startswith("Add 5 ms"))
    before = session.patch
    session.rewind()
    QTest.mouseClick(cure, LEFT)
    assert len(list(session.patch.modules())) == len(list(before.modules())) + 1
    qtbot.waitUntil(lambda: not page.looking.outlook.done, timeout=10_000)
    looked(page, qtbot)
    assert not page.shown_findings, "softened, it clicks no more"
    session.document.undo()
    assert session.patch == before
    session.document.mark_saved(None)


def test_what_is_ignored_is_shown_no_more(page: SurveyPage, qtbot: QtBot) -> None:
    looked(page, qtbot)
    finding = Finding("peak", "True peak", "", (0,), modules=("drip-line-output",))
    report = page.looking.report
    assert report is not None
    page.looking.report = replace(report, findings=(finding,))
    assert page.shown_findings == [finding]
    page.ignore(finding)
    assert page.shown_findings == []
    page.cure(replace(finding, cure=Cure("Lower it", softened="gone")))
    assert page._context.session.patch == demo()
    assert page.findings.ignored.text() == "1 ignored"
    QTest.mouseClick(page.findings.ignored, LEFT)
    assert finding in page.shown_findings
    page.never_show(finding)
    assert finding not in page.shown_findings
    assert page._context.settings.values.unwanted == (finding.kind,)
    assert page.findings.ignored.isVisible()
    QTest.mouseClick(page.findings.ignored, LEFT)
    assert finding in page.shown_findings
    assert page._context.settings.values.unwanted == ()


def test_a_cure_under_the_pointer_shows_what_would_become_of_the_layers(page: SurveyPage, qtbot: QtBot) -> None:
    looked(page, qtbot)
    layer = page.looking.view.layers[1]
    cure = level_cure(page._context.session.patch, layer, -6.0)
    report = page.looking.report
    assert report is not None
    page.looking.report = replace(report, findings=(Finding("covered", "It covers", "Why.", (0,), cure=cure),))
    page._show()
    button = next(button for tip, button in page.findings.buttons.items() if tip.startswith("Lower Fog air"))
    before = page.plot.grab().toImage()
    QTest.mouseMove(button)
    button.enterEvent(QEnterEvent(QPointF(2, 2), QPointF(2, 2), QPointF(2, 2)))
    assert page.plot.outcome == {layer.id: -6.0}
    box = page.plot._boxes[f"lane {layer.id}"].toRect().adjusted(2, 2, -2, -2)
    assert page.plot.grab().toImage().copy(box) != before.copy(box)
    button.leaveEvent(QEvent(QEvent.Type.Leave))
    assert page.plot.outcome == {}
    button.setFocus()
    page.cure(page.shown_findings[0])
    assert page.plot.outcome == {}, "it is what it is now"
    page._context.session.document.undo()


def test_what_is_pressed_stays_until_it_is_let_go(page: SurveyPage, qtbot: QtBot) -> None:
    """What is found in between would take its place, and the press would be lost."""
    looked(page, qtbot)
    report, layer = page.looking.report, page.looking.view.layers[1]
    assert report is not None
    cure = level_cure(page._context.session.patch, layer, -6.0)
    found = Finding("covered", "It covers", "Why.", (4 * 48000,), cure=cure)
    page.looking.report = replace(report, findings=(found,))
    page._show()
    (button,) = (button for tip, button in page.findings.buttons.items() if tip.startswith("Lower Fog air"))
    with qtbot.waitSignal(page.findings.cure_asked, timeout=1000):
        QTest.mousePress(button, LEFT)
        page.looking.report = replace(report, findings=(found, replace(found, text="It covers more")))
        page._show()
        assert button in page.findings.buttons.values()
        QTest.mouseRelease(button, LEFT)
    page._show()
    assert len([tip for tip in page.findings.buttons if tip.startswith("Hear")]) == 2
    page._context.session.document.undo()


@pytest.mark.parametrize("way", ["pointer", "keys"])
def test_a_cure_that_is_held_down_is_heard_and_not_made(page: SurveyPage, qtbot: QtBot, way: str) -> None:
    looked(page, qtbot)
    session, layer = page._context.session, page.looking.view.layers[1]
    cure = level_cure(session.patch, layer, -6.0)
    report, before = page.looking.report, session.patch
    assert report is not None
    found = Finding("covered", "It covers", "Why.", (4 * 48000,), cure=cure)
    page.looking.report = replace(report, findings=(found,))
    page._show()
    button = next(button for tip, button in page.findings.buttons.items() if tip.startswith("Lower Fog air"))
    now = session.engine
    if way == "pointer":
        QTest.mousePress(button, LEFT)
    else:
        QTest.keyPress(button, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: bool(session.trial.part), timeout=5000)
    assert now.patch.module(layer.output_id).params["level_db"] == cure.changes[0].value
    assert session.patch == before
    qtbot.waitUntil(lambda: session.playing and session.seconds >= 2.0, timeout=10_000)
    page._show()
    QTest.qWait(400)
    assert not page.looking._settle.isActive(), "for a moment nothing is looked at anew"
    if way == "pointer":
        QTest.mouseRelease(button, LEFT)
    else:
        QTest.keyRelease(button, Qt.Key.Key_Space)
    assert now.patch == before == session.patch
    assert not session.trial.part
    if way == "pointer":  # let go beside it, nothing is made, and the next click makes it
        QTest.mousePress(button, LEFT)
        qtbot.waitUntil(lambda: bool(session.trial.part), timeout=5000)
        beside = QPointF(-50.0, -50.0)
        QApplication.sendEvent(button, QMouseEvent(
            QEvent.Type.MouseMove, beside, button.mapToGlobal(beside), Qt.MouseButton.NoButton, LEFT,
            Qt.KeyboardModifier.NoModifier,
        ))  # fmt: skip
        QTest.mouseRelease(button, LEFT, pos=beside.toPoint())
        assert not session.trial.part
        assert session.patch == before
    QTest.mouseClick(button, LEFT)
    assert session.patch.module(layer.output_id).params["level_db"] == cure.changes[0].value
    session.pause()
    session.document.undo()


def test_from_a_wrong_note_to_its_step_in_one_gesture(window: MainWindow, qtbot: QtBot) -> None:
    fault = next(fault for fault in FAULTS if fault.kind == "off scale" and fault.patch.has("row"))
    page = opened(window, fault.patch)
    page.looking.set_seconds(40.0)
    looked(page, qtbot)
    (finding,) = [finding for finding in page.shown_findings if finding.kind == "off scale"]
    assert finding.step is not None
    chip = next(button for tip, button in page.findings.buttons.items() if tip.endswith("of Row in Build"))
    assert chip.text() == f"\u2192 step {finding.step.number + 1}"
    QTest.mouseClick(chip, LEFT)
    assert window._shown == "build"
    assert window.context.selection.module == "row"
    inspector = window.page("build").inspector
    assert inspector.editor.chosen == "row_a"
    field = inspector.editor.fields["row_a"]
    assert field._chosen == finding.step.number
    assert window.focusWidget() is field, "arrows change it at once"
    numbers = window.session.patch.module("row").series["row_a"]
    QTest.keyClick(field, Qt.Key.Key_Down)
    changed = window.session.patch.module("row").series["row_a"]
    assert [k for k, (a, b) in enumerate(zip(numbers, changed, strict=True)) if a != b] == [finding.step.number]


def test_the_range_is_offered_to_render(page: SurveyPage, window: MainWindow, qtbot: QtBot) -> None:
    looked(page, qtbot)
    page.plot.set_range(2.0, 12.5)
    QTest.mouseClick(page.range_bar.buttons["Loop it…"], LEFT)
    assert window._shown == "render"
    job = window.page("render").settings.job
    assert (job.of, job.start_s, job.seconds, job.ends) == ("range", 2.0, 10.5, "loop")
    wanted, source = window.page("render")._wanted()
    assert (wanted.start_s, wanted.seconds) == (2.0, 10.5), "however long was played"
    assert source.take == window.session.engine.take


def test_times_can_be_typed_and_nonsense_is_refused(page: SurveyPage) -> None:
    bar = page.range_bar
    for field, text in ((bar.first, "0:03"), (bar.last, "12 s")):
        field.setFocus()
        field.setText(text)
        QTest.keyClick(field, Qt.Key.Key_Return)
    assert page.plot.range == (3.0, 12.0)
    bar.first.setText("soon")
    QTest.keyClick(bar.first, Qt.Key.Key_Return)
    assert page.plot.range == (3.0, 12.0)


def test_it_fits_into_a_small_window_in_both_themes(page: SurveyPage, window: MainWindow, qtbot: QtBot) -> None:
    looked(page, qtbot)
    window.resize(1100, 700)
    for theme in (DUSK, NOON):
        window.set_theme(theme)
        QTest.qWait(50)
        assert page.grab().toImage().pixelColor(3, 100).name().upper() == theme.ground
    assert page.range_bar.buttons["Render it…"].geometry().right() <= page.range_bar.width()
    assert page.plot.width() - page.plot.axis.left > 400
    window.resize(1280, 800)


def test_paused_it_orders_nothing_more(page: SurveyPage, qtbot: QtBot) -> None:
    page.status.pause.click()
    try:
        QTest.qWait(300)
        page.looking.set_seconds(6 * STRETCH / 48000)
        known = page.looking.outlook.known.sum()
        end = time.monotonic() + 1.5
        while time.monotonic() < end:
            QTest.qWait(50)
        assert page.looking.outlook.known.sum() <= known
    finally:
        page.status.pause.click()
    looked(page, qtbot)


def test_the_axis_turns_times_into_places_and_back() -> None:
    axis = Axis()
    axis.left, axis.width = 100.0, 800.0
    axis.set_total(7200.0)
    assert axis.x(3600.0) == 500.0
    assert axis.seconds(500.0) == 3600.0
    axis.zoom(1e9, 1800.0)
    assert axis.span == pytest.approx(0.05)
    assert axis.first <= 1800.0 <= axis.last
    axis.reveal(0.0)
    assert axis.first == 0.0
    assert [tick_told(t, 1.0) for t in (0.0, 65.0, 3725.0)] == ["00:00", "01:05", "1:02:05"]
    assert tick_told(192.45, 0.05) == "03:12.45"
