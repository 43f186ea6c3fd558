"""Takes the pictures in docs/screenshots/ from the demo.

Called as `scripts/with-display .venv/bin/python scripts/take_screenshots.py`.
"""

from __future__ import annotations

import os
import time
from pathlib import Path

from PySide6.QtTest import QTest

os.environ["DUNEFALL_LANGUAGE"] = "en"  # whatever the desktop speaks

from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.editing.linkdialog import LinkDialog
from dunefall.app.editing.links import ask_link
from dunefall.app.editing.palette import Palette
from dunefall.app.shell.helppages import module_page
from dunefall.app.shell.helpwindow import HelpWindow
from dunefall.app.shell.hints import Hints
from dunefall.app.shell.preferencesdialog import PreferencesDialog
from dunefall.app.shell.start import make_app
from dunefall.app.shell.window import MainWindow
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.library import DEMO
from dunefall.session import Session, open_patch
from dunefall.session.edits.compounds import make_compound, new_compound, rename_compound

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
SECONDS = 20


def workspace_pictures(window: MainWindow, folder: Path, seconds: float) -> None:
    """Each workspace's own scene, after some seconds of sound, in Noon and in Dusk."""
    for workspace in window.workspaces.values():
        window.show_workspace(workspace.id)
        workspace.scene(window.context, window.page(workspace.id))
        QTest.qWait(round(seconds * 1000))
        if workspace.id == "vary":
            wait_for_looks(window, 10 * seconds)
        if workspace.id == "survey":
            wait_for_survey(window, 10 * seconds)
        for theme in (NOON, DUSK):
            window.set_theme(theme)
            QTest.qWait(min(500, round(seconds * 1000)))
            window.grab().save(str(folder / f"{workspace.id}-{theme.name}.png"))
    window.set_theme(NOON)


def wait_for_looks(window: MainWindow, most_s: float) -> None:
    """Until everything in Vary is rendered, and what differs was listened to, or so long; then one plays."""
    page, end = window.page("vary"), time.monotonic() + most_s
    for state in page.present.states[5:6]:
        page.choose(state)
    while page.desk.busy and time.monotonic() < end:
        QTest.qWait(100)
    for state in page.present.states[5:6]:
        page.play(state, 0.3)


def wait_for_survey(window: MainWindow, most_s: float) -> None:
    """Until three quarters are known and judged, or so long."""
    looking, end = window.page("survey").looking, time.monotonic() + most_s
    while time.monotonic() < end and looking.outlook.known.mean() < 0.75:
        QTest.qWait(100)
    looking.outlook.paused = True
    QTest.qWait(2500)


def palette_picture(window: MainWindow) -> None:
    """The palette with a search in plain words."""
    window.set_theme(NOON)
    window.selection.select("drip-line-low-pass")
    window.actions_by_id["add_module"].trigger()
    palette = window.findChild(Palette)
    palette.search.setText("random")
    palette.list.setCurrentRow(1)
    QTest.qWait(500)
    palette.grab().save(str(FOLDER / "palette-noon.png"))
    palette.reject()


def dialog_pictures(window: MainWindow) -> None:
    """What asks for a link, the preferences, the help, and the first of the five hints."""
    window.selection.select("drip-line-low-pass")
    ask_link(window.context, "cutoff_hz")
    link = window.findChildren(LinkDialog)[-1]
    window.actions_by_id["preferences"].trigger()
    preferences = window.findChildren(PreferencesDialog)[-1]
    QTest.qWait(500)
    for dialog, name in ((link, "link-noon"), (preferences, "preferences-noon")):
        dialog.grab().save(str(FOLDER / f"{name}.png"))
        dialog.reject()
    window.show_help(module_page("shape"), "Filter", ("Cutoff",))
    shown = window.findChild(HelpWindow)
    QTest.qWait(500)
    shown.grab().save(str(FOLDER / "help-noon.png"))
    shown.close()
    window.show_hints()
    QTest.qWait(500)
    window.grab().save(str(FOLDER / "first-start-noon.png"))
    for hints in window.findChildren(Hints):
        hints.close()


def compound_picture(window: MainWindow) -> None:
    """The fog's band and what moves it as a compound, opened."""
    session = window.session
    rename_compound(session.document, _made(window), "Fog body")
    window.actions_by_id["open_compound"].trigger()
    window.selection.select("fog-air-band")
    QTest.qWait(1500)
    window.grab().save(str(FOLDER / "compound-noon.png"))
    for _ in range(2):
        session.document.undo()


def _made(window: MainWindow) -> str:
    compound = new_compound(window.session.document, ("fog-air-drift", "fog-air-sway", "fog-air-band"))
    make_compound(window.session.document, compound)
    window.selection.select(compound.id)
    return compound.id


def main() -> None:
    """The workspaces in both themes, the palette, a compound, dialogs, the first start, Watch, a sequence."""
    app = make_app("noon")
    window = MainWindow(Session(*open_patch(DEMO), EngineOptions(audio="simulated")), NOON)
    window.show()
    while window.session.engine.status[Status.BLOCKS] == 0:
        QTest.qWait(50)
    workspace_pictures(window, FOLDER, SECONDS)
    window.show_workspace("build")
    build = window.page("build")
    window.selection.select("drip-line-low-pass")
    window.set_theme(DUSK)
    build.watch.choose("Spectrogram")
    QTest.qWait(SECONDS * 1000)
    build.watch.grab().save(str(FOLDER / "watch-dusk.png"))
    build.watch.choose("Scope")
    palette_picture(window)
    compound_picture(window)
    dialog_pictures(window)
    window.session.replace_document(*open_patch("starter:telemetry"))
    window.selection.look_again()
    window.selection.select("telemetry-word")
    build.watch.choose("Events")
    window.session.play()
    QTest.qWait(SECONDS * 1000)
    window.grab().save(str(FOLDER / "sequence-noon.png"))
    window.session.document.mark_saved(None)
    window.close()
    app.quit()


if __name__ == "__main__":
    main()
