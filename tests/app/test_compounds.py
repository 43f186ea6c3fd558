"""Compounds in the real window: made of marked cards, opened, changed, linked, copied, kept and found again."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QComboBox, QFileDialog, QLineEdit, QMenu, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from dunefall.app.editing.compounddialog import CompoundDialog
from dunefall.app.editing.compounds import offer_changes
from dunefall.app.editing.linkdialog import LinkDialog
from dunefall.app.editing.palette import Palette
from dunefall.app.shell.window import MainWindow
from dunefall.catalogue.compounds import Face
from dunefall.patch.compounds import compound_of, modules_in
from dunefall.patch.model import Compound, Place
from dunefall.patch.userlibrary import UserLibrary
from dunefall.session.edits.compounds import make_compound, new_compound, rename_compound
from dunefall.session.edits.links import remove_link
from dunefall.session.edits.modules import set_params
from rig import add_layer, add_module

LEFT, SHIFT = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier
PARTS = ("fog-air-drift", "fog-air-sway", "fog-air-band")


@pytest.fixture
def window(demo_window: MainWindow, qtbot: QtBot, tmp_path: Path) -> Iterator[MainWindow]:
    patch = demo_window.session.patch
    demo_window.activateWindow()
    qtbot.waitUntil(demo_window.isActiveWindow)
    demo_window.context.library = UserLibrary(tmp_path / "library")
    yield demo_window
    demo_window.selection.select("")
    demo_window.session.document.edit("Back", patch)
    assert not demo_window.selection.opened


def click(window: MainWindow, qtbot: QtBot, part: str, modifier: Qt.KeyboardModifier | None = None) -> None:
    window.page("build").canvas._scroll_to(part)
    point = window.page("build").canvas.card_rect(part).center()
    qtbot.mouseClick(window.page("build").canvas.viewport(), LEFT, modifier or Qt.KeyboardModifier.NoModifier, point)


def made(window: MainWindow) -> Compound:
    """The demo's fog with its band and what moves it as one compound, selected."""
    compound = replace(
        new_compound(window.session.document, PARTS), name="Fog body", about="Moves a band through the noise."
    )
    make_compound(window.session.document, compound)
    window.selection.select(compound.id)
    return compound


def field(dialog: CompoundDialog, name: str) -> QLineEdit:
    return next(x for x in dialog.findChildren(QLineEdit) if x.accessibleName() == name)


def answer(monkeypatch: pytest.MonkeyPatch, button: QMessageBox.StandardButton) -> list[str]:
    """Questions are answered so; what was asked."""
    asked: list[str] = []

    def question(*args: object, **_: object) -> QMessageBox.StandardButton:
        asked.append(str(args[2]))
        return button

    monkeypatch.setattr(QMessageBox, "question", question)
    return asked


def test_marked_cards_become_one_module_by_mouse_and_keys(window: MainWindow, qtbot: QtBot) -> None:
    click(window, qtbot, PARTS[0])
    for part in PARTS[1:]:
        click(window, qtbot, part, SHIFT)
    engine = window.session.engine
    before = engine._patch
    qtbot.keyClick(window, Qt.Key.Key_C)
    dialog = window.findChildren(CompoundDialog)[-1]
    assert dialog.name.text() == "Band group"
    dialog.name.setText("Fog body")
    dialog.about.setText("Moves a band through the noise.")
    cutoff = field(dialog, "Name of Band: Cutoff")
    cutoff.setText("Height")
    low = field(dialog, "Lowest of Band: Cutoff")
    low.setFocus()
    low.selectAll()
    qtbot.keyClicks(low, "90")
    qtbot.keyClick(dialog, Qt.Key.Key_Return)
    assert not dialog.isVisible()
    chosen = window.selection.module
    face = window.selection.seen.module(chosen)
    assert isinstance(face, Face)
    assert face.spec is not None
    assert face.spec.param("fog-air-band.cutoff_hz").name == "Height"
    assert face.spec.param("fog-air-band.cutoff_hz").low == 90.0
    assert window.page("build").canvas.card_rect(chosen).isValid()
    assert not window.page("build").canvas.card_rect(PARTS[0]).isValid()
    assert "Made of Drift, Sway and Band" in window.page("build").inspector.story.text.text()
    assert engine._patch.layers == before.layers  # what sounds has not changed
    window.session.document.undo()
    assert window.page("build").canvas.card_rect(PARTS[0]).isValid()
    assert window.session.patch.compounds == ()


def test_what_a_dialog_is_about_may_change_while_it_is_open(window: MainWindow, qtbot: QtBot) -> None:
    click(window, qtbot, PARTS[0])
    for part in PARTS[1:]:
        click(window, qtbot, part, SHIFT)
    qtbot.keyClick(window, Qt.Key.Key_C)
    late = window.findChildren(CompoundDialog)[-1]
    made(window)
    qtbot.keyClick(late, Qt.Key.Key_Return)
    assert "cannot be one compound any more" in window.notice.kept[-1].text
    found = window.session.patch.compounds[-1]
    qtbot.keyClick(window, Qt.Key.Key_C, SHIFT)
    late = window.findChildren(CompoundDialog)[-1]
    window.selection.select("")
    window.session.document.undo()
    qtbot.keyClick(late, Qt.Key.Key_Return)
    assert window.notice.kept[-1].text.startswith(f"{found.name} has been removed")


def test_it_opens_and_closes_by_mouse_and_keys(window: MainWindow, qtbot: QtBot) -> None:
    compound = made(window)
    box = window.page("build").canvas.card_rect(compound.id)
    qtbot.mouseDClick(window.page("build").canvas.viewport(), LEFT, pos=box.center())
    assert window.selection.opened == {compound.id}
    assert all(window.page("build").canvas.card_rect(part).isValid() for part in PARTS)
    assert window.selection.module in PARTS
    assert any(b.text() == "▾ in Fog body" for b in window.page("build").inspector.findChildren(QPushButton))
    lane = next(lane for lane in window.page("build").canvas.still.layout.lanes if lane.mats)
    label = window.page("build").canvas.still.label_rect(lane.mats[0]).center().toPoint()
    view = QPoint(label.x() - window.page("build").canvas.still.dx, label.y() - window.page("build").canvas.still.dy)
    qtbot.mouseClick(window.page("build").canvas.viewport(), LEFT, pos=view)
    assert window.selection.opened == frozenset()
    assert window.selection.module == compound.id
    qtbot.keyClick(window, Qt.Key.Key_O)
    assert window.selection.opened == {compound.id}
    qtbot.keyClick(window, Qt.Key.Key_O)
    assert window.selection.opened == frozenset()
    assert window.selection.module == compound.id


def test_its_controls_move_what_is_in_it(window: MainWindow, qtbot: QtBot) -> None:
    compound = made(window)
    rail = window.page("build").inspector.rails["fog-air-band.cutoff_hz"]
    rail.moved.emit(500.0)
    assert window.session.patch.module("fog-air-band").params["cutoff_hz"] == 500.0
    assert window.page("build").inspector.rails["fog-air-band.cutoff_hz"].value == 500.0
    qtbot.waitUntil(
        lambda: (
            window.page("build").inspector._values.value_now("fog-air-band.cutoff_hz", window.session.engine)
            is not None
        ),
        timeout=5000,
    )
    window.page("build").inspector.wishes.lock_asked.emit("fog-air-band.cutoff_hz")
    assert window.session.patch.module("fog-air-band").locked == {"cutoff_hz"}
    row = next(row for row in window.page("build").inspector.rows.values() if row.link.source.module == "gusts-1")
    row.changed.emit(replace(row.link, amount=0.7))
    assert window.session.patch.link(row.link.id) == replace(row.link, amount=0.7, target=row.link.target.inner)
    assert compound_of(window.session.patch, compound.id) is not None


def test_its_description_can_be_changed(window: MainWindow, qtbot: QtBot) -> None:
    compound = made(window)
    window.actions_by_id["edit_compound"].trigger()
    dialog = window.findChildren(CompoundDialog)[-1]
    box = next(x for x in dialog.findChildren(QComboBox) if x.accessibleName() == "Add a control")
    place = box.findText("Band: Resonance")
    box.activated.emit(place)
    count = len(compound.controls) + 1
    assert len(dialog._controls) == count
    field(dialog, "Name of Band: Resonance").setText("Edge")
    next(b for b in dialog.findChildren(QPushButton) if b.accessibleName() == "Leave out Sway: Rate").click()
    high = field(dialog, "Highest of Band: Cutoff")
    high.selectAll()
    qtbot.keyClicks(high, "loud")
    dialog.take()
    assert dialog.isVisible()
    assert dialog._trouble.text()
    high.selectAll()
    qtbot.keyClicks(high, "2 kHz")
    dialog.take()
    names = [control.name for control in window.session.patch.compounds[0].controls]
    assert names == ["Band: Cutoff", "Drift: Rate", "Edge"]
    assert window.session.patch.compounds[0].controls[0].high == 2000.0
    assert "fog-air-band.resonance" in window.page("build").inspector.rails
    window.session.document.undo()
    assert window.session.patch.compounds[0].controls == compound.controls


def test_what_is_done_to_a_module_is_done_to_a_compound(window: MainWindow, qtbot: QtBot) -> None:
    compound = made(window)
    patch = window.session.patch.with_module(replace(window.session.patch.module("fog-air-sway"), bypassed=True))
    window.session.document.edit("Rest", patch)
    qtbot.keyClick(window, Qt.Key.Key_B)
    assert all(window.session.patch.module(part).bypassed for part in PARTS)
    qtbot.keyClick(window, Qt.Key.Key_B)
    assert [window.session.patch.module(part).bypassed for part in PARTS] == [False, True, False]
    qtbot.keyClick(window, Qt.Key.Key_P)
    assert Place("fog-air-band", "low") in window.session.patch.pins
    rename_compound(window.session.document, compound.id, "Murk")
    assert "Murk" in window.page("build").inspector.story.text.text()
    window.actions_by_id["duplicate"].trigger()
    copy = window.selection.module
    assert copy != compound.id
    assert window.session.patch.compounds[-1].name == "Murk 2"
    assert len(modules_in(window.session.patch, (copy,))) == len(PARTS)
    window.actions_by_id["remove"].trigger()
    assert [x.id for x in window.session.patch.compounds] == [compound.id]
    window.selection.select(compound.id)
    before = window.session.patch
    window.actions_by_id["vary_a_little"].trigger()
    assert before.module("fog-air-band").params != window.session.patch.module("fog-air-band").params
    window.actions_by_id["hear"].trigger()
    assert window.session.engine._patch.links_into("fog-air-output", "audio")[0].source == Place("fog-air-band", "low")
    window.actions_by_id["hear"].trigger()
    window.actions_by_id["remove"].trigger()
    assert window.session.patch.compounds == ()
    healed = [str(x.source) for x in window.session.patch.links_into("fog-air-swell", "audio")]
    assert healed == ["fog-air-noise.out"]


def test_links_are_drawn_to_it_and_searched_in_it(window: MainWindow, qtbot: QtBot) -> None:
    compound = made(window)
    window.page("build").take_drawn_link("tide-1", compound.id, QPoint(10, 10))
    menu = next(m for m in window.findChildren(QMenu) if m.isVisible())
    action = next(a for a in menu.actions() if a.text() == "Sway: Rate")
    action.trigger()
    menu.close()
    assert [str(x.source) for x in window.session.patch.links_into("fog-air-sway")] == ["tide-1.out"]
    assert window.selection.module == compound.id
    window.actions_by_id["find"].trigger()
    dialog = window.findChildren(LinkDialog)[-1]
    qtbot.keyClicks(dialog.search, "sway")
    dialog.take()
    assert window.selection.module == "fog-air-sway"  # the compound in which it stands was opened
    assert window.selection.opened == {compound.id}
    window.selection.press_compound(compound.id)
    window.actions_by_id["find"].trigger()
    dialog = window.findChildren(LinkDialog)[-1]
    qtbot.keyClicks(dialog.search, "fog body")
    dialog.take()
    assert window.selection.module == compound.id


def test_what_is_added_inside_stands_inside(window: MainWindow, qtbot: QtBot) -> None:
    compound = made(window)
    window.selection.press_compound(compound.id)
    window.selection.select("fog-air-band")
    window.actions_by_id["add_module"].trigger()
    palette = window.findChildren(Palette)[-1]
    qtbot.keyClicks(palette.search, "phaser")
    palette.take()
    assert window.selection.module in window.session.patch.compounds[0].parts
    window.selection.press_compound(compound.id)


def test_kept_in_the_library_and_found_again(window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    compound = made(window)
    qtbot.waitUntil(lambda: window.session.engine.trace("fog-air-band", "low") is not None, timeout=5000)
    window.actions_by_id["keep_compound"].trigger()
    assert window.context.library.files() == ("fog-body.dunefall",)
    window.selection.select("drip-line-low-pass")
    window.actions_by_id["add_module"].trigger()
    palette = window.findChildren(Palette)[-1]
    qtbot.keyClicks(palette.search, "fog body")
    assert palette.entry is not None
    assert palette.entry.stage == "compound"
    assert palette.entry.picture is not None
    assert "behind Low-pass" in palette.told.text()
    palette.take()
    copy = compound_of(window.session.patch, window.selection.module)
    assert copy is not None
    assert copy.name == "Fog body 2"
    assert window.session.patch.layer_of(copy.parts[0]).id == "drip-line"
    # One is changed and kept anew: the other one is asked about, and stays as it is until it may change.
    window.selection.press_compound(compound.id)
    asked = answer(monkeypatch, QMessageBox.StandardButton.No)
    set_params(window.session.document, "fog-air-sway", {"rate_hz": 0.9})
    window.actions_by_id["keep_compound"].trigger()
    assert len(asked) == 1
    assert "Fog body 2" in asked[0]
    other = modules_in(window.session.patch, (copy.id,))
    assert 0.9 not in [window.session.patch.module(m).params.get("rate_hz") for m in other]
    asked = answer(monkeypatch, QMessageBox.StandardButton.Yes)
    set_params(window.session.document, "fog-air-band", {"resonance": 0.55})
    offer_changes(window.context)
    inside = [window.session.patch.module(m) for m in modules_in(window.session.patch, (copy.id,))]
    resonances = [module.params.get("resonance") for module in inside]
    assert 0.55 not in resonances  # what is not in the library yet is not taken
    assert "Take changes from the library" in window.session.document.undo_label
    window.selection.press_compound(compound.id)


def test_a_file_of_somebody_else_is_taken_in(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made(window)
    other = UserLibrary(tmp_path / "theirs")
    other.save(window.session.patch, window.session.patch.compounds[0], None)
    path = other.folder / "fog-body.dunefall"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, **__: (str(path), ""))
    for _ in range(2):
        window.actions_by_id["take_in"].trigger()
    assert window.context.library.files() == ("fog-body-2.dunefall", "fog-body.dunefall")
    assert "Fog body is now in your library" in window.notice.text()
    path.write_text("{}")
    window.actions_by_id["take_in"].trigger()
    box = next(box for box in window.findChildren(QMessageBox) if box.isVisible())
    assert "fog-body.dunefall cannot be opened" in box.informativeText()
    box.close()


def test_what_cannot_be_one_is_told(window: MainWindow) -> None:
    window.selection.select("")
    window.actions_by_id["compound"].trigger()
    assert "select what is to be one compound" in window.notice.text()
    window.selection.select("fog-air-band")
    window.selection.mark("drip-line-low-pass")
    window.actions_by_id["compound"].trigger()
    assert "one layer" in window.notice.text()
    window.actions_by_id["take_apart"].trigger()
    assert "Select a compound first" in window.notice.text()
    compound = made(window)
    window.actions_by_id["take_apart"].trigger()
    assert window.session.patch.compounds == ()
    assert window.selection.module in compound.parts


def test_a_library_that_cannot_be_written_is_told(window: MainWindow, tmp_path: Path) -> None:
    made(window)
    (tmp_path / "file").write_text("")
    window.context.library = UserLibrary(tmp_path / "file" / "library")
    window.actions_by_id["keep_compound"].trigger()
    box = next(box for box in window.findChildren(QMessageBox) if box.isVisible())
    assert "cannot make the folder" in box.informativeText()
    box.close()
    assert window.session.patch.compounds[0].library == ""


def test_an_open_compound_that_is_looked_for_shows_its_first_module(window: MainWindow, qtbot: QtBot) -> None:
    """Ctrl+F lists it, and it has no card while it is open: an exception ended the search."""
    compound = made(window)
    window.selection.press_compound(compound.id)
    assert compound.id in window.selection.opened
    window.selection.reveal(compound.id)
    assert window.selection.module == compound.parts[0]
    window.selection.press_compound(compound.id)
    window.selection.reveal(compound.id)
    assert window.selection.module == compound.id


def test_all_of_a_layer_is_selected_where_it_is_closed_or_empty(window: MainWindow, qtbot: QtBot) -> None:
    """Ctrl+A on a layer of which no module is shown ended in an error; closed compounds were left out."""
    compound = made(window)
    window.selection.select("fog-air-output")
    qtbot.keyClick(window, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    assert compound.id in window.selection.chosen
    assert "fog-air-noise" in window.selection.chosen
    head = add_layer(window.session.document, "Bare")
    window.selection.select(head)
    qtbot.keyClick(window, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    assert window.selection.module == head
    assert "Bare has no modules" in window.notice.text()


def test_a_module_is_added_beside_a_compound_without_outputs(window: MainWindow, qtbot: QtBot) -> None:
    """Its ways were looked for beside a module of the compound's own name, and the palette raised."""
    document = window.session.document
    noise = add_module(document, "fog-air", "noise").module
    for link in document.patch.links_from(noise):
        remove_link(document, link.id)
    bare = replace(new_compound(document, (noise,)), name="Bare", ports=())
    make_compound(document, bare)
    window.selection.select(bare.id)
    window.actions_by_id["add_module"].trigger()
    palette = window.findChildren(Palette)[-1]
    qtbot.keyClicks(palette.search, "low-pass")
    qtbot.keyClick(palette.search, Qt.Key.Key_Return)
    assert window.session.patch.module(window.selection.module).type == "filter"
