"""Opens everything in the pseudo-language and prints, as JSON, every text that is shown without its brackets.

Run by ``test_languages.py``: a process has one language.
"""

from __future__ import annotations

import json
import os
import re
import sys
from collections.abc import Iterator
from pathlib import Path

os.environ["DUNEFALL_LANGUAGE"] = "pseudo"
sys.path.insert(0, str(Path(__file__).parent.parent))

from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QGroupBox,
    QLabel,
    QLineEdit,
    QTabWidget,
    QWidget,
)

from dunefall.app.controls import painting
from dunefall.app.shell.start import make_app
from dunefall.app.shell.window import MainWindow
from dunefall.app.watch.watch import NAMES
from dunefall.engine.messages import EngineOptions
from dunefall.session import Session, open_patch

BRACKETS = re.compile(r"⟦[^⟦⟧]*⟧")
MARKUP = re.compile(r"<[^>]*>|&\w+;")
NO_WORDS = re.compile(
    r"(?:(?<![^\W\d_])(?:k?Hz|m?s|min|h|dB|dBFS|dBTP|LUFS|LU|BPM|st|ct|oct|m|px|kHz|bit|L|R|[A-G]♯?\d?|JACK|OSC|MIDI|WAV"
    r"|FLAC|Ogg|Opus|MB|mid|csv|b|Q|x|s²|A|B|C|D|e|t)(?![^\W\d_]))"
)
"""Units, names of notes and formats, which all languages write alike."""
painted: dict[str, str] = {}


def record(text: str, font: object, width: float) -> str:
    """In the place of what cuts painted texts to their room."""
    painted.setdefault(text, "painted")
    return text


def told(root: QWidget) -> Iterator[tuple[str, str]]:
    """Every text of a widget and what is in it, with where it stands."""
    for widget in [root, *root.findChildren(QWidget)]:
        kind = type(widget).__name__
        if isinstance(widget, QLabel | QAbstractButton):
            yield widget.text(), kind
        elif isinstance(widget, QComboBox):
            yield from ((widget.itemText(k), kind) for k in range(widget.count()))
        elif isinstance(widget, QLineEdit):
            yield widget.placeholderText(), kind
        elif isinstance(widget, QTabWidget):
            yield from ((widget.tabText(k), kind) for k in range(widget.count()))
        elif isinstance(widget, QGroupBox):
            yield widget.title(), kind
        for text in (widget.toolTip(), widget.accessibleName(), widget.accessibleDescription(), widget.windowTitle()):
            yield text, f"{kind}, told"
    yield from ((action.text(), "a menu") for action in root.findChildren(QAction))


def own_names(window: MainWindow) -> list[str]:
    """Names that the user gives, the longest first."""
    patch = window.session.patch
    names = {patch.title, *(layer.name for layer in patch.layers), *(module.name for module in patch.modules())}
    names |= {compound.name for compound in patch.compounds} | {moment.name for moment in patch.moments}
    names |= {take.name for take in patch.takes} | {state.name for state in patch.family.states}
    names |= {control.name for compound in patch.compounds for control in compound.controls}
    return sorted(filter(None, names), key=len, reverse=True)


def left_over(text: str, names: list[str]) -> str:
    """What of a text is neither translated nor a name, a number or a unit."""
    for name in names:
        text = re.sub(re.escape(name), "", text, flags=re.IGNORECASE)
    before = ""
    while text != before:
        before, text = text, BRACKETS.sub("", text)
    text = NO_WORDS.sub("", MARKUP.sub("", text))
    return " ".join(re.findall(r"[^\W\d_]{2,}", text))


def main() -> None:
    """Walk through the window and its dialogs."""
    app = make_app("noon")
    painting.elided = record
    window = MainWindow(Session(*open_patch("demo:"), EngineOptions(audio="simulated")), window_theme())
    window.resize(1280, 800)
    window.show()
    found: dict[str, str] = {}

    def look() -> None:
        QTest.qWait(150)
        found.update(pair for pair in told(window) if pair[0])

    for name in window.workspaces:
        window.show_workspace(name)
        look()
    window.show_workspace("build")
    for module in window.session.patch.modules():
        window.selection.select(module.id)
        app.processEvents()
        found.update(pair for pair in told(window) if pair[0])
    for view in NAMES:
        window.page("build").watch.choose(view)
        look()
    window.selection.select("drip-line-low-pass")
    for name, action in window.actions_by_id.items():
        found[action.text()] = f"the command {name}"
    for name in ("preferences", "devices", "add", "move_this", "find_command", "randomise", "voices", "help_guide"):
        action = window.actions_by_id.get(name)
        if action is None:
            continue
        action.trigger()
        QTest.qWait(100)
        for widget in QApplication.topLevelWidgets():
            if widget is not window and widget.isVisible():
                found.update(pair for pair in told(widget) if pair[0])
                if isinstance(widget, QDialog):
                    widget.reject()
    names = own_names(window)
    wrong = {text: (place, rest) for text, place in (*found.items(), *painted.items()) if (rest := left_over(text, names))}
    print(json.dumps(wrong, ensure_ascii=False, indent=0))
    sys.stdout.flush()
    window.session.close()
    os._exit(0)


def window_theme() -> object:
    """The light one."""
    from dunefall.app.controls.theme import NOON

    return NOON


if __name__ == "__main__":
    main()
