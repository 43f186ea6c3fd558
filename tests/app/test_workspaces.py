"""A workspace is one declaration: a toy one from outside is found wherever the others are."""

from __future__ import annotations

import runpy
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible, QImage
from PySide6.QtWidgets import QApplication, QLabel, QMenu
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import NOON, Theme
from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Workspace
from dunefall.app.shell.commanddialog import CommandDialog
from dunefall.app.shell.window import MainWindow
from dunefall.app.workspaces import WORKSPACES
from dunefall.cli import manual_parser
from dunefall.engine.messages import EngineOptions
from dunefall.patch.model import Patch
from dunefall.session import Session, open_patch
from rig import demo

SCRIPT = Path(__file__).parents[2] / "scripts" / "take_screenshots.py"


class ToyPage(QLabel):
    """A page that notes what it is told."""

    def __init__(self, context: Context) -> None:
        super().__init__("A toy")
        self.setAccessibleName("Toy page")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.context, self.heard, self.listening, self.theme = context, [], False, context.theme
        self.frames = self.patches = self.selections = self.wound = 0

    def show_patch(self) -> None:
        self.patches += 1

    def show_selection(self) -> None:
        self.selections += 1

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme

    def listen(self, on: bool) -> None:
        self.listening = on

    def follow(self) -> None:
        pass

    def animate(self) -> None:
        self.frames += 1

    def hear(self, message: object) -> None:
        self.heard.append(message)

    def take_focus(self) -> None:
        self.setFocus()


def wind(context: Context) -> None:
    context.shell.page("toy").wound += 1


TOY = Workspace(
    "toy", "Toy", "Ctrl+9", "A workspace for this test", ToyPage,
    (Command("wind", "Wind the toy", "Ctrl+Alt+9", "View", wind),), lambda _: ("fog-air-noise",),
    "There is nothing to play with yet.", lambda context, page: page.setText(f"Of {context.session.patch.title}"),
)  # fmt: skip


@pytest.fixture(scope="module")
def window(qapp: QApplication) -> Iterator[MainWindow]:
    made = MainWindow(Session(*open_patch("demo:"), EngineOptions(audio="simulated")), NOON, None, (*WORKSPACES, TOY))
    made.show()
    made.activateWindow()
    yield made
    made.session.document.mark_saved(None)
    made.close()


def test_it_is_in_the_header_the_menus_and_on_its_key(window: MainWindow, qtbot: QtBot) -> None:
    page = window.page("toy")
    assert [button.text() for button in window.header.workspaces.values()][-1] == "Toy"
    assert "Ctrl+9" in window.header.workspaces["toy"].toolTip()
    texts = [action.text() for menu in window.findChildren(QMenu) for action in menu.actions()]
    assert "Toy workspace" in texts
    assert "Wind the toy" in texts
    qtbot.waitUntil(window.isActiveWindow)
    qtbot.keyClick(window, Qt.Key.Key_9, Qt.KeyboardModifier.ControlModifier)
    assert page.isVisible()
    assert page.listening
    assert page.hasFocus()
    qtbot.keyClick(window, Qt.Key.Key_9, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    assert page.wound == 1
    window.header.workspaces["build"].click()
    assert not page.isVisible()
    assert not page.listening


def test_its_commands_are_found_by_words(window: MainWindow, qtbot: QtBot) -> None:
    page, wound = window.page("toy"), window.page("toy").wound
    window.actions_by_id["commands"].trigger()
    dialog = window.findChildren(CommandDialog)[-1]
    dialog.search.setText("wind toy")
    qtbot.keyClick(dialog.search, Qt.Key.Key_Return)
    assert page.wound == wound + 1


def test_it_is_told_what_happens(window: MainWindow, qtbot: QtBot) -> None:
    page = window.page("toy")
    patches, chosen = page.patches, page.selections
    window.selection.select("fog-air-band")
    assert page.selections == chosen + 1
    window.actions_by_id["bypass"].trigger()
    assert page.patches == patches + 1
    window.session.document.undo()
    window.show_workspace("toy")
    assert window.session.engine._watched == ("fog-air-noise",)
    qtbot.waitUntil(lambda: page.frames > 5, timeout=60_000)
    assert page.heard
    window.set_theme(NOON)
    assert page.theme is NOON


def test_it_is_walked_by_screen_readers(window: MainWindow, qtbot: QtBot) -> None:
    window.show_workspace("toy")
    found = []

    def walk(part: object) -> None:
        for k in range(part.childCount()):
            child = part.child(k)
            if child is not None:
                found.append(child.text(QAccessible.Text.Name))
                walk(child)

    walk(QAccessible.queryAccessibleInterface(window))
    assert "Toy page" in found


def test_it_is_in_the_pictures(window: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    script = runpy.run_path(str(SCRIPT))
    script["workspace_pictures"](window, tmp_path, 0.1)
    assert {path.name for path in tmp_path.iterdir()} == {
        f"{name}-{theme}.png"
        for name in ("build", "mix", "vary", "survey", "render", "toy")
        for theme in ("noon", "dusk")
    }
    assert QImage(str(tmp_path / "toy-dusk.png")).width() == round(window.width() * window.header.devicePixelRatioF())
    assert window.page("toy").text() == "Of Sluice House, 03:00"


@pytest.mark.parametrize("name", ["build", "mix", "toy"])
def test_an_empty_patch_says_what_to_do_first(window: MainWindow, name: str) -> None:
    window.session.replace_document(Patch(), None)
    window.selection.look_again()
    window.show_workspace(name)
    assert window.empty.isVisible()
    assert window.empty.text() == window.workspaces[name].empty
    window.session.replace_document(demo(), None)
    window.selection.look_again()
    assert not window.empty.isVisible()


def test_the_title_has_the_room_that_is_left(window: MainWindow, qtbot: QtBot) -> None:
    """Shortened in a narrow window, and whole again in a usual one, also when it says that the patch is not saved."""
    title = window.session.patch.title
    window.resize(1100, 700)
    window.header.show_title(f"{title} again", True)
    qtbot.waitUntil(lambda: "…" in window.header.title.text())
    window.header.show_title(title, True)
    window.resize(1280, 800)
    qtbot.waitUntil(lambda: title in window.header.title.text())
    qtbot.waitUntil(lambda: window.header.title.width() >= window.header.title.sizeHint().width())


def test_the_command_line_names_all_of_them() -> None:
    names = ", ".join(workspace.id for workspace in WORKSPACES)
    assert f"the workspace to open: {names} --osc" in " ".join(manual_parser().format_help().split())
