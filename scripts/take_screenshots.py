"""Takes the pictures in docs/screenshots/ from the demo.

Called as `scripts/with-display .venv/bin/python scripts/take_screenshots.py`.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtTest import QTest

from dunefall.app.hints import Hints
from dunefall.app.start import make_app
from dunefall.app.theme import DUSK, NOON
from dunefall.app.widgets.linkdialog import LinkDialog
from dunefall.app.widgets.palette import Palette
from dunefall.app.widgets.preferencesdialog import PreferencesDialog
from dunefall.app.window import MainWindow
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.library import DEMO
from dunefall.session import Session, open_patch

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
SECONDS = 20


def in_both_themes(window: MainWindow, name: str) -> None:
    """A picture of what is shown in Noon, and one in Dusk."""
    for theme in (NOON, DUSK):
        window.set_theme(theme)
        QTest.qWait(500)
        window.grab().save(str(FOLDER / f"{name}-{theme.name}.png"))


def palette_picture(window: MainWindow) -> None:
    """The palette with a search in plain words."""
    window.set_theme(NOON)
    window.canvas.select("drip-line-low-pass")
    window.add_module()
    palette = window.findChild(Palette)
    palette.search.setText("random")
    palette.list.setCurrentRow(1)
    QTest.qWait(500)
    palette.grab().save(str(FOLDER / "palette-noon.png"))
    palette.reject()


def dialog_pictures(window: MainWindow) -> None:
    """What asks for a link, the preferences, and the first of the five hints."""
    window.canvas.select("drip-line-low-pass")
    window.ask_link("cutoff_hz")
    link = window.findChildren(LinkDialog)[-1]
    window.ask_preferences()
    preferences = window.findChildren(PreferencesDialog)[-1]
    QTest.qWait(500)
    for dialog, name in ((link, "link-noon"), (preferences, "preferences-noon")):
        dialog.grab().save(str(FOLDER / f"{name}.png"))
        dialog.reject()
    window.show_hints()
    QTest.qWait(500)
    window.grab().save(str(FOLDER / "first-start-noon.png"))
    for hints in window.findChildren(Hints):
        hints.close()


def compound_picture(window: MainWindow) -> None:
    """The fog's band and what moves it as a compound, opened."""
    session = window.session
    session.rename_compound(_made(window), "Fog body")
    window.toggle_compound()
    window.canvas.select("fog-air-band")
    QTest.qWait(1500)
    window.grab().save(str(FOLDER / "compound-noon.png"))
    for _ in range(2):
        session.document.undo()


def _made(window: MainWindow) -> str:
    compound = window.session.new_compound(("fog-air-drift", "fog-air-sway", "fog-air-band"))
    window.session.make_compound(compound)
    window.canvas.select(compound.id)
    return compound.id


def main() -> None:
    """Build and Mix in both themes, the palette, a compound, dialogs, the first start, Watch, a sequence."""
    app = make_app("noon")
    window = MainWindow(Session(*open_patch(DEMO), EngineOptions(audio="simulated")), NOON)
    window.show()
    while window.session.engine.status[Status.BLOCKS] == 0:
        QTest.qWait(50)
    window.canvas.select("drip-line-low-pass")
    QTest.qWait(SECONDS * 1000)
    in_both_themes(window, "build")
    window.watch.choose("Spectrogram")
    QTest.qWait(SECONDS * 1000)
    strip = window.watch.grab()
    strip.save(str(FOLDER / "watch-dusk.png"))
    window.watch.choose("Scope")
    palette_picture(window)
    compound_picture(window)
    dialog_pictures(window)
    window.show_workspace("mix")
    window.canvas.select("buoy-bell-output")
    QTest.qWait(SECONDS * 1000)
    in_both_themes(window, "mix")
    window.show_workspace("build")
    window.set_theme(NOON)
    window.session.replace_document(*open_patch("starter:telemetry"))
    window.show_patch(window.session.patch, window.session.patch)
    window.canvas.select("telemetry-word")
    window.watch.choose("Events")
    window.play()
    QTest.qWait(SECONDS * 1000)
    window.grab().save(str(FOLDER / "sequence-noon.png"))
    window.session.document.mark_saved(None)
    window.close()
    app.quit()


if __name__ == "__main__":
    main()
