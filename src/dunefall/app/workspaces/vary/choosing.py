"""What varies, how far, and which kinds of values; and the button that fills the board."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QSlider, QSpinBox, QVBoxLayout, QWidget

from dunefall.app.controls.menus import show_menu
from dunefall.app.controls.theme import numerals
from dunefall.base.language import tr, tr_count
from dunefall.catalogue.varying import KINDS
from dunefall.patch.mixing import mixed_layers
from dunefall.patch.model import Patch
from dunefall.vary.desk import COUNT, Desk

__all__ = ["ChoiceRow"]

MOST_NAMES, MOST_CARDS = 2, 48


class ChoiceRow(QWidget):
    """Two rows of controls.

    Signals
    -------
    changed ()
        Something else is to vary.
    more_asked ()
        The board is to be filled.
    steer_asked ()
        It is to be filled with what is searched for.
    """

    changed = Signal()
    more_asked = Signal()
    steer_asked = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._patch, self._selected = Patch(), tuple[str, ...]()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(6)
        row = QHBoxLayout()
        row.addWidget(QLabel(tr("Vary")))
        self.what = QPushButton()
        self.what.setToolTip(tr("Which layers vary, or only what is selected in Build"))
        self.what.setAccessibleName(tr("What varies"))
        self.what.clicked.connect(self._offer)
        row.addWidget(self.what)
        row.addSpacing(10)
        label = QLabel(tr("&Strength"))
        self.strength = QSlider(Qt.Orientation.Horizontal)
        self.strength.setRange(0, 100)
        self.strength.setFixedWidth(150)
        self.strength.setAccessibleName(tr("Strength"))
        self.strength.setValue(round(100 * desk.strength))
        self.strength.valueChanged.connect(self._strength_moved)
        label.setBuddy(self.strength)
        self.percent = QLabel()
        numerals(self.percent, 12)
        self.percent.setFixedWidth(44)
        row.addWidget(label)
        row.addWidget(self.strength)
        row.addWidget(self.percent)
        row.addStretch(1)
        self.steer = QPushButton(tr("Steer…"))
        self.steer.setToolTip(
            tr("Search for variations that are darker, sparser, rougher, and leave the rest as it is")
        )
        self.steer.clicked.connect(self.steer_asked)
        row.addWidget(self.steer)
        self.count = QSpinBox()
        self.count.setRange(1, MOST_CARDS)
        self.count.setValue(COUNT)
        self.count.setAccessibleName(tr("How many"))
        self.count.setToolTip(tr("How many variations the board is filled with"))
        numerals(self.count, 12)
        self.count.setFixedWidth(48)
        self.count.valueChanged.connect(self._count_changed)
        row.addWidget(self.count)
        self.more = QPushButton(tr("{COUNT} more", COUNT=COUNT))
        self.more.setProperty("strong", True)
        self.more.clicked.connect(self.more_asked)
        row.addWidget(self.more)
        column.addLayout(row)
        column.addLayout(self._kinds())
        self._strength_moved(self.strength.value())

    @property
    def told(self) -> str:
        """What varies, in words."""
        return self.what.text().removesuffix("▾").strip()

    def show_search(self, text: str) -> None:
        """How far a search is; pressing again ends it. "": there is none."""
        self.steer.setText(tr("{text}, cancel", text=text) if text else tr("Steer…"))

    def _kinds(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(QLabel(tr("Kinds")))
        self.kinds: dict[str, QPushButton] = {}
        for kind in KINDS:
            button = QPushButton(tr(kind))
            button.setCheckable(True)
            button.setStyleSheet("QPushButton { border-radius: 12px; padding: 3px 10px; }")
            button.clicked.connect(partial(self._kind_pressed, kind))
            self.kinds[kind] = button
            row.addWidget(button)
        row.addStretch(1)
        self.free = QLabel()
        self.free.setProperty("quiet", True)
        row.addWidget(self.free)
        return row

    def _count_changed(self, count: int) -> None:
        self.more.setText(tr("{count} more", count=count))

    def _kind_pressed(self, kind: str, _on: bool = False) -> None:
        self._desk.toggle_kind(kind)
        self._show()
        self.changed.emit()

    def _strength_moved(self, value: int) -> None:
        self._desk.strength = value / 100.0
        self.percent.setText(f"{value} %")
        self._show()

    def show_patch(self, patch: Patch, selected: Sequence[str]) -> None:
        """Offer the layers of this patch, and what is selected."""
        self._patch, self._selected = patch, tuple(name for name in selected if patch.has(name))
        self._show()

    def _show(self) -> None:
        desk, patch = self._desk, self._patch
        layers = [layer for layer in mixed_layers(patch) if layer.id in desk.layers]
        names = [layer.name for layer in layers]
        alone = sorted(desk.modules & desk.chosen(patch))
        if alone:
            text = patch.module(alone[0]).name if len(alone) == 1 else tr("{count} modules", count=len(alone))
        elif not names:
            text = tr("All layers")
        else:
            text = " + ".join(names[:MOST_NAMES]) + (f" + {len(names) - MOST_NAMES}" if len(names) > MOST_NAMES else "")
        self.what.setText(f"{text}  ▾")
        for kind, button in self.kinds.items():
            button.setChecked(kind in desk.kinds)
            button.setText(f"✓ {tr(kind)}" if kind in desk.kinds else tr(kind))
        free, locked = desk.free(patch), desk.locked(patch)
        told = tr_count("{count} value free", "{count} values free", free)
        self.free.setText(tr("{free}, {locked} locked", free=told, locked=locked) if locked else told)
        why = tr("Nothing may change at a strength of 0 %.") if not desk.strength else ""
        if not free:
            why = tr("Nothing may change: all values of these kinds are locked, or there are none.")
        self.more.setEnabled(not why)
        self.steer.setEnabled(bool(free))
        self.more.setToolTip(why or tr("Fill the board with new variations; those you kept stay in the family tree"))

    def _offer(self) -> None:
        menu = QMenu(self)
        every = menu.addAction(tr("All layers"), partial(self._choose, (), frozenset()))
        every.setCheckable(True)
        every.setChecked(not self._desk.layers and not self._desk.modules)
        if self._selected:
            one = self._patch.module(self._selected[0]).name
            name = one if len(self._selected) == 1 else tr("What is selected in Build")
            menu.addAction(tr("Only {name}", name=name), self._choose_selected)
        menu.addSeparator()
        for layer in mixed_layers(self._patch):
            action = menu.addAction(layer.name, partial(self._toggle, layer.id))
            action.setCheckable(True)
            action.setChecked(layer.id in self._desk.layers)
        show_menu(menu, self.what.mapToGlobal(QPoint(0, self.what.height())))

    def _choose_selected(self) -> None:
        layer = self._patch.layer_of(self._selected[0])
        self._choose((layer.id,), frozenset(self._selected))

    def _toggle(self, layer: str) -> None:
        there = [known.id for known in mixed_layers(self._patch)]
        self._choose(tuple(name for name in there if (name in self._desk.layers) != (name == layer)), frozenset())

    def _choose(self, layers: tuple[str, ...], modules: frozenset[str]) -> None:
        self._desk.layers, self._desk.modules = layers, modules
        self._show()
        self.changed.emit()
