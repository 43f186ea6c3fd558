"""Text is never cut and nothing overlaps, at all sizes, at larger scales, in both themes; everything has a name."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest
from PySide6.QtCore import QPoint, QRect
from PySide6.QtGui import QTextDocument
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QLabel,
    QLineEdit,
    QPushButton,
    QSlider,
    QWidget,
)

from dunefall.app.controls import painting
from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.editing.compounddialog import CompoundDialog
from dunefall.app.editing.linkdialog import LinkDialog
from dunefall.app.editing.palette import Palette
from dunefall.app.editing.randomisedialog import RandomiseDialog
from dunefall.app.listening.devicedialog import DeviceDialog
from dunefall.app.shell.preferencesdialog import PreferencesDialog
from dunefall.app.shell.start import make_app
from dunefall.app.shell.window import MainWindow
from dunefall.app.workspaces import WORKSPACES
from dunefall.base.preferences import Preferences
from dunefall.catalogue.joining import Joined
from dunefall.catalogue.search import Entry
from dunefall.engine.messages import EngineOptions
from dunefall.patch.model import Patch
from dunefall.session import Session, open_patch
from dunefall.session.edits.compounds import make_compound, new_compound

SIZES = ((1100, 700), (1280, 800), (2560, 1440))


def plain(text: str) -> str:
    """A label's text without its markup and mnemonics."""
    document = QTextDocument()
    document.setHtml(text) if "<" in text else document.setPlainText(text)
    return document.toPlainText().replace("&", "")


def cut_texts(root: QWidget) -> list[str]:
    """Texts of visible labels, buttons and fields that have less room than they need."""
    found = []
    for widget in [root, *root.findChildren(QWidget)]:
        if not widget.isVisible() or not widget.width():
            continue
        metrics = widget.fontMetrics()
        if isinstance(widget, QLabel) and widget.text() and widget.pixmap().isNull():
            text = plain(widget.text())
            if widget.wordWrap():
                need = metrics.boundingRect(QRect(0, 0, widget.width(), 9999), 0x1000, text).height()
                fits = need <= widget.height() + 2
            else:
                fits = max(metrics.horizontalAdvance(line) for line in text.split("\n")) <= widget.width() + 1
        elif isinstance(widget, QAbstractButton) and widget.text():
            text = plain(widget.text())
            need = metrics.horizontalAdvance(text) + widget.iconSize().width() * (not widget.icon().isNull())
            need = widget.sizeHint().width() - 1 if isinstance(widget, QPushButton) else need
            fits = need <= widget.width() and metrics.height() <= widget.height() + 2
        elif isinstance(widget, (QLineEdit, QComboBox)):
            text = widget.text() if isinstance(widget, QLineEdit) else widget.currentText()
            fits = metrics.horizontalAdvance(text) <= widget.width()
        else:
            continue
        if not fits and widget.sizePolicy().horizontalPolicy().name != "Ignored":  # elided on purpose, with a tooltip
            found.append(f"{type(widget).__name__} “{text}” in {widget.width()}x{widget.height()}")
    return found


def shown_box(widget: QWidget, root: QWidget) -> QRect:
    """The part of a widget that is seen: what scrolls is cut by what it scrolls in."""
    box, here = QRect(widget.mapTo(root, QPoint(0, 0)), widget.size()), widget
    while here is not root:
        here = here.parentWidget()
        box &= QRect(here.mapTo(root, QPoint(0, 0)), here.size())
    return box


def overlaps(root: QWidget) -> list[str]:
    """Pairs of visible labels, buttons and fields that lie over each other."""
    kinds = (QLabel, QAbstractButton, QLineEdit, QComboBox)
    seen = [w for w in root.findChildren(QWidget) if isinstance(w, kinds) and w.isVisible() and w.width()]
    boxes = [(w, shown_box(w, root)) for w in seen]
    found = []
    for k, (a, box) in enumerate(boxes):
        for b, other in boxes[k + 1 :]:
            common = box & other
            inside = a.isAncestorOf(b) or b.isAncestorOf(a)
            if not inside and a.window() is b.window() and common.width() > 1 and common.height() > 1:
                found.append(f"{a.__class__.__name__} {box} and {b.__class__.__name__} {other}")
    return found


def nameless(root: QWidget) -> list[str]:
    """Visible controls that a screen reader could not name."""
    kinds = (QAbstractButton, QLineEdit, QComboBox, QSlider)
    return [
        f"{type(w).__name__} at {w.geometry()}"
        for w in root.findChildren(QWidget)
        if isinstance(w, kinds) and w.isVisible() and w.objectName() != "qt_spinbox_lineedit"
        and not (w.accessibleName() or (isinstance(w, QAbstractButton) and w.text()) or w.toolTip())
        and not w.objectName().startswith("qt_")
    ]  # fmt: skip


def faults(root: QWidget) -> list[str]:
    """All that is wrong once the layout has settled, for which it gets ten seconds on a busy machine."""
    for _ in range(200):
        found = cut_texts(root) + overlaps(root) + nameless(root)
        if not found:
            break
        QTest.qWait(50)
    return found


@pytest.fixture
def window(demo_window: MainWindow) -> MainWindow:
    return demo_window


@pytest.mark.parametrize("size", SIZES, ids=lambda size: f"{size[0]}x{size[1]}")
@pytest.mark.parametrize("theme", [NOON, DUSK], ids=lambda theme: theme.name)
def test_nothing_is_cut_in_build_and_mix(window: MainWindow, size: tuple[int, int], theme: object) -> None:
    window.set_theme(theme)  # type: ignore[arg-type]
    window.resize(*size)
    window.show_workspace("build")
    for module in ("", "drip-line-low-pass", "fog-air-output", "buoy-bell-output"):
        window.selection.select(module)
        QTest.qWait(30)
        assert faults(window) == [], module
    for view in window.page("build").watch.views:
        window.page("build").watch.choose(view)
        QTest.qWait(10)
        assert faults(window) == [], view
    window.show_workspace("mix")
    for module in ("fog-air-output", "buoy-bell-output"):
        window.selection.select(module)
        window.page("mix").field.drawing = module == "buoy-bell-output"
        for _ in range(2):
            window.page("mix").animate()
        QTest.qWait(30)
        assert faults(window) == [], module
    window.page("mix").field.drawing = False


def test_nothing_is_cut_where_the_sound_is_late_and_a_compound_is_shown(window: MainWindow) -> None:
    window.resize(1100, 700)
    window.show_workspace("build")
    before = window.session.patch
    make_compound(window.session.document, new_compound(window.session.document, ["fog-air-drift", "fog-air-band"]))
    compound = window.session.patch.compounds[0].id
    for part in (compound, "fog-air-band"):
        window.selection.reveal(part)
        window.header.show_load(1.0, 12345)
        assert cut_texts(window.header) == []
        assert faults(window) == [], part
    window.selection.select("")
    window.session.document.edit("Back", before)


@pytest.mark.parametrize("size", SIZES[:2], ids=lambda size: f"{size[0]}x{size[1]}")
def test_what_is_painted_is_not_cut(window: MainWindow, size: tuple[int, int], monkeypatch: pytest.MonkeyPatch) -> None:
    """But for names that a user may make longer than any place."""
    painted, shorten = dict[str, str](), painting._elided

    def watched(text: str, font: str, room: float) -> str:
        painted[text] = shorten(text, font, room)
        return painted[text]

    monkeypatch.setattr(painting, "_elided", watched)
    patch = window.session.patch
    names = [patch.title, *(layer.name for layer in patch.layers), *(module.name for module in patch.modules())]
    window.resize(*size)
    for workspace in WORKSPACES:
        window.show_workspace(workspace.id)
        window.selection.select("drip-line-low-pass")
        views = window.page("build").watch.views if workspace.id == "build" else [""]
        for view in views:
            if view:
                window.page("build").watch.choose(view)
            QTest.qWait(50)
            window.grab()
    assert len(painted) > 100
    cut = [text for text, shown in painted.items() if shown != text and not any(name in text for name in names)]
    assert cut == []


def three_ways(entry: Entry) -> list[Joined]:
    return [Joined(Patch(), "", entry.sentence)] * 3


@pytest.mark.parametrize("theme", [NOON, DUSK], ids=lambda theme: theme.name)
def test_nothing_is_cut_in_the_dialogs(window: MainWindow, theme: object) -> None:
    window.set_theme(theme)  # type: ignore[arg-type]
    patch, engine = window.session.patch, window.session.engine
    compound = new_compound(window.session.document, ["fog-air-drift", "fog-air-band"])
    dialogs: list[QDialog] = [
        Palette("Add to Fog air", NOON, three_ways, lambda _: None, (), window),
        CompoundDialog(patch, compound, window, new=True),
        LinkDialog(patch, "What moves cutoff of Low-pass?", engine, NOON, window),
        RandomiseDialog("12 modules", window), PreferencesDialog(Preferences(), window.commands, window),
        DeviceDialog(window.session.options, window),
    ]  # fmt: skip
    for dialog in dialogs:
        dialog.show()
        QTest.qWait(20)
        assert faults(dialog) == [], dialog.windowTitle()
        dialog.close()


def test_the_walk_finds_what_is_wrong(qapp: QApplication) -> None:
    root = QWidget()
    for text, x, width in (("A text that needs its room", 0, 40), ("Another", 20, 200)):
        label = QLabel(text, root)
        label.setGeometry(x, 0, width, 20)
    QLineEdit(root).setGeometry(0, 40, 50, 20)
    root.show()
    assert len(cut_texts(root)) == 1
    assert len(overlaps(root)) == 1
    assert len(nameless(root)) == 1
    root.close()


def main() -> None:
    """All of the window at the scale that the environment asks for; prints what is wrong."""
    app = make_app("noon")
    window = MainWindow(Session(*open_patch("demo:"), EngineOptions(audio="simulated")), NOON)
    window.resize(1280, 720)
    window.show()
    found = [f"scale {window.pages.devicePixelRatioF():g}"]
    for workspace in (workspace.id for workspace in WORKSPACES):
        window.show_workspace(workspace)
        window.selection.select("drip-line-low-pass")
        QTest.qWait(50)
        found += faults(window)
    window.session.document.mark_saved(None)
    window.close()
    print("\n".join(found))
    app.quit()


@pytest.mark.parametrize("scale", ["1.25", "1.5", "2"])
def test_nothing_is_cut_at_larger_scales(scale: str) -> None:
    """As a desktop asks for them, the fractional ones as well."""
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen", "QT_SCALE_FACTOR": scale}
    done = subprocess.run([sys.executable, __file__], capture_output=True, text=True, env=environment, timeout=300)
    assert done.stdout.strip() == f"scale {scale}", done.stdout + done.stderr


if __name__ == "__main__":
    main()
