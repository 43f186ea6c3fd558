"""The help in the window: the guide, the modules, the keys, what is new; F1 explains what has the keys."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt, QUrl
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from dunefall.app.controls.rail import Rail
from dunefall.app.shell.helppages import HELP, help_pages
from dunefall.app.shell.helpwindow import HelpWindow
from dunefall.app.shell.window import MainWindow
from dunefall.app.workspaces import WORKSPACES
from dunefall.catalogue import catalogue


@pytest.fixture
def opened(demo_window: MainWindow, qtbot: QtBot) -> HelpWindow:
    qtbot.waitExposed(demo_window)
    demo_window.show_help("README")
    made = demo_window.findChild(HelpWindow)
    assert isinstance(made, HelpWindow)
    return made


def chosen(help_window: HelpWindow) -> str:
    return help_window.browser.textCursor().selectedText()


def test_f1_explains_the_value_that_has_the_keys(demo_window: MainWindow, qtbot: QtBot) -> None:
    demo_window.show_workspace("build")
    demo_window.selection.select("drip-line-low-pass")
    rail = next(rail for rail in demo_window.findChildren(Rail) if rail.param.name == "Morph" and rail.isVisible())
    demo_window.activateWindow()
    rail.setFocus()
    qtbot.waitUntil(rail.hasFocus)
    qtbot.keyClick(rail, Qt.Key.Key_F1)
    shown = demo_window.findChild(HelpWindow)
    assert isinstance(shown, HelpWindow)
    assert shown.isVisible()
    assert chosen(shown) == "Morph"
    assert shown.list.currentItem().text() == "Shape: what a sound goes through"
    heading = next(text for text in blocks_before(shown) if text in {spec.name for spec in catalogue().values()})
    assert heading == "Filter"


def blocks_before(shown: HelpWindow) -> list[str]:
    """Texts of the blocks before the place that is chosen, the nearest first."""
    block, found = shown.browser.textCursor().block(), list[str]()
    while block.isValid():
        if block.blockFormat().headingLevel():
            found.append(block.text())
        block = block.previous()
    return found


@pytest.mark.parametrize("workspace", [workspace.id for workspace in WORKSPACES if workspace.id != "build"])
def test_elsewhere_f1_explains_the_workspace(demo_window: MainWindow, opened: HelpWindow, workspace: str) -> None:
    demo_window.show_workspace(workspace)
    demo_window.actions_by_id["explain"].trigger()
    title = next(page.title for page in help_pages((), str) if page.id == demo_window.shown.chapter)
    assert opened.list.currentItem().text() == title
    demo_window.show_workspace("build")


def test_every_list_of_a_page_is_laid_out(opened: HelpWindow) -> None:
    """Lines of a list had no height once."""
    opened.show_page("modules-shape", "Filter")
    layout, block = opened.browser.document().documentLayout(), opened.browser.document().begin()
    while block.isValid():
        assert not block.text() or layout.blockBoundingRect(block).height() > 5, block.text()
        block = block.next()


def test_pages_are_found_by_words_and_links_are_followed(opened: HelpWindow, qtbot: QtBot) -> None:
    opened.wanted.setText("bristow")
    titles = [opened.list.item(k).text() for k in range(opened.list.count())]
    assert 0 < len(titles) < 20
    opened.wanted.clear()
    opened.show_page("README")
    opened.browser.anchorClicked.emit(QUrl("5-vary.md"))
    assert opened.list.currentItem().text() == "Vary: from one good sound to a family"
    qtbot.mouseClick(opened.back, Qt.MouseButton.LeftButton)
    assert opened.list.currentItem().text() == "Overview"


def test_the_next_place_is_in_the_next_page(opened: HelpWindow, qtbot: QtBot) -> None:
    opened.wanted.setText("cutoff")
    seen = set()
    for _ in range(300):
        qtbot.keyClick(opened.wanted, Qt.Key.Key_Return)
        seen.add(opened.list.currentItem().text())
        assert opened.list.currentItem().text()
    assert len(seen) > 2
    opened.wanted.clear()


def test_keys_are_those_of_now(demo_window: MainWindow, opened: HelpWindow) -> None:
    demo_window.actions_by_id["keys"].trigger()
    told = opened.browser.toPlainText()
    for command in demo_window.commands:
        if key := demo_window.key_of(command.id):
            assert command.text in told
            assert key in told


def test_what_is_new_and_the_licences_are_told(demo_window: MainWindow, opened: HelpWindow) -> None:
    demo_window.actions_by_id["news"].trigger()
    assert opened.browser.toPlainText().startswith("Changelog")
    demo_window.actions_by_id["about"].trigger()
    told = opened.browser.toPlainText()
    for word in ("MIT License", "Open Font License", "PySide6-Essentials", "LGPL", "numpy"):
        assert word in told


def test_every_link_and_picture_of_the_help_is_there() -> None:
    for page in help_pages((), str):
        if page.file is None or page.id == "news":
            continue
        for target in {part.split(")")[0].split("#")[0] for part in page.text().split("](")[1:]}:
            if "://" not in target and target:
                assert (page.file.parent / target).exists(), f"{page.id}: {target}"
    assert (HELP / "LICENSE").exists()


def test_the_window_goes_with_its_parent(opened: HelpWindow, demo_window: MainWindow) -> None:
    assert opened.parent() is demo_window
    assert QApplication.activeModalWidget() is None
