"""Editors of series, keys on the screen, the front, events and clicks: in the real window, as a user works."""

from __future__ import annotations

import socket
from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QInputDialog
from pytestqt.qtbot import QtBot
from pythonosc.osc_message_builder import OscMessageBuilder

from dunefall.app.controls.theme import NOON
from dunefall.app.editing.links import ask_range
from dunefall.app.editing.modules import choose_tuning
from dunefall.app.inspector.planes import GridField, PathField
from dunefall.app.inspector.screenkeys import ScreenKeys
from dunefall.app.inspector.series import SeriesField
from dunefall.app.shell.window import MainWindow
from dunefall.app.watch.events import Events, lanes_of
from dunefall.catalogue import catalogue
from dunefall.catalogue.reach import range_of
from dunefall.compiler.traces import BIN_SAMPLES
from dunefall.engine.devices.osc import OscInput
from dunefall.engine.messages import AskClicks, Clicked, EngineOptions, GotClicks
from dunefall.patch.model import Module, Patch, Place
from dunefall.patch.take import Note
from dunefall.render.clickcount import count_clicks
from dunefall.render.culprit import Culprit, find_culprit
from dunefall.session import Session
from dunefall.session.clickwatch import ClickWatch
from dunefall.session.edits.controls import turn_controller
from dunefall.session.edits.links import add_link, change_link, remove_link, softened
from dunefall.session.edits.modules import rename, set_param, set_params, set_series
from rig import add_layer, add_module, patch_of

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="module")
def window(qapp: QApplication) -> Iterator[MainWindow]:
    window = MainWindow(Session(Patch(), None, EngineOptions(audio="simulated")), NOON)
    window.show()
    yield window
    window.session.document.mark_saved(None)
    window.close()


def added(window: MainWindow, type_id: str) -> str:
    module = add_module(window.session.document, "shared", type_id).module
    window.selection.select(module)
    return module


def field_of(window: MainWindow, series: str) -> SeriesField:
    editor = window.page("build").inspector.editor
    assert editor is not None
    editor.tabs[series].click() if editor.tabs else None
    field = editor.fields[series]
    assert field.isVisible()
    return field


def stroke(field: SeriesField, *points: tuple[float, float]) -> None:
    """Press at the first of these places (shares of the field's width and height), move over the others, let go."""
    box = field._box
    places = [QPoint(round(box.left() + x * box.width()), round(box.bottom() - y * box.height())) for x, y in points]
    QTest.mousePress(field, LEFT, pos=places[0])
    for place in places[1:]:
        QTest.mouseMove(field, place)
    QTest.mouseRelease(field, LEFT, pos=places[-1])


def test_a_stroke_across_steps_is_one_undo_step(window: MainWindow, qtbot: QtBot) -> None:
    module = added(window, "step-sequencer")
    field = field_of(window, "row_b")
    before = window.session.patch
    stroke(field, (0.06, 0.0), (0.5, 0.5), (0.94, 1.0))
    drawn = window.session.patch.module(module).series["row_b"][:8]
    np.testing.assert_allclose(drawn, np.linspace(-1, 1, 8), atol=0.15)
    assert (np.diff(drawn) > 0).all()
    window.session.document.undo()
    assert window.session.patch == before


def test_gates_toggle_and_paint(window: MainWindow) -> None:
    module = added(window, "step-sequencer")
    field = field_of(window, "gates")
    stroke(field, (0.3, 0.5), (0.45, 0.5), (0.57, 0.5))  # step 3 is a rest: it and those after it become hits
    gates = window.session.patch.module(module).series["gates"][:8]
    assert gates[2:5] == (1.0, 1.0, 1.0)


def test_keys_set_one_number_and_type_it(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    module = added(window, "step-sequencer")
    field = field_of(window, "row_a")
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_Right)
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert window.session.patch.module(module).series["row_a"][1] == 58.0
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("A4", True))
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert window.session.patch.module(module).series["row_a"][1] == 69.0
    assert "number 2 of 8: A4" in field.accessibleDescription()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("loud", True))
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert "is not a value here" in window.notice.text()


def test_the_menu_turns_copies_and_pastes_between_sequences(window: MainWindow) -> None:
    first = added(window, "step-sequencer")
    field = field_of(window, "row_a")

    def choose(text: str) -> None:
        menu = field.menu()
        actions = [*menu.actions(), *(a for x in menu.actions() if x.menu() for a in x.menu().actions())]
        next(action for action in actions if action.text() == text).trigger()

    notes = catalogue()["step-sequencer"].series[0].default[:8]
    choose("Rotate to the right")
    assert window.session.patch.module(first).series["row_a"][:8] == (*notes[-1:], *notes[:-1])
    choose("Reverse")
    choose("Copy")
    turned = window.session.patch.module(first).series["row_a"][:8]
    second = added(window, "note-list")
    field = field_of(window, "notes")
    choose("Paste")
    assert window.session.patch.module(second).series["notes"] == turned
    choose("anew")
    again = window.session.patch.module(second).series["notes"]
    assert again != turned
    assert all(note == round(note) for note in again)
    window.session.document.undo()
    assert window.session.patch.module(second).series["notes"] == turned


def test_curves_are_shown_as_curves_and_randomised_together(window: MainWindow) -> None:
    module = added(window, "curve-sequencer")
    field = field_of(window, "curves_a")
    seen = field.grab().toImage()
    set_series(window.session.document, module, {"curves_a": (9.0,) * 64})
    assert field.grab().toImage() != seen  # ripples instead of plucks
    before = window.session.patch
    editor = window.page("build").inspector.editor
    assert editor is not None
    editor.randomise_everything()
    assert len(window.session.patch.module(module).series) == len(catalogue()["curve-sequencer"].series)
    window.session.document.undo()
    assert window.session.patch == before


def test_points_of_a_contour_come_and_go_together(window: MainWindow) -> None:
    module = added(window, "contour")
    field = field_of(window, "heights")
    at = QPoint(round(field._box.left() + 0.5 * field._box.width()), round(field._box.top() + 4))
    QTest.mouseDClick(field, LEFT, pos=at)
    series = window.session.patch.module(module).series
    assert {len(series[name]) for name in ("heights", "times", "bends")} == {6}
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_Delete)
    series = window.session.patch.module(module).series
    assert {len(series[name]) for name in ("heights", "times", "bends")} == {5}


def test_a_movement_of_the_hand_becomes_a_gesture(window: MainWindow) -> None:
    module = added(window, "gesture")
    assert window.page("build").inspector.editor is not None
    field = window.page("build").inspector.editor.plane
    assert isinstance(field, PathField)
    box = field._box
    QTest.mousePress(field, LEFT, pos=box.topLeft().toPoint() + QPoint(1, 1))
    for share in (0.25, 0.5, 0.75, 1.0):
        QTest.qWait(60)
        QTest.mouseMove(field, QPoint(round(box.left() + share * box.width()), round(box.top() + share * box.height())))
    QTest.mouseRelease(field, LEFT, pos=box.bottomRight().toPoint())
    made = window.session.patch.module(module)
    assert 0.2 < made.params["length_s"] < 2.0
    assert made.series["path_x"][0] == pytest.approx(-1.0, abs=0.02)
    assert made.series["path_x"][-1] == pytest.approx(1.0, abs=0.02)
    assert made.series["path_y"][-1] == pytest.approx(-1.0, abs=0.02)


def test_the_grid_by_mouse_and_keys(window: MainWindow) -> None:
    module = added(window, "grid-sequencer")
    assert window.page("build").inspector.editor is not None
    field = window.page("build").inspector.editor.plane
    assert isinstance(field, GridField)
    QTest.mouseClick(field, LEFT, pos=field._cell(0, 0).center().toPoint())
    assert window.session.patch.module(module).series["hits"][0] == 0.0
    QTest.keyClick(field, Qt.Key.Key_Right)
    QTest.keyClick(field, Qt.Key.Key_PageUp)
    assert window.session.patch.module(module).series["notes"][1] == 56.0
    assert "column 2, row 1: A♭3, hit" in field.accessibleDescription()


def test_a_tuning_file_and_one_that_is_broken(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    module = added(window, "quantiser")
    file = tmp_path / "pipes.scl"
    file.write_text("Pipes\n2\n3/2\n2/1\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(file), ""))
    choose_tuning(window.context)
    assert window.session.patch.module(module).series["steps_ct"][0] == pytest.approx(701.955, abs=1e-3)
    assert window.page("build").inspector.rails["scale"].value == 12
    assert "Pipes" in window.notice.text()
    file.write_text("Pipes\n2\nfifth\n2/1\n")
    choose_tuning(window.context)
    assert "line 3" in window.notice.text()


def test_rails_that_do_not_count_are_not_there(window: MainWindow) -> None:
    module = added(window, "clock")
    assert "period_beats" in window.page("build").inspector.rails
    assert "period_s" not in window.page("build").inspector.rails
    set_param(window.session.document, module, "sync", 1.0)
    assert "period_s" in window.page("build").inspector.rails
    assert "period_beats" not in window.page("build").inspector.rails


def test_the_front_shows_controls_in_their_own_unit(window: MainWindow) -> None:
    module = added(window, "named-control")
    rename(window.session.document, module, "Fog depth")
    set_params(window.session.document, module, {"low": 10.0, "high": 60.0, "unit": 8.0})
    window.selection.select("")
    rail = window.page("build").inspector.front[module]
    assert rail.param.name == "Fog depth (m)"
    rail.moved.emit(35.0)
    assert window.session.patch.module(module).params["value"] == pytest.approx(0.5)
    assert window.page("build").inspector.front[module].value == pytest.approx(35.0)


def say_osc(port: int, address: str, value: float) -> None:
    """A message as another program sends it."""
    message = OscMessageBuilder(address)
    message.add_arg(value, "f")
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as line:
        line.sendto(message.build().dgram, ("127.0.0.1", port))


def test_midi_and_other_programs_move_controls(window: MainWindow, qtbot: QtBot) -> None:
    module = added(window, "named-control")
    rename(window.session.document, module, "Surf, near")
    set_param(window.session.document, module, "controller", 7.0)
    turn_controller(window.session.document, 7, 0.25)
    assert window.session.patch.module(module).params["value"] == 0.25
    window.session.control.osc = OscInput(0)
    try:
        said = partial(say_osc, window.session.control.osc.port)
        said("/dunefall/surf-near", 0.75)
        qtbot.waitUntil(lambda: window.session.patch.module(module).params["value"] == 0.75, timeout=5000)
        said("/dunefall/surf-near", 7.0)
        qtbot.waitUntil(lambda: "needs a number from 0 to 1; got 7" in window.notice.text(), timeout=5000)
        said("/dunefall/attic", 0.5)
        qtbot.waitUntil(lambda: "there is no control “attic”" in window.notice.text(), timeout=5000)
    finally:
        window.session.control.osc.close()
        window.session.control.osc = None


def test_gathering_puts_parameters_of_a_kind_under_one_control(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    output = add_layer(window.session.document, "Surf")
    layer = window.session.patch.layer_of(output).id
    filters = [add_module(window.session.document, layer, "filter").module for _ in range(2)]
    window.selection.select(filters[0])
    monkeypatch.setattr(QInputDialog, "getItem", lambda *args, **_: (next(x for x in args[3] if "Cutoff" in x), True))
    before = window.session.patch
    window.actions_by_id["gather"].trigger()
    control = window.selection.module
    assert window.session.patch.module(control).name == "Cutoff of Surf"
    assert {link.target for link in window.session.patch.links_from(control)} == {
        Place(x, "cutoff_hz") for x in filters
    }
    window.session.document.undo()
    assert window.session.patch == before


def test_the_range_of_a_link_in_the_unit_of_its_target(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    source, target = added(window, "stepped-random"), added(window, "filter")
    link_id = add_link(window.session.document, Place(source, "out"), Place(target, "cutoff_hz"))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("50 Hz to 7 kHz", True))
    ask_range(window.context, link_id)
    link = window.session.patch.link(link_id)
    assert range_of(window.session.patch, link) == pytest.approx((50.0, 7000.0))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("50 Hz to 90 kHz", True))
    ask_range(window.context, link_id)
    assert "must be 10.0 Hz to 20.0 kHz" in window.notice.text()
    assert window.session.patch.link(link_id) == link


def test_keys_on_the_screen_play_the_selected_module(window: MainWindow, qtbot: QtBot) -> None:
    module = added(window, "keyboard")
    keys = next(x for x in window.page("build").inspector.findChildren(ScreenKeys) if x.isVisible())
    note, box = keys._boxes()[2]
    QTest.mousePress(keys, LEFT, pos=QPoint(round(box.center().x()), round(box.bottom() - 4)))
    QTest.mouseRelease(keys, LEFT, pos=QPoint(round(box.center().x()), round(box.bottom() - 4)))

    def played() -> list[Note]:
        return [entry.what for entry in window.session.engine.take.entries if isinstance(entry.what, Note)]

    qtbot.waitUntil(lambda: len(played()) == 2, timeout=20_000)
    assert [(x.module, x.note, x.velocity > 0) for x in played()] == [(module, note, True), (module, note, False)]


def test_events_tell_their_cause(window: MainWindow) -> None:
    patch = patch_of(
        Module("c", "clock", "Drip clock", {"period_beats": 0.5}), Module("d", "divider", "Every", {"by_a": 3.0}),
        Module("s", "chance", "Skip", {"probability": 0.5}), Module("e", "envelope", "Strike"),
        links=(("c.gate", "d.trigger", 1.0), ("d.a", "s.trigger", 1.0), ("s.passed", "e.trigger", 1.0)),
    )  # fmt: skip
    patch = Patch(layers=patch.layers, links=patch.links, pins=(Place("s", "passed"), Place("e", "out")))
    assert lanes_of(patch) == [
        ("Skip", [Place("s", "passed"), Place("s", "refused")]),
        ("Strike", [Place("s", "passed")]),
    ]
    steps = patch_of(Module("q", "step-sequencer", "Q"), Module("o", "oscillator", "O"))
    pinned = replace(steps, pins=(Place("q", "gate"), Place("o", "out")))
    assert lanes_of(pinned) == [("Q", [Place("q", "gate"), Place("q", "refused")])]  # nothing triggers the other one
    bins = np.zeros((1024, 2), np.float32)
    bins[900:910, 1] = bins[904:908, 0] = 1.0

    class Source:
        def trace(self, module: str, port: str = "") -> np.ndarray:
            return bins if not port else np.roll(bins, -40, axis=0)

    events = Events(NOON, Source(), 48000.0)
    events.resize(900, 130)
    events.show_pins(patch, NOON)
    events.show_time(5.0)
    ago = (1024 - 900) * 512 / 48000
    lane = events._lane(0)
    cause = events.cause_at(events._x(ago), lane.center().y())
    assert cause == f"{ago:.2f} s ago: Drip clock 1/8, Every ÷3, Skip, chance 50 %: passed"
    refused = events.cause_at(events._x(ago + 40 * 512 / 48000), lane.center().y())
    assert refused.endswith("Skip, chance 50 %: refused")
    assert events.cause_at(events._x(4.0), lane.center().y()) == ""
    assert not events.grab().isNull()


def test_a_click_is_told_with_its_module_and_cured(window: MainWindow, qtbot: QtBot) -> None:
    session = window.session
    output = add_layer(session.document, "Gate impact")
    layer = session.patch.layer_of(output).id
    tone, clock, amp = (
        add_module(session.document, layer, kind).module for kind in ("oscillator", "clock", "amplifier")
    )
    for link in session.patch.links:  # without what they were connected to by themselves
        if link.source.module in (tone, clock, amp):
            remove_link(session.document, link.id)
    set_params(session.document, tone, {"pitch_note": 45.0, "level": 0.6})
    set_params(session.document, clock, {"sync": 1.0, "period_s": 0.31})
    set_param(session.document, amp, "gain", 0.0)
    rename(session.document, clock, "Striker")
    for source, target in ((Place(tone, "out"), Place(amp, "audio")), (Place(clock, "gate"), Place(amp, "gain")),
                           (Place(amp, "out"), Place(output, "audio"))):  # fmt: skip
        add_link(session.document, source, target)
    change_link(session.document, replace(session.patch.links_into(amp, "gain")[0], amount=1.0))
    window.session.clicks._told = -100.0
    window.session.play()
    clicked = "Gate impact clicked"
    qtbot.waitUntil(lambda: any(clicked in x.text for x in window.notice.kept), timeout=60_000)
    assert "Striker jumped from" in next(x.text for x in window.notice.kept if clicked in x.text)
    qtbot.waitUntil(lambda: window.session.engine._reserve is not None, timeout=60_000)
    window.session.clicks._told = -100.0
    qtbot.waitUntil(lambda: window.session.clicks.culprit is not None, timeout=60_000)
    assert window.session.clicks.culprit.module == clock
    assert "none would be left" in window.notice.text()
    window.selection.select(output)
    assert "It has clicked" in window.page("build").inspector.story.text.text()
    before = session.patch
    window.actions_by_id["soften"].trigger()
    slew = window.selection.module
    assert session.patch.module(slew).name == "Soft Striker"
    assert [link.source.module for link in session.patch.links_into(amp, "gain")] == [slew]
    window.session.document.undo()
    assert session.patch == before
    session.engine.stop()


def test_no_culprit_where_nothing_jumped() -> None:
    patch = patch_of(
        Module("l", "lfo", "L"), Module("a-output", "output", "A"), links=(("l.out", "a-output.audio", 1.0),)
    )

    class Still:
        def trace(self, module: str, port: str = "") -> np.ndarray:
            return np.full((1024, 2), 0.3, np.float32)

    assert find_culprit(patch, "a-output", 4800, Still()) is None


class Jumps:
    """Some outputs jump by one, a tenth of a second ago."""

    def __init__(self, *modules: str) -> None:
        self._modules = modules

    def trace(self, module: str, port: str = "") -> np.ndarray | None:
        bins = np.zeros((400, 2), np.float32)
        at = 399 - int(4800 / BIN_SAMPLES)
        bins[at:] = 1.0 if module in self._modules else 0.0
        bins[at, 0] = 0.0
        return bins


def test_the_culprit_is_who_jumped_into_a_level_or_was_set_back() -> None:
    modules = (
        Module("drops", "scatter", "Drops"), Module("notes", "stepped-random", "Notes"),
        Module("env", "envelope", "Env"), Module("tone", "oscillator", "Tone"), Module("amp", "amplifier", "Amp"),
        Module("a-output", "output", "A"),
    )  # fmt: skip
    links = (("notes.out", "tone.pitch_note", 12.0), ("drops.out", "env.trigger", 1.0), ("env.out", "amp.gain", 1.0),
             ("tone.out", "amp.audio", 1.0), ("amp.out", "a-output.audio", 1.0))  # fmt: skip
    patch = patch_of(*modules, links=links)
    assert find_culprit(patch, "a-output", 4800, Jumps("notes", "drops")) is None, "a pitch step is no click"
    found = find_culprit(patch, "a-output", 4800, Jumps("notes", "env"))
    assert found is not None
    assert (found.module, found.softens) == ("env", True)
    restarted = patch_of(*modules, links=(*links, ("drops.out", "tone.restart", 1.0)))
    found = find_culprit(restarted, "a-output", 4800, Jumps("notes", "drops"))
    assert found is not None
    assert (found.module, found.softens) == ("tone", False)
    assert found.told == "Drops set Tone back in the middle of its sound"
    levels = patch_of(*modules, links=(*links, ("notes.out", "amp.level_db", 6.0)))
    found = find_culprit(levels, "a-output", 4800, Jumps("notes"))
    assert found is not None
    assert found.module == "notes"


def test_a_cure_is_offered_only_where_it_helps() -> None:
    links = (("clock.gate", "amp.gain", 1.0), ("tone.out", "amp.audio", 1.0), ("amp.out", "a-output.audio", 1.0))
    modules = (Module("clock", "clock", "Clock", {"sync": 1, "period_s": 0.31}),
               Module("tone", "oscillator", "Tone", {"pitch_note": 45.0}),
               Module("amp", "amplifier", "Amp", {"gain": 0.0}), Module("a-output", "output", "A"))  # fmt: skip
    patch = patch_of(*modules, links=links)
    cured = softened(patch, "clock")
    assert cured is not None
    assert count_clicks(patch, "a-output", 3.0) >= 5
    assert count_clicks(cured[0], "a-output", 3.0) == 0
    culprit = Culprit("clock", "Clock jumped", 1.0, True)
    wanted = AskClicks((patch, cured[0]), "a-output", 6.0)
    for counts, offered in (((9, 0), True), ((9, 8), False), ((0, 0), False)):
        watch = ClickWatch()
        watch._tried = (culprit, wanted)
        engine = SimpleNamespace(clicks=lambda _, counts=counts: GotClicks(wanted, counts))
        told = watch.follow(patch, engine, "Ctrl+Shift+C")
        assert bool(told) == offered
        assert (watch.culprit is culprit) == offered
    assert Clicked("a-output", 0, 0.1, 1).count == 1


def test_the_header_tells_when_it_repeats(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.header.repeats.text() != "", timeout=5000)
    assert window.header.repeats.toolTip().startswith("The patch repeats")
