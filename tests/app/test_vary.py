"""The Vary workspace, as a user works in it: real clicks and keys, real worker processes."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.shell.window import MainWindow
from dunefall.app.workspaces.vary.card import Card
from dunefall.app.workspaces.vary.page import VaryPage
from dunefall.app.workspaces.vary.squaredialog import SquareDialog
from dunefall.app.workspaces.vary.tree import in_rows
from dunefall.engine.messages import EngineOptions
from dunefall.patch.changes import difference
from dunefall.patch.family import DISCARDED, KEPT, Family, State
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.library import load_patch, starters
from dunefall.patch.states import patch_of_state
from dunefall.session import Session
from dunefall.session.edits import family as edits
from dunefall.session.edits.modules import set_param
from rig import demo

LEFT = Qt.MouseButton.LeftButton
CUTOFF = ("drip-line-low-pass", "cutoff_hz")


@pytest.fixture(scope="module")
def window(qapp: object) -> Iterator[MainWindow]:
    made = MainWindow(Session(demo(), None, EngineOptions(audio="simulated")), NOON)
    made.resize(1280, 800)
    made.show()
    yield made
    made.session.document.mark_saved(None)
    made.close()


@pytest.fixture
def page(window: MainWindow) -> Iterator[VaryPage]:
    document = window.session.document
    document.open(demo(), None)
    window.show_workspace("vary")
    found: VaryPage = window.page("vary")
    found.desk.layers, found.desk.seconds = ("drip-line",), 1.0
    found.choice.count.setValue(4)
    found.show_patch()
    yield found
    found.stop()
    found.kept.blend.pause()
    document.mark_saved(None)


def filled(page: VaryPage, qtbot: QtBot) -> list[Card]:
    """The board, filled by its button, every look at hand."""
    QTest.mouseClick(page.choice.more, LEFT)
    qtbot.waitUntil(lambda: not page.desk.looks.busy, timeout=120_000)
    return list(page.board.cards.values())


def board_of(page: VaryPage) -> tuple[str, ...]:
    return page.present.family.board


def test_one_press_fills_the_board_and_undo_brings_the_old_one_back(page: VaryPage, qtbot: QtBot) -> None:
    cards = filled(page, qtbot)
    assert len(cards) == 4
    for card in cards:
        assert card.shown.look is not None
        assert card.shown.words
        assert card.shown.change.endswith("% change")
        assert not card.shown.heard
    first = board_of(page)
    QTest.keyClick(cards[0], Qt.Key.Key_K)
    assert page.present.states[0].mark == KEPT
    QTest.mouseClick(page.choice.more, LEFT)
    assert set(first).isdisjoint(board_of(page))
    assert page.present.family.state(first[0]) is not None, "what is kept stays in the family"
    assert page.present.family.state(first[1]) is None
    window = page.window()
    window.actions_by_id["undo"].trigger()  # type: ignore[attr-defined]
    assert board_of(page) == first
    assert [card.shown.state.id for card in page.board.cards.values()] == list(first)


def test_keys_keep_discard_bring_back_and_make_the_parent(page: VaryPage, qtbot: QtBot) -> None:
    cards = filled(page, qtbot)
    cards[1].setFocus()
    QTest.keyClick(cards[1], Qt.Key.Key_X)
    assert page.present.states[1].mark == DISCARDED
    assert not cards[1].play.isVisible()
    QTest.mouseClick(cards[1].left, LEFT)
    assert page.present.states[1].mark == ""
    QTest.keyClick(cards[1], Qt.Key.Key_Right)
    assert page.window().focusWidget() is cards[2]
    wanted = page.present.patch_of(page.present.states[2])
    QTest.keyClick(cards[2], Qt.Key.Key_Return)
    assert not difference(page.present.patch, wanted)
    assert page.present.family.now == page.present.states[2].id
    page._context.session.document.undo()
    assert not difference(page.present.patch, demo())


def test_a_card_plays_as_loud_as_its_parent_and_the_patch_rests_meanwhile(page: VaryPage, qtbot: QtBot) -> None:
    cards, session = filled(page, qtbot), page._context.session
    session.play()
    QTest.mouseClick(cards[0].play, LEFT)
    assert page.hearing.playing == cards[0].shown.state.id
    assert not session.playing
    QTest.mouseClick(cards[1], LEFT, pos=QPoint(100, 50))
    assert page.hearing.playing == cards[1].shown.state.id
    assert page.hearing.place_of(page.hearing.playing) > 0.3
    QTest.mousePress(page.kept.compare_box.hold, LEFT)
    assert page.hearing.playing == "parent"
    QTest.mouseRelease(page.kept.compare_box.hold, LEFT)
    assert page.hearing.playing == cards[1].shown.state.id
    qtbot.waitUntil(lambda: not page.hearing.playing, timeout=5000)
    assert session.playing
    session.pause()
    assert cards[0].shown.heard
    cards[1].setFocus()
    QTest.keyClick(cards[1], Qt.Key.Key_N)
    assert page.hearing.playing == cards[2].shown.state.id


def test_all_are_heard_in_a_row_but_the_discarded(page: VaryPage, qtbot: QtBot) -> None:
    cards = filled(page, qtbot)
    page.mark(cards[1].shown.state, DISCARDED)
    QTest.mouseClick(page.in_a_row, LEFT)
    qtbot.waitUntil(lambda: not page.hearing.playing and not page.in_a_row.isChecked(), timeout=15_000)
    assert [page.hearing.heard(card.shown.state) for card in cards] == [True, False, True, True]


def test_what_differs_is_listened_to_and_can_be_taken_alone(page: VaryPage, qtbot: QtBot) -> None:
    cards = filled(page, qtbot)
    cards[0].setFocus()
    found = page.comparison()
    assert found is not None
    qtbot.waitUntil(lambda: len(found[0].effects) == len(found[0].found) > 0, timeout=120_000)
    sizes = [effect.size_db for effect in found[0].effects.values()]
    assert max(sizes) > 0.0
    before, buttons = page.present.patch, page.differs.buttons
    name, button = next((name, button) for name, button in buttons.items() if name.startswith("Only this"))
    QTest.mouseClick(button, LEFT)
    changes = difference(before, page.present.patch)
    assert len(changes) == 1, name
    page._context.session.document.undo()
    rest = next(button for name, button in page.differs.buttons.items() if name.startswith("All but this"))
    QTest.mouseClick(rest, LEFT)
    assert len(difference(before, page.present.patch)) == len(found[0].found) - 1


def test_snapshots_are_kept_recalled_renamed_moved_replaced_and_removed(page: VaryPage, qtbot: QtBot) -> None:
    document, rows = page._context.session.document, page.kept.snapshots
    QTest.mouseClick(page.kept.keep, LEFT)
    set_param(document, *CUTOFF, 444.0)
    QTest.mouseClick(page.kept.keep, LEFT)
    first, second = (state.id for state in page.present.family.snapshots)
    assert rows.count() == 2
    rows.setCurrentRow(0)
    QTest.keyClick(rows, Qt.Key.Key_Return)
    assert not difference(page.present.patch, demo())
    QTest.keyClick(rows, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert [state.id for state in page.present.family.snapshots] == [second, first]
    edits.name_state(document, second, "Darker")
    assert rows.item(0).text() == "Darker"
    set_param(document, *CUTOFF, 333.0)
    edits.renew_snapshot(document, second)
    again = parse_patch(dump_patch(page.present.patch).encode())
    kept = patch_of_state(again.family, again.family.snapshots[0])
    assert kept.module(CUTOFF[0]).params["cutoff_hz"] == 333.0
    rows.setCurrentRow(0)
    QTest.keyClick(rows, Qt.Key.Key_Delete)
    assert [state.id for state in page.present.family.snapshots] == [first]
    document.undo()
    assert len(page.present.family.snapshots) == 2


def test_a_blend_goes_by_hand_by_time_and_becomes_a_named_control(page: VaryPage, qtbot: QtBot) -> None:
    document, blend = page._context.session.document, page.kept.blend
    start = page.present.patch.module(CUTOFF[0]).params["cutoff_hz"]
    edits.keep_snapshot(document, "Bright")
    set_param(document, *CUTOFF, start / 4.0)
    edits.keep_snapshot(document, "Dark")
    assert blend.told.text() == "1 glide, 0 switch or fade"
    blend.slider.setValue(500)
    assert page.present.patch.module(CUTOFF[0]).params["cutoff_hz"] == pytest.approx(start / 2.0)
    blend.seconds.setValue(1)
    QTest.mouseClick(blend.go, LEFT)
    qtbot.waitUntil(lambda: not blend.runs, timeout=5000)
    assert page.present.patch.module(CUTOFF[0]).params["cutoff_hz"] == pytest.approx(start / 4.0)
    assert document.undo_label == "Blend Bright and Dark"
    QTest.mouseClick(blend.control, LEFT)
    patch = page.present.patch
    (control,) = [module for module in patch.modules() if module.name == "Bright to Dark"]
    (link,) = patch.links_from(control.id)
    assert link.amount == pytest.approx(-2.0), "octaves"
    assert patch.module(CUTOFF[0]).params["cutoff_hz"] == start


def test_four_snapshots_blend_on_a_square(page: VaryPage, window: MainWindow) -> None:
    document = page._context.session.document
    for k in range(4):
        set_param(document, *CUTOFF, 200.0 * 2.0**k)
        edits.keep_snapshot(document, f"Corner {k}")
    QTest.mouseClick(page.kept.blend.square, LEFT)
    dialog = window.findChildren(SquareDialog)[-1]
    box = dialog.pad._box().toRect()
    QTest.mousePress(dialog.pad, LEFT, pos=box.center())
    QTest.mouseMove(dialog.pad, box.topRight())
    assert page.present.patch.module(CUTOFF[0]).params["cutoff_hz"] == pytest.approx(400.0, rel=0.02)
    QTest.mouseRelease(dialog.pad, LEFT, pos=box.center())
    middle = page.present.patch.module(CUTOFF[0]).params["cutoff_hz"]
    assert middle == pytest.approx(200.0 * 2.0**1.5, rel=0.02)
    QTest.keyClick(dialog.pad, Qt.Key.Key_Right)
    assert page.present.patch.module(CUTOFF[0]).params["cutoff_hz"] > middle
    document.undo()
    assert page.present.patch.module(CUTOFF[0]).params["cutoff_hz"] == middle
    document.undo()
    assert page.present.patch.module(CUTOFF[0]).params["cutoff_hz"] == 1600.0, "one drag, one step"
    dialog.reject()


def test_before_is_the_patch_as_it_was_kept_last(page: VaryPage, qtbot: QtBot, window: MainWindow) -> None:
    document, session = page._context.session.document, page._context.session
    edits.keep_snapshot(document, "Calm")
    set_param(document, *CUTOFF, 444.0)
    QTest.mousePress(page.kept.compare_box.hold, LEFT)
    assert session.trial.part == "before"
    QTest.mouseRelease(page.kept.compare_box.hold, LEFT)
    assert session.trial.part == ""
    assert page.present.patch.module(CUTOFF[0]).params["cutoff_hz"] == 444.0


def test_a_held_key_lets_before_be_heard_and_a_short_press_until_the_next(
    page: VaryPage, window: MainWindow, qtbot: QtBot
) -> None:
    document, session = page._context.session.document, page._context.session
    edits.keep_snapshot(document, "Calm")
    set_param(document, *CUTOFF, 444.0)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    QTest.keyPress(window, Qt.Key.Key_Y)
    assert session.trial.part == "before"
    QTest.keyRelease(window, Qt.Key.Key_Y)
    assert session.trial.part == "before"
    QTest.keyClick(window, Qt.Key.Key_Y)
    assert session.trial.part == ""
    QTest.keyPress(window, Qt.Key.Key_Y)
    qtbot.wait(500)
    QTest.keyRelease(window, Qt.Key.Key_Y)
    assert session.trial.part == ""


def test_nothing_free_says_why(page: VaryPage) -> None:
    page.choice.strength.setValue(0)
    assert not page.choice.more.isEnabled()
    assert page.choice.more.toolTip() == "Nothing may change at a strength of 0 %."
    page.choice.strength.setValue(35)
    for kind, button in page.choice.kinds.items():
        if kind != "space" and button.isChecked():
            QTest.mouseClick(button, LEFT)
    QTest.mouseClick(page.choice.kinds["space"], LEFT)
    assert page.desk.kinds == ("space",), "one kind at least is varied"
    page.desk.modules = frozenset({"drip-line-low-pass"})
    page.show_patch()
    assert "Nothing may change" in page.choice.more.toolTip()
    page.desk.modules = frozenset()
    for kind in ("pitch", "rhythm", "tone", "chance"):
        QTest.mouseClick(page.choice.kinds[kind], LEFT)


def test_a_set_goes_to_render_as_one_job(page: VaryPage, qtbot: QtBot, window: MainWindow) -> None:
    cards = filled(page, qtbot)
    page.mark(cards[1].shown.state, KEPT)
    page.mark(cards[3].shown.state, KEPT)
    wanted = [page.present.patch_of(page.present.states[k]) for k in (1, 3)]
    QTest.mouseClick(page.render_set, LEFT)
    job = window.page("render").settings.job
    assert job.seeds == (page.present.states[1].number, page.present.states[3].number)
    source = window.page("render")._source()
    for seed, patch in zip(job.seeds, wanted, strict=True):
        assert not difference(source.for_file(job, seed).patch, patch), "the file is of what was heard"
    alone = window.page("render").findChild(QPushButton, "seeds instead")
    QTest.mouseClick(alone, LEFT)
    assert window.page("render").settings.job.spread == 0.0
    window.show_workspace("vary")


def test_steering_fills_the_board_with_what_was_found(
    page: VaryPage, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(page.steering, "renders", 12)
    page.desk.modules = frozenset({"drip-line-low-pass"})
    page.steering.begin(page.present.sounding, {"darker": 1.0})
    page._timer.start(20)
    qtbot.waitUntil(lambda: not page.steering.runs, timeout=240_000)
    assert len(page.present.states) == 4
    assert all(difference(page.present.parent_patch, page.present.patch_of(state)) for state in page.present.states)
    assert page._context.session.document.undo_label == "Steer darker"
    page.desk.modules = frozenset()


def test_steering_that_cannot_be_leaves_the_board_as_it_is(
    page: VaryPage, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A drone has no onsets that could be fewer: nothing is put on the board, and why is told once."""
    drone = load_patch(starters()["seed-drone"])
    page._context.session.document.open(drone, None)
    page.desk.layers = tuple(layer.id for layer in drone.layers)
    page.show_patch()
    told = list[str]()
    monkeypatch.setattr(page._context, "tell", told.append)
    before = page.present.states
    page.steering.begin(page.present.sounding, {"sparser": 1.0})
    page._timer.start(20)
    qtbot.waitUntil(lambda: not page.steering.runs, timeout=240_000)
    assert page.present.states == before
    assert len(told) == 1
    assert told[0].startswith("Sparser: it has too few onsets in 3 s")


def test_both_themes_and_a_narrow_window(page: VaryPage, window: MainWindow, qtbot: QtBot) -> None:
    filled(page, qtbot)
    window.set_theme(DUSK)
    window.resize(1100, 700)
    qtbot.waitUntil(lambda: not page.right.isVisible(), timeout=3000)
    assert page.board._columns >= 3
    window.set_theme(NOON)
    window.resize(1280, 800)


def test_a_large_family_folds_what_led_to_nothing() -> None:
    states = [State("a", "First")]
    states += [State(f"s{k}", number=k, parent="a", mark=DISCARDED if k % 2 else KEPT) for k in range(1, 61)]
    rows, folded = in_rows(Family(tuple(states)))
    assert folded == 30
    assert len(rows) == 31
    assert rows[0] == (states[0], 0)
    small, none = in_rows(Family(tuple(states[:20])))
    assert (len(small), none) == (20, 0)
