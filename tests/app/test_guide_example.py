"""The guide's worked example, step by step in the real window; and every key that the guide names is a command's."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractButton, QInputDialog, QLabel
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import NOON
from dunefall.app.editing.modules import show_palette
from dunefall.app.editing.palette import Palette
from dunefall.app.shell.commands import gathered
from dunefall.app.shell.window import MainWindow
from dunefall.app.workspaces import WORKSPACES
from dunefall.app.workspaces.mix.commands import turn_send
from dunefall.catalogue import catalogue
from dunefall.catalogue.repeats import repeat_of_patch
from dunefall.catalogue.search import starter
from dunefall.engine.messages import EngineOptions
from dunefall.patch.library import starters
from dunefall.patch.mixing import effect_lanes
from dunefall.patch.model import SHARED_ID, Patch
from dunefall.session import Session
from dunefall.session.edits.mix import add_effect_lane

GUIDE = Path(__file__).parent.parent.parent / "docs" / "guide"


def add(window: MainWindow, qtbot: QtBot, text: str, told: str) -> str:
    """Type into the palette and press Enter; the notice says what was linked. Returns the new module."""
    if not (palettes := [p for p in window.findChildren(Palette) if p.isVisible()]):
        window.actions_by_id["add_module"].trigger()
        palettes = [window.findChildren(Palette)[-1]]
    qtbot.keyClicks(palettes[0].search, text)
    qtbot.keyClick(palettes[0].search, Qt.Key.Key_Return)
    assert told in window.notice.text()
    return window.selection.module


def set_value(window: MainWindow, qtbot: QtBot, port: str, text: str) -> None:
    rail = window.page("build").inspector.rails[port]
    rail.setFocus()
    qtbot.keyClick(rail, Qt.Key.Key_Return)
    assert rail._field is not None
    rail._field.selectAll()
    qtbot.keyClicks(rail._field, text)
    qtbot.keyClick(rail._field, Qt.Key.Key_Return)


def test_from_nothing_to_a_moving_soundscape(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    window = MainWindow(Session(Patch(), None, EngineOptions(audio="simulated")), NOON)
    window.show()
    qtbot.waitUntil(window.isVisible)
    session = window.session

    def layer(module: str, name: str) -> str:
        home = session.patch.layer_of(module)
        window.selection.select(home.output_id)
        monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: (name, True))
        window.actions_by_id["rename"].trigger()
        return home.id

    cloud = add(window, qtbot, "drone cloud", "into Drone cloud")
    set_value(window, qtbot, "pitch_note", "A1")
    tank = layer(cloud, "Tank")
    window.selection.select(cloud)
    low = add(window, qtbot, "filter", "behind Drone cloud")
    set_value(window, qtbot, "cutoff_hz", "400")
    add(window, qtbot, "smooth random", "moves cutoff of Filter")
    window.selection.select(low)
    add(window, qtbot, "lfo", "moves cutoff of Filter")
    set_value(window, qtbot, "rate_hz", "0.05")
    show_palette(window.context, SHARED_ID)
    scatter = add(window, qtbot, "scatter", "Scatter")
    assert session.patch.layer_of(scatter).id == SHARED_ID
    set_value(window, qtbot, "density_hz", "1.2 Hz")
    window.actions_by_id["add_layer"].trigger()
    body = add(window, qtbot, "struck body", "started by Scatter; into Struck body")
    drops = layer(body, "Drops")
    window.selection.select(body)
    add(window, qtbot, "random notes", "plays Struck body")
    for text, told in (("echo", "behind Struck body"), ("chance", "starts Struck body")):
        window.selection.select(body)
        add(window, qtbot, text, told)
    window.actions_by_id["mix"].trigger()
    add_effect_lane(session.document, "Wide hall", ("reverb",))
    lane = effect_lanes(session.patch)[0].id
    turn_send(window.context, drops, lane, -8.0)
    turn_send(window.context, tank, lane, -16.0)
    assert session.patch.module(cloud).params["pitch_note"] == 33
    assert repeat_of_patch(session.patch).short == "never"
    window.session.play()
    qtbot.waitUntil(lambda: window.header.meter.peaks_db[0] > -50, timeout=120_000)
    assert len(session.patch.links) >= 14
    session.document.mark_saved(None)
    window.close()


def test_keys_of_the_guide_are_those_of_the_commands() -> None:
    known = {command.key for command in gathered(WORKSPACES)} | {"Ctrl+C", "Enter", "G", "L", "N", "S"}
    for page in GUIDE.glob("*.md"):
        for key in re.findall(r"`((?:Ctrl\+|Alt\+|Shift\+)+[\w,]+|[A-Z])`", page.read_text()):
            assert key in known, f"{page.name}: {key}"


def test_links_of_the_guide_lead_somewhere() -> None:
    for page in GUIDE.glob("*.md"):
        for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
            assert (page.parent / target).exists(), f"{page.name}: {target}"


NAMES = re.compile(r"(?<!\*)\*([A-Z+][^*\n]+?)\*(?!\*)|\*\*([A-Z+][^*\n]+?)\*\*")
HEADINGS = re.compile(r"^\*\*[^*]+[.?:]?\*\*[.:]? ", re.M)


def texts_of_the_window(window: MainWindow) -> str:
    """What the window can show: its commands, its widgets, its modules and their values, and the texts in its code."""
    shown = [command.text for command in window.commands]
    shown += [widget.text() for kind in (QAbstractButton, QLabel) for widget in window.findChildren(kind)]
    for spec in catalogue().values():
        shown += [
            spec.name,
            f"New {spec.name}",
            *(port.name for port in (*spec.targets, *spec.outputs, *spec.series)),
            *spec.words,
        ]
        shown += [choice for param in spec.params for choice in param.choices]
        shown += [preset.name for preset in spec.presets]
    shown += [path.read_text() for path in (GUIDE.parent.parent / "src" / "dunefall" / "app").rglob("*.py")]
    shown += [path.read_text() for path in (GUIDE.parent.parent / "src" / "dunefall" / "catalogue").glob("*.py")]
    shown += [starter(name).title for name in starters()]
    return "\n".join(shown).lower()


def test_buttons_and_names_of_the_guide_are_in_the_window(demo_window: MainWindow) -> None:
    """Every *name* and **name** of the guide that is no heading of a paragraph can be read somewhere in the window."""
    known, missing = texts_of_the_window(demo_window), []
    for page in [*GUIDE.glob("*.md")]:
        text = HEADINGS.sub("", page.read_text())
        for match in NAMES.finditer(text):
            name = (match[1] or match[2]).strip(".:?").replace("**", "")
            if name.lower().rstrip("…") not in known and not ({name} & GIVEN):
                missing.append(f"{page.name}: {name}")
    assert not missing, "; ".join(missing)


GIVEN = {
    "Tank", "Drops", "Wide hall", "Repeats never", "Drag from the right edge of a card", "Let the palette do it",
    "Take 1", "Left 1", "2 ignored", "→ step 3",
}  # fmt: skip
"""What the worked example calls things, what is numbered, and what is only stressed."""
