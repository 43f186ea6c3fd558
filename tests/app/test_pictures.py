"""The inspector's pictures: what they show, dragging them, and choosing a sound file, in the real window."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.editing.modules import use_sound
from dunefall.app.editing.sounddialog import SoundDialog
from dunefall.app.inspector.picture import Picture
from dunefall.app.shell.files import open_document
from dunefall.app.shell.window import MainWindow
from dunefall.base.errors import StorageError
from dunefall.catalogue import catalogue, spec_of
from dunefall.engine.messages import EngineOptions
from dunefall.patch.model import Module, Patch
from dunefall.render.portrait import portrait
from dunefall.session import Session, open_patch
from rig import add_module

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="module")
def window(qapp: QApplication) -> Iterator[MainWindow]:
    patch, path = open_patch("demo:")
    window = MainWindow(Session(patch, path, EngineOptions(audio="simulated")), NOON)
    window.show()
    yield window
    window.session.document.mark_saved(None)
    window.close()


def shown(spec_id: str, **params: float) -> Picture:
    spec = spec_of(spec_id)
    assert spec is not None
    module = Module("m", spec_id, "M", params)
    picture = Picture(spec, module, NOON)
    picture.resize(300, picture.height())
    picture.show_values(module, {param.id: params.get(param.id, param.default) for param in spec.params})
    if not picture.own:
        picture.show_portrait(portrait(spec, params, seconds=0.2 if spec.shows_as == "response" else None))
    return picture


def inked(picture: Picture, colour: str) -> np.ndarray:
    """Where the picture has nearly a colour of the theme."""
    image = picture.grab().toImage()
    wanted = NOON.colour(colour)
    found = np.zeros((image.height(), image.width()), bool)
    for y in range(image.height()):
        for x in range(image.width()):
            here = QColor(image.pixel(x, y))
            away = max(abs(a - b) for a, b in zip(here.getRgb()[:3], wanted.getRgb()[:3], strict=True))
            found[y, x] = away < 40
    return found


@pytest.mark.parametrize("spec", [s for s in catalogue().values() if not s.lane_end], ids=lambda spec: spec.id)
def test_every_module_has_a_picture(qapp: QApplication, spec) -> None:  # type: ignore[no-untyped-def]
    for theme in (NOON, DUSK):
        picture = Picture(spec, Module("m", spec.id, "M"), theme)
        picture.resize(300, picture.height())
        empty = picture.grab().toImage()
        picture.show_values(Module("m", spec.id, "M"), {param.id: param.default for param in spec.params})
        if not picture.own:
            picture.show_portrait(portrait(spec, seconds=0.2))
        assert not picture.grab().isNull()
        assert picture.own or picture.grab().toImage() != empty


def test_a_filters_curve_falls_at_its_cutoff(qapp: QApplication) -> None:
    """Flat on the left, at the bottom on the right; a higher cutoff falls further to the right."""

    def falls_at(cutoff: float) -> int:
        curve = inked(shown("filter", cutoff_hz=cutoff, resonance=0.0), "audio")
        heights = np.array([np.flatnonzero(column).min() if column.any() else 0 for column in curve.T])
        return int(np.argmax(heights > heights[20] + 25))

    assert 20 < falls_at(200.0) < falls_at(800.0) < falls_at(3200.0) < 280


def test_a_cursor_stands_where_its_value_is_and_can_be_dragged(qapp: QApplication, qtbot: QtBot) -> None:
    picture = shown("sample-player", begin=0.25, end=0.75)
    qtbot.addWidget(picture)
    columns = inked(picture, "text").sum(axis=0)
    left, right = (8 + share * 284 for share in (0.25, 0.75))
    found = np.flatnonzero(columns > 60)
    assert abs(found.min() - left) <= 2
    assert abs(found.max() - right) <= 2
    moved: list[dict[str, float]] = []
    picture.moved.connect(moved.append)
    qtbot.mousePress(picture, LEFT, pos=QPoint(round(right) - 5, 50))
    qtbot.mouseMove(picture, QPoint(8 + 142, 50))
    with qtbot.waitSignal(picture.settled):
        qtbot.mouseRelease(picture, LEFT, pos=QPoint(8 + 142, 50))
    assert {name for values in moved for name in values} == {"end"}
    assert moved[-1]["end"] == pytest.approx(0.5, abs=0.01)


def test_a_missing_file_is_told_in_the_picture(qapp: QApplication) -> None:
    from dunefall.patch.model import SoundRef

    spec = spec_of("grain-player")
    assert spec is not None
    picture = Picture(spec, Module("m", spec.id, "M", sound=SoundRef("/gone.wav", "0" * 32)), NOON)
    picture.resize(300, picture.height())
    assert inked(picture, "hot").any()


def test_tables_stand_in_perspective_and_the_position_moves(qapp: QApplication) -> None:
    rows = [np.flatnonzero(inked(shown("wavetable", table=4.0, position=p), "text")[:108].any(axis=1)).mean()
            for p in (0.0, 0.5, 1.0)]  # fmt: skip
    assert rows[0] > rows[1] + 10 > rows[2] + 20  # from the front below to the back above


def test_dragging_the_response_sets_cutoff_and_resonance(window: MainWindow, qtbot: QtBot) -> None:
    """One drag is one undo step; the curve comes from the engine in reserve."""
    window.selection.select("fog-air-band")
    picture = window.page("build").inspector.picture
    assert picture is not None
    before = window.session.patch.module("fog-air-band").params
    qtbot.waitUntil(lambda: picture._portrait is not None, timeout=60_000)
    qtbot.mousePress(picture, LEFT, pos=QPoint(150, 70))
    qtbot.mouseMove(picture, QPoint(150, 60))
    qtbot.mouseRelease(picture, LEFT, pos=QPoint(150, 40))
    after = window.session.patch.module("fog-air-band").params
    share = (150 - picture._box.left()) / picture._box.width()
    assert after["cutoff_hz"] == pytest.approx(20 * 1000**share, rel=0.02)
    assert after["resonance"] > before["resonance"]
    window.session.document.undo()
    assert window.session.patch.module("fog-air-band").params == before


def test_choosing_a_sound_file(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Chosen, named, undone; a file that is no sound is told in a dialog and changes nothing."""
    soundfile.write(tmp_path / "gulls.wav", np.random.default_rng(1).uniform(-0.4, 0.4, 48000), 48000)
    module = add_module(window.session.document, "fog-air", "sample-player").module
    window.selection.select(module)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "gulls.wav"), ""))
    choose = next(b for b in window.page("build").inspector.findChildren(QPushButton) if b.text() == "Choose file…")
    qtbot.mouseClick(choose, LEFT)
    qtbot.waitUntil(lambda: window.session.patch.module(module).sound is not None, timeout=10_000)
    assert any(label.text() == "gulls.wav" for label in window.page("build").inspector.findChildren(QLabel))
    (tmp_path / "text.wav").write_text("this is no sound at all")
    before = window.session.patch
    use_sound(window.context, tmp_path / "text.wav")
    qtbot.waitUntil(lambda: any(box.isVisible() for box in window.findChildren(QMessageBox)), timeout=10_000)
    box = next(box for box in window.findChildren(QMessageBox) if box.isVisible())
    assert "text.wav is not a sound file Dunefall can read" in box.informativeText()
    box.close()
    assert window.session.patch == before
    remove = next(b for b in window.page("build").inspector.findChildren(QPushButton) if b.text() == "Remove")
    qtbot.mouseClick(remove, LEFT)
    assert window.session.patch.module(module).sound is None
    for _ in range(3):
        window.session.document.undo()
    assert module not in {m.id for m in window.session.patch.modules()}


def test_opening_a_patch_whose_sound_is_gone(window: MainWindow, qtbot: QtBot) -> None:
    from dunefall.patch.model import Layer, SoundRef

    lost = Module("m", "sample-player", "Gulls", sound=SoundRef("/gone/gulls.wav", "0" * 32))
    patch = Patch(layers=(Layer("shared", "Shared", (lost,)),))
    open_document(window.context, patch, None)
    qtbot.waitUntil(lambda: any(box.isVisible() for box in window.findChildren(QMessageBox)), timeout=10_000)
    box = next(box for box in window.findChildren(QMessageBox) if box.isVisible())
    assert "“Gulls” is silent" in box.informativeText()
    box.close()
    assert window.session.patch == patch


def test_reading_can_be_cancelled_and_errors_are_kept(qapp: QApplication, qtbot: QtBot) -> None:
    def slow(report) -> None:  # type: ignore[no-untyped-def]
        for k in range(10_000):
            time.sleep(0.002)
            report(k, 10_000)

    dialog = SoundDialog("Reading…", slow)
    qtbot.addWidget(dialog)
    dialog.begin()
    qtbot.waitUntil(dialog.isVisible, timeout=5000)  # shows itself as it takes a while
    with qtbot.waitSignal(dialog.rejected, timeout=5000):
        qtbot.mouseClick(dialog.stop, LEFT)
    assert dialog.error == ""

    def bad(report) -> None:  # type: ignore[no-untyped-def]
        raise StorageError("gulls.wav is empty")

    dialog = SoundDialog("Reading…", bad)
    qtbot.addWidget(dialog)
    with qtbot.waitSignal(dialog.rejected, timeout=5000):
        dialog.begin()
    assert dialog.error == "gulls.wav is empty"
