"""Watch's views: what each shows of a known signal, the long course, overlay, compare, freeze."""

from __future__ import annotations

import time

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.watch.scope import COURSE_S, History
from dunefall.app.watch.watch import PLOTS, TIPS, Watch
from dunefall.app.watch.watchplots import (
    COLUMNS,
    GRAM_COLUMNS,
    GRAM_SECONDS,
    HIGH_HZ,
    LOW_HZ,
    Spectrogram,
    Spectrum,
    Tuner,
)
from dunefall.patch.model import Module, Patch, Place
from rig import patch_of, tone

RATE = 48000.0
PINNED = ("tone.out", "lfo.out", "notes.out", "clock.gate")


class Signals:
    """Stands in for the engine: known signals in the four probes."""

    def __init__(self) -> None:
        ramp = np.linspace(-1, 1, 600_000)
        notes = np.full(600_000, 60.25)
        gates = (np.arange(600_000) % 24_000 < 2400).astype(float)
        self.signals = [np.tile(tone(440.0, 1.0, level=0.5), 13)[:600_000], ramp, notes, gates]
        self.probed, self.places = 0, {}

    def trace(self, module: str, port: str = "") -> None:
        return None

    def set_probe(self, index: int, place: Place | None) -> None:
        self.places[index] = place

    def probe(self, index: int, samples: int) -> np.ndarray:
        return self.signals[index][-samples:].astype(np.float32)


def pinned() -> Patch:
    names = {"tone": "oscillator", "lfo": "lfo", "notes": "note-list", "clock": "clock", "a-output": "output"}
    modules = (Module(name, type_id, name.capitalize()) for name, type_id in names.items())
    patch = patch_of(*modules)
    return Patch(layers=patch.layers, links=patch.links, pins=tuple(Place(*pin.split(".")) for pin in PINNED))


@pytest.fixture
def watch(qtbot: QtBot) -> Watch:
    made = Watch(NOON, Signals(), RATE)
    made.resize(1200, 170)
    qtbot.addWidget(made)
    made.show_pins(pinned())
    made.show()
    return made


def test_every_view_shows_all_four_pins(watch: Watch) -> None:
    assert list(watch.views) == list(TIPS)
    for view in TIPS:
        watch.choose(view)
        watch.animate()
        watch.grab()
        shown = [name for name, plots in watch.plots.items() if any(plot.isVisible() for plot in plots)]
        assert shown == ([view] if view in PLOTS else [])
        assert watch.events.isVisible() == (view == "Events")
    assert all(len(plots) == 4 for plots in watch.plots.values())


def test_the_spectrum_has_its_peak_where_the_tone_is(watch: Watch) -> None:
    watch.choose("Spectrum")
    watch.animate()
    plot = watch.plots["Spectrum"][0]
    assert isinstance(plot, Spectrum)
    peak = int(np.argmax(plot.levels))
    assert LOW_HZ * (HIGH_HZ / LOW_HZ) ** ((peak + 0.5) / COLUMNS) == pytest.approx(440.0, rel=0.03)
    assert plot.levels[peak] == pytest.approx(-6.02, abs=1.5)  # half of full scale; a Hann window's scalloping
    assert np.median(plot.levels) < -80
    middle = plot.plot.center()
    plot._cursor = middle.toPointF()
    plot.grab()
    assert plot._x(plot._hz(middle.x())) == pytest.approx(middle.x())


def test_the_spectrogram_goes_on_to_the_left(watch: Watch) -> None:
    watch.choose("Spectrogram")
    plot = watch.plots["Spectrogram"][0]
    assert isinstance(plot, Spectrogram)
    columns = round(0.5 * GRAM_COLUMNS / GRAM_SECONDS)
    plot._shown_at = time.monotonic() - 0.5
    watch.animate()
    assert plot.levels[:, -columns:].max(axis=0).min() > -10
    assert plot.levels[:, : -columns - 3].max() <= -96


def test_the_tuner_names_the_note(watch: Watch) -> None:
    watch.choose("Tuner")
    watch.animate()
    tuners = [plot for plot in watch.plots["Tuner"] if isinstance(plot, Tuner)]
    assert tuners[0].told.startswith("A4 ")
    assert tuners[0].cents == pytest.approx(0.0, abs=0.2)
    assert tuners[2].told.startswith("C4 +25.0 ct"), "a pitch signal is a note already"
    assert "A4" in tuners[0].accessibleDescription()


def test_a_click_on_the_tuner_asks_for_the_step_that_makes_the_note(watch: Watch, qtbot: QtBot) -> None:
    watch.choose("Tuner")
    watch.animate()
    tuner, asked = watch.plots["Tuner"][2], list[tuple[Place, float]]()
    watch.step_asked.connect(lambda place, note: asked.append((place, note)))
    qtbot.mouseClick(tuner, Qt.MouseButton.LeftButton)
    tuner.setFocus()
    qtbot.keyClick(tuner, Qt.Key.Key_Return)
    assert len(asked) == 2
    assert asked[0][1] == pytest.approx(60.25, abs=0.01)


def test_ten_minutes_are_remembered(watch: Watch) -> None:
    source = watch._source
    for _ in range(10):
        source.probed += 480_000
        watch.remember()
    while watch.seconds < 600.0:
        watch.step_time_base(1)
    course = watch._course(1)
    assert len(course) == 2 * round(600 / COURSE_S)
    assert course[-200:].max() == pytest.approx(1.0, abs=1e-3)
    assert np.abs(course[: len(course) // 3]).max() == 0.0, "before that nothing was watched"
    watch.grab()


def test_a_course_keeps_every_peak_whatever_the_pieces() -> None:
    signal = np.random.default_rng(2).normal(size=50_000).astype(np.float32)
    once, bits = History(), History()
    once.add(signal, RATE)
    for at in range(0, 50_000, 777):
        bits.add(signal[at : at + 777], RATE)
    np.testing.assert_array_equal(once.last(1.0), bits.last(1.0))
    assert once.last(1.0).max() == signal[2000:48_000].max() or once.last(1.0).max() == signal[:48_000].max()


def test_overlay_compare_and_freeze(watch: Watch, qtbot: QtBot) -> None:
    watch.overlay.click()
    assert [scope.isVisible() for scope in watch.scopes] == [True, False, False, False]
    assert len(watch.scopes[0].over) == 3
    watch.animate()
    watch.grab()
    watch.overlay.click()
    watch.compare.click()
    before = watch.scopes[0]._kept
    assert before is not None
    watch._source.signals[0] = np.zeros(600_000)
    watch.freeze.click()
    watch.animate()
    assert np.abs(watch.scopes[0].samples).max() > 0.4, "frozen"
    watch.freeze.click()
    watch.animate()
    assert np.abs(watch.scopes[0].samples).max() == 0.0
    np.testing.assert_array_equal(watch.scopes[0]._kept, before)
    watch.set_theme(DUSK, pinned())
    assert not watch.compare.isChecked()


def test_the_cursor_tells_value_and_time(watch: Watch, qtbot: QtBot) -> None:
    watch.animate()
    scope = watch.scopes[1]
    qtbot.mouseMove(scope, QPoint(scope.plot.right() - 1, scope.plot.center().y()))
    qtbot.waitUntil(lambda: scope._cursor is not None, timeout=2000)
    ago, _, value = scope._told().partition("  ")
    assert ago.endswith(" ms")
    assert float(value) == pytest.approx(1.0, abs=0.03)
    scope._cursor = scope.plot.topLeft().toPointF()
    assert scope._told().startswith("−5.00 s")
