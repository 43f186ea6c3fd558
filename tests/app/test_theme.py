"""Contrast by WCAG 2.2, fonts, layout rules."""

from __future__ import annotations

import math

import pytest
from PySide6.QtGui import QColor, QFontInfo
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from dunefall.app.controls.theme import DUSK, NOON, Theme, mono, sans
from dunefall.app.shell.guard import guard_overrides
from dunefall.app.workspaces.build.layout import CARD_H, CARD_W, is_delayed, lay_out
from dunefall.patch.model import Link, Module, Place
from rig import demo, patch_of


def luminance(colour: QColor) -> float:
    """WCAG 2.2, relative luminance."""
    parts = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in colour.getRgbF()[:3]]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def contrast(a: QColor, b: QColor) -> float:
    """WCAG 2.2, contrast ratio."""
    lighter, darker = sorted((luminance(a), luminance(b)), reverse=True)
    return (lighter + 0.05) / (darker + 0.05)


def mixed(a: QColor, b: QColor, share: float) -> QColor:
    pairs = zip(a.getRgbF()[:3], b.getRgbF()[:3], strict=True)
    return QColor.fromRgbF(*(share * x + (1 - share) * y for x, y in pairs))


@pytest.mark.parametrize("theme", [NOON, DUSK], ids=lambda theme: theme.name)
def test_contrast(theme: Theme) -> None:
    grounds = [theme.colour(name) for name in ("ground", "raised", "card")]
    for ground in grounds:
        for ink in ("text", "text2", "hot"):
            assert contrast(theme.colour(ink), ground) >= 4.5, ink
        for mark in (*theme.kinds, "edge"):
            assert contrast(theme.colour(mark), ground) >= 3.0, mark
    assert contrast(theme.colour("on_accent"), theme.colour("text")) >= 4.5
    for kind in theme.kinds:  # a dimmed trace on the fill of a dimmed card
        assert contrast(mixed(theme.colour(kind), theme.colour("raised"), theme.dim), theme.colour("raised")) >= 3.0


def test_the_shipped_fonts_are_used(qapp: QApplication) -> None:
    assert QFontInfo(sans(12)).family() == "IBM Plex Sans"
    assert QFontInfo(mono(12)).family() == "IBM Plex Mono"


def test_sound_runs_left_to_right_and_nothing_overlaps() -> None:
    patch = demo()
    for layer in patch.layers:
        patch = patch.with_layer(type(layer)(**{**layer.__dict__, "folded": False}))
    layout = lay_out(patch)
    cards = list(layout.cards.values())
    for a in cards:
        for b in cards:
            assert a is b or abs(a.x - b.x) >= CARD_W or abs(a.y - b.y) >= CARD_H
    for chain in (["drip-line-droplet", "drip-line-low-pass", "drip-line-echo"], ["fog-air-noise", "fog-air-band"]):
        places = [layout.cards[module] for module in chain]
        assert [card.column for card in places] == sorted({card.column for card in places})
        assert {card.row for card in places} == {0}
    assert "drip-line-output" not in layout.cards


@pytest.mark.parametrize(("count", "columns"), [(2, [3, 4]), (3, [3, 4, 5]), (5, [1, 2, 3, 4, 5]), (8, list(range(8)))])
def test_a_longer_chain_begins_further_left_and_at_last_runs_on(count: int, columns: list[int]) -> None:
    chain = [Module(f"f{k}", "filter", f"F{k}") for k in range(count)]
    links = [(f"f{k}.low", f"f{k + 1}.audio", 1.0) for k in range(count - 1)]
    output = Module("a-output", "output", "A")
    layout = lay_out(patch_of(*chain, output, links=(*links, (f"f{count - 1}.low", "a-output.audio", 1.0))))
    assert [layout.cards[f"f{k}"].column for k in range(count)] == columns
    assert layout.width > layout.cards[f"f{count - 1}"].x + CARD_W
    if count == 5:
        assert layout.cards["f4"].x + CARD_W <= 932, "what is seen of the lanes at 1280 px"


def test_what_moves_a_sound_leaves_no_row_empty() -> None:
    movers = [Module(f"m{k}", "lfo", f"M{k}") for k in range(7)]
    tone, output = Module("tone", "oscillator", "T"), Module("a-output", "output", "A")
    links = [(f"m{k}.out", "tone.pitch_note", 1.0) for k in range(7)]
    layout = lay_out(patch_of(*movers, tone, output, links=(*links, ("tone.out", "a-output.audio", 1.0))))
    places = [(layout.cards[f"m{k}"].row, layout.cards[f"m{k}"].column) for k in range(7)]
    assert places == [(0, 0), (0, 1), (0, 2), (1, 0), (1, 1), (1, 2), (1, 3)]


def test_feedback_is_known_as_such() -> None:
    patch = demo()
    assert is_delayed(patch, "drip-line-echo", "drip-line-low-pass")
    assert not is_delayed(patch, "drip-line-low-pass", "drip-line-echo")
    backwards = patch.with_link(Link("b", Place("drip-line-strike", "out"), Place("drip-line-skip", "probability")))
    assert is_delayed(backwards, "drip-line-strike", "drip-line-skip")


def test_an_error_in_a_painting_does_not_end_the_program(qtbot: QtBot) -> None:
    """PySide6 6.11.3 crashes on errors that C code has raised, unless they are kept from it."""

    class Broken(QWidget):
        __module__ = "dunefall.app.of_this_test"

        def paintEvent(self, event: object) -> None:
            math.log(-1.0 + 0.0 * self.width())

    guard_overrides()
    guard_overrides()
    widget = Broken()
    qtbot.addWidget(widget)
    with qtbot.capture_exceptions() as caught:
        with qtbot.waitExposed(widget):
            widget.show()
        widget.repaint()
    assert caught
    assert caught[0][0] is ValueError
