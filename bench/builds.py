"""Nine builds, from an empty patch, gesture by gesture, on the best way that the program offers.

Each is a function of `Hands`; what it made is saved by the same hands afterwards, rendered, and looked at by
`bench.built`. How many gestures each may take was set before they were written (see ``WANTED``).
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QApplication, QDialog, QLineEdit

from bench.hands import Hands

__all__ = ["BUILDS", "WANTED"]

WANTED = {"shaping": 15, "slow_wave": 12, "compound": 12, "copies": 27, "storm": 48, "pad": 35, "order": 42,
          "keyboard": 15, "first": 5}  # fmt: skip
"""Gestures wanted; a build may take a fifth more."""


def shaping(hands: Hands) -> None:
    """A tone shaped under the scope, a grid of notes, two slow triangles with amounts of their own."""
    hands.add("saw")
    hands.typed("45")
    hands.add("low-pass")
    hands.typed("600, resonance 40")
    hands.add("slow triangle")
    hands.typed("0.02, amount 1.6 oct")
    hands.key("Ctrl+D")
    hands.typed("0.05, amount 0.7 oct")
    hands.key("Alt+Right")
    hands.key("P")
    hands.click(hands.window.page("build").watch.base)
    hands.typed("20 ms")
    hands.add("grid sequencer")


def slow_wave(hands: Hands) -> None:
    """A slow wave quantised to minor, random levels, the click found and cured, an endless delay, cleared."""
    hands.add("sine tone")
    hands.add("slow wave")
    hands.add("minor")
    hands.add("amplifier")
    hands.add("held random")
    hands.heard("clicked")
    hands.heard("puts a slew")
    hands.key("Ctrl+Shift+C")
    hands.add("endless delay")
    hands.key("Ctrl+Backspace")


def compound(hands: Hands) -> None:
    """A noise sweep as a compound with a control that has a name and a range; kept, used again, in two states."""
    hands.add("white noise")
    hands.add("band-pass")
    hands.key("Ctrl+A")
    hands.key("C")
    hands.typed("Sweep", enter=False)
    dialog = QApplication.activeWindow()
    assert isinstance(dialog, QDialog)
    field = next(x for x in dialog.findChildren(QLineEdit) if x.accessibleName() == "Name of Band-pass: Cutoff")
    hands.click(field)
    hands.key("Ctrl+A")
    hands.typed("Wind 200 Hz to 4 kHz")
    hands.key("Ctrl+Alt+C")
    hands.add("sweep")
    hands.typed("2k")


def copies(hands: Hands) -> None:
    """Two oscillators with glide; noise, sample & hold and slew on a filter; two copies with other links, delays, a
    reverb, compared."""
    hands.add("saw")
    hands.add("random melody")
    hands.add("glide")
    hands.add("triangle tone")
    hands.add("low-pass")
    hands.add("sample & hold")
    hands.add("white noise")
    hands.key("Alt+Right")
    hands.add("slew")
    hands.head("Saw")
    hands.key("Ctrl+D")
    hands.add("ping-pong")
    hands.card("Slew 2")
    hands.key("Return")
    hands.typed("0.4, amount 2.5 oct")
    hands.head("Saw")
    hands.key("Ctrl+D")
    hands.add("hall")
    hands.click(hands.window.page("build").watch.compare)


def storm(hands: Hands) -> None:
    """Gusts, spray, and strikes that go round a drawn path; the strike copied, darker, firing a burst."""
    hands.add("pink noise")
    hands.add("band-pass")
    hands.typed("400, resonance 30")
    hands.add("gusts")
    hands.key("Ctrl+Shift+L")
    hands.typed("blue noise")
    hands.add("high-pass")
    hands.typed("3k")
    hands.add("scatter")
    hands.typed("3")
    hands.add("swell")
    hands.key("Ctrl+Shift+L")
    hands.typed("metal sheet")
    hands.head("Metal sheet")
    hands.key("Ctrl+D")
    hands.add("low-pass")
    hands.typed("150")
    hands.card("Metal sheet 2")
    hands.add("burst")
    hands.key("Ctrl+2")
    hands.row("Metal sheet")
    hands.button("Draw a loop")
    hands.loop()


def pad(hands: Hands) -> None:
    """A pad, a random arpeggio with an effect in its delay's loop, three held randoms on a resonator; told apart by
    bypassing."""
    hands.add("detuned saws")
    hands.typed("38")
    hands.add("low-pass")
    hands.add("swell")
    hands.key("Ctrl+Shift+L")
    hands.typed("plucked string")
    hands.add("random arpeggio")
    hands.key("Alt+Right")
    hands.add("tape echo")
    hands.add("frequency shifter", way=3)
    hands.head("Plucked string")
    hands.add("three-band resonator")
    hands.add("held random")
    hands.typed("0.5, amount 40 %")
    hands.key("Alt+Right")
    hands.add("held random", way=1)
    hands.key("Alt+Right")
    hands.add("held random", way=2)
    hands.key("Shift+B")
    hands.key("Ctrl+B")
    hands.key("Ctrl+B")
    hands.key("Ctrl+B")


def order(hands: Hands) -> None:
    """An order of 1 1 2 3 of three envelopes, an exclusive-or, rows of 5, 7 and 8; when it repeats."""
    hands.add("saw")
    hands.add("rows of 5")
    hands.add("amplifier")
    hands.add("sequential switch")
    hands.add("pluck")
    hands.key("Alt+Right")
    hands.add("strike")
    hands.key("Alt+Right")
    hands.add("looping envelope")
    hands.add("exclusive or")
    hands.add("divider", way=1)
    hands.heard_repeat()


def keyboard(hands: Hands) -> None:
    """By the keyboard alone: a layer with a source, a filter, a slow wave, values, undo, save, render."""
    hands.add("saw")
    hands.typed("33")
    hands.add("low-pass")
    hands.typed("500, resonance 30")
    hands.add("slow wave")
    hands.typed("0.1")
    hands.key("Ctrl+Z")
    hands.key("Ctrl+S", hands.file(hands.folder / "keyboard.dunefall"))
    hands.key("Ctrl+Shift+R")
    hands.key("Ctrl+Return")
    hands.wait(lambda: any((hands.folder / "Renders").glob("*.wav")), 120.0)


def first(hands: Hands) -> None:
    """The first moving sound of one's own."""
    hands.add("drone")
    hands.add("slow wave")


BUILDS: dict[str, Callable[[Hands], None]] = {
    "shaping": shaping, "slow_wave": slow_wave, "compound": compound, "copies": copies, "storm": storm, "pad": pad,
    "order": order, "keyboard": keyboard, "first": first,
}  # fmt: skip
