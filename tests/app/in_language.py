"""Walks through the window in one language and prints, as JSON, which texts are cut and which escaped translation.

Run by ``test_languages.py``, as a process has one language: ``in_language.py de``. What escaped is told for ``pseudo``.
"""

from __future__ import annotations

import json
import os
import re
import sys
from collections.abc import Iterator
from pathlib import Path

os.environ["DUNEFALL_LANGUAGE"] = sys.argv[1]
sys.path.insert(0, str(Path(__file__).parent.parent))  # its own folder is there already

from PySide6.QtGui import QAction, QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QKeySequenceEdit,
    QLabel,
    QLineEdit,
    QMenu,
    QScrollBar,
    QTabBar,
    QTabWidget,
    QTextEdit,
    QWidget,
)
from test_fit import cut_texts, overlaps

from dunefall.app.controls import painting
from dunefall.app.controls.theme import NOON
from dunefall.app.shell.start import make_app
from dunefall.app.shell.window import MainWindow
from dunefall.app.watch.watch import NAMES
from dunefall.engine.messages import EngineOptions
from dunefall.session import Session, open_patch

WITH_MENUS = ("drip-line-low-pass", "gesture-1")  # links; a drawn series
DIALOGS = ("preferences", "devices", "add", "move_this", "find_command", "randomise", "voices")
BRACKETS = re.compile(r"⟦[^⟦⟧]*⟧")
MARKUP = re.compile(r"<[^>]*>|&\w+;")
ALIKE = re.compile(
    r"\b(?:k?Hz|m?s|min|h|dB|dBFS|dBTP|LUFS|LU|BPM|st|ct|oct|px|bit|JACK|OSC|MIDI|WAV|FLAC|Ogg|Opus|MB|Dunefall|MIT"
    r"|Noon|Dusk|English|Deutsch|日本語|Ctrl|Shift|Alt|Esc|Space|Return|Del|Home|End|wav|Python|Qt|IBM Plex|LFO"
    r"|ADSR|FM)\b"
)
"""Units, formats, keys and names that all languages write alike."""
NOT_OURS = (QLineEdit, QLabel, QScrollBar, QAbstractSpinBox, QTextEdit)
"""Whose menus Qt makes."""
REASON = QContextMenuEvent.Reason.Mouse
painted: dict[str, str] = {}
opened: set[str] = set()


def record(text: str, font: object, width: float) -> str:
    """In the place of what cuts painted texts to their room."""
    painted.setdefault(text, "painted")
    return text


def texts(root: QWidget) -> Iterator[tuple[str, str]]:
    """Every text of a widget and what is in it, with where it stands; what Qt makes itself is left out."""
    for widget in [root, *root.findChildren(QWidget)]:
        kind, parent = type(widget).__name__, widget.parentWidget()
        if isinstance(parent, QDialogButtonBox | QKeySequenceEdit | QTabBar):
            continue
        if isinstance(widget, QLabel | QAbstractButton):
            yield widget.text(), kind
        elif isinstance(widget, QComboBox):
            yield from ((widget.itemText(k), kind) for k in range(widget.count()))
        elif isinstance(widget, QLineEdit):
            yield widget.placeholderText(), kind
        elif isinstance(widget, QTabWidget):
            yield from ((widget.tabText(k), kind) for k in range(widget.count()))
        for text in (widget.toolTip(), widget.accessibleName(), widget.accessibleDescription(), widget.windowTitle()):
            yield text, f"{kind}, told"
    yield from ((action.text(), "a menu") for action in root.findChildren(QAction))


def menus(root: QWidget) -> Iterator[tuple[str, str]]:
    """Every text of the menus that a right click opens."""
    for widget in root.findChildren(QWidget):
        if not widget.isVisible() or isinstance(widget, NOT_OURS):
            continue
        if isinstance(widget, QAbstractItemView):
            widget.setCurrentIndex(widget.model().index(0, 0))
        middle = widget.rect().center()
        QApplication.sendEvent(widget, QContextMenuEvent(REASON, middle, widget.mapToGlobal(middle)))
        while isinstance(menu := QApplication.activePopupWidget(), QMenu):
            opened.add(type(widget).__name__)
            yield from ((action.text(), f"a menu of {type(widget).__name__}") for action in menu.findChildren(QAction))
            menu.close()
            QApplication.processEvents()


def own_names(window: MainWindow) -> list[str]:
    """Names that the user gives, the longest first, and the words of which they are painted in lines."""
    patch = window.session.patch
    names = {patch.title, *(layer.name for layer in patch.layers), *(module.name for module in patch.modules())}
    names |= {compound.name for compound in patch.compounds} | {moment.name for moment in patch.moments}
    names |= {take.name for take in patch.takes} | {state.name for state in patch.family.states}
    names |= {word for name in names for word in name.split() if len(word) > 3}
    return sorted(filter(None, names), key=len, reverse=True)


def left_over(text: str, names: list[str]) -> str:
    """What of a text is neither translated nor a name, a number or a unit."""
    if text.startswith("/"):
        return ""
    text, before = re.sub(r"\w+…", "", MARKUP.sub("", text)), ""  # a word that is cut is told whole elsewhere
    for name in names:
        text = re.sub(re.escape(name), "", text, flags=re.IGNORECASE)
    while text != before:
        before, text = text, BRACKETS.sub(" ", text)
    return " ".join(re.findall(r"[^\W\d_]{2,}", ALIKE.sub("", text)))


def walk(window: MainWindow, tries: int) -> tuple[dict[str, str], list[str]]:
    """All texts, and which are cut or lie over each other at the smallest size."""
    found: dict[str, str] = {}
    wrong: list[str] = []

    def look(root: QWidget, where: str) -> None:
        faults = list[str]()
        for _ in range(tries):
            faults = cut_texts(root) + overlaps(root)
            if not faults:
                break
            QTest.qWait(50)
        wrong.extend(f"{where}: {fault}" for fault in faults)
        found.update(pair for pair in texts(root) if pair[0])

    for name in window.workspaces:
        window.show_workspace(name)
        QTest.qWait(150)
        look(window, name)
        found.update(pair for pair in menus(window) if pair[0])
    window.show_workspace("build")
    for layer in window.session.patch.layers:
        for module in layer.modules:
            window.selection.select(module.id)
            QApplication.processEvents()
            found.update(pair for pair in texts(window) if pair[0])
            if module.id in WITH_MENUS:
                found.update(pair for pair in menus(window) if pair[0])
    for view in NAMES:
        window.page("build").watch.choose(view)
        look(window, f"Watch, {view}")
    window.selection.select("drip-line-low-pass")
    found.update((action.text(), f"the command {name}") for name, action in window.actions_by_id.items())
    for name in DIALOGS:
        if (action := window.actions_by_id.get(name)) is None:
            continue
        action.trigger()
        QTest.qWait(100)
        for widget in QApplication.topLevelWidgets():
            if widget is not window and widget.isVisible():
                look(widget, f"the dialog of {name}")
                widget.reject() if isinstance(widget, QDialog) else widget.close()
    return found, wrong


def main() -> None:
    """Print what is wrong."""
    make_app("noon")
    pseudo = sys.argv[1] == "pseudo"
    if pseudo:
        painting.elided = record
    window = MainWindow(Session(*open_patch("demo:"), EngineOptions(audio="simulated")), NOON)
    window.resize(1100, 700)
    window.show()
    found, cut = walk(window, 0 if pseudo else 40)
    names, escaped = own_names(window), dict[str, str]()
    if pseudo:
        both = {**found, **painted}
        escaped = {text: f"{place}: {rest}" for text, place in both.items() if (rest := left_over(text, names))}
    print(
        json.dumps({"cut": sorted(set(cut)), "escaped": escaped, "menus": sorted(opened)}, ensure_ascii=False, indent=0)
    )
    sys.stdout.flush()
    window.session.close()
    os._exit(0)


if __name__ == "__main__":
    main()
