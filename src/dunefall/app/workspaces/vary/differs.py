"""What differs between two states: rows with both values on a rail, sorted by how much of each is heard."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from dunefall.app.controls.painting import draw_text, text_width
from dunefall.app.controls.replacing import replace_content
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.base.language import tr
from dunefall.catalogue.compounds import spec_for
from dunefall.patch.changes import ParamSet
from dunefall.patch.model import Patch
from dunefall.vary.desk import Comparison
from dunefall.vary.differences import GROUPS, Difference

__all__ = ["DiffersPanel"]

RAIL_W = 108
MOST_ROWS, AT_A_TIME = 16, 4
"""So many are shown until all are asked for; so many are listened to before the order changes."""
UNHEARD = tr("not listened to yet")


class _Row(QWidget):
    """One difference: its place, both values, and both on a rail."""

    def __init__(self, one: Difference, theme: Theme) -> None:
        super().__init__()
        self._one, self._theme = one, theme
        self.setFixedHeight(24)
        self.setToolTip(f"{one.where}: {one.before} → {one.after}")

    def paintEvent(self, event: QPaintEvent) -> None:
        """Name at the left, values at the right."""
        painter, theme, one = QPainter(self), self._theme, self._one
        values = f"{one.before} → {one.after}"
        width = min(text_width(values, mono(11)) + 4, self.width() * 0.6)
        draw_text(
            painter, QRectF(self.width() - width, 2, width, 20), values, mono(11), theme.colour("text"), right=True
        )
        draw_text(painter, QRectF(0, 2, self.width() - width - 6, 20), one.where, sans(12, 600), theme.colour("text"))
        painter.end()


class _Rail(QWidget):
    """Where both values stand: a hollow tick for the parent, a solid one for the variation, a bar between."""

    def __init__(self, ends: tuple[float, float] | None, theme: Theme) -> None:
        super().__init__()
        self._ends, self._theme = ends, theme
        self.setFixedSize(RAIL_W, 18)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Track, bar, ticks."""
        if self._ends is None:
            return
        painter, theme, y = QPainter(self), self._theme, 9.0
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        first, last = (4 + share * (self.width() - 8) for share in self._ends)
        painter.setPen(QPen(theme.colour("edge"), 2))
        painter.drawLine(QPointF(2, y), QPointF(self.width() - 2, y))
        painter.fillRect(QRectF(min(first, last), y - 2, abs(last - first), 4), theme.colour("text2"))
        painter.setPen(QPen(theme.colour("text"), 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRect(QRectF(first - 2, y - 6, 4, 12))
        painter.fillRect(QRectF(last - 1.5, y - 7, 3, 14), theme.colour("text"))
        painter.end()


class DiffersPanel(QWidget):
    """What differs.

    Signals
    -------
    only_asked (object), rest_asked (object)
        A Difference: take it alone, or all but it.
    """

    only_asked = Signal(object)
    rest_asked = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._shown: object = None
        self._all = False
        self._of: Comparison | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 10, 8, 4)
        column.setSpacing(2)
        head = QHBoxLayout()
        title = QLabel(tr("What differs"))
        title.setFont(sans(14, 600))
        self.count = QLabel()
        head.addWidget(title, 1)
        head.addWidget(self.count)
        column.addLayout(head)
        self.between = QLabel()
        column.addWidget(self.between)
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._area.setObjectName("differs")
        column.addWidget(self._area, 1)
        self.buttons: dict[str, QPushButton] = {}
        self.show_nothing(tr("Play a variation, or go to it with the keys."))

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme, self._shown = theme, None

    def show_nothing(self, text: str) -> None:
        """There is nothing to compare; say what to do."""
        if self._shown != text:
            self._shown = text
            self.count.setText("")
            self.between.setText("")
            label = QLabel(text)
            label.setWordWrap(True)
            label.setAlignment(Qt.AlignmentFlag.AlignTop)
            replace_content(self._area, label)

    def show_comparison(self, comparison: Comparison, names: tuple[str, str], taken: Sequence[bool]) -> None:
        """Show what differs, most heard first.

        Parameters
        ----------
        comparison : Comparison
            What was found, and listened to, so far.
        names : (str, str)
            Of both states.
        taken : sequence of bool
            Whether the patch has the new value already.
        """
        heard = len(comparison.effects)
        known = heard if heard == len(comparison.found) else heard - heard % AT_A_TIME
        now = (id(comparison), known, names, tuple(taken), self._all)
        if now == self._shown:
            return
        if self._of is not comparison:
            self._of, self._all = comparison, False
        self._shown = now
        total = len(comparison.found)
        self.count.setText(tr("{heard} of {total} heard", heard=heard, total=total) if heard < total else f"{total}")
        self.between.setText(tr("{names} → {names_2}, by audible effect", names=names[0], names_2=names[1]))
        replace_content(self._area, self._rows(comparison, taken))

    def _rows(self, comparison: Comparison, taken: Sequence[bool]) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(0)
        self.buttons = {}
        effects = comparison.effects
        order = sorted(range(len(comparison.found)), key=lambda k: -effects[k].size_db if k in effects else 1.0)
        left = 0 if self._all else max(0, len(order) - MOST_ROWS)
        order = order[: len(order) - left]
        before = ""
        for group in (*(name for _, name in GROUPS), UNHEARD):
            for k in order:
                if (effects[k].group if k in effects else UNHEARD) != group:
                    continue
                if group != before:
                    label = QLabel(group[:1].upper() + group[1:])
                    label.setProperty("quiet", True)
                    label.setContentsMargins(0, 6, 0, 2)
                    column.addWidget(label)
                    before = group
                one = comparison.found[k]
                self._add_row(column, one, _rail(comparison.before, one), taken[k])
        if left:
            every = QPushButton(tr("Show {left} more", left=left))
            every.setObjectName("show all")
            every.clicked.connect(lambda: self._show_all(comparison, taken))
            column.addWidget(every)
        column.addStretch(1)
        return page

    def _show_all(self, comparison: Comparison, taken: Sequence[bool]) -> None:
        self._all = True
        replace_content(self._area, self._rows(comparison, taken))

    def _add_row(self, column: QVBoxLayout, one: Difference, rail: tuple[float, float] | None, taken: bool) -> None:
        column.addWidget(_Row(one, self._theme))
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 0, 4)
        line.setSpacing(4)
        line.addWidget(_Rail(rail, self._theme))
        line.addStretch(1)
        if taken:
            line.addWidget(QLabel("taken"))
        else:
            for text, tip, signal in (
                (tr("Only this"), tr("Take only this into the patch: {where}", where=one.where), self.only_asked),
                (
                    tr("All but this"),
                    tr("Take everything but this into the patch: {where}", where=one.where),
                    self.rest_asked,
                ),
            ):
                button = QPushButton(text)
                button.setProperty("plain", True)
                button.setObjectName(f"{text} {one.where}")
                button.setToolTip(tip)
                button.setAccessibleName(tip)
                font = sans(11, 600)
                button.setFont(font)
                button.setStyleSheet("text-decoration: underline; padding: 1px 2px; margin: 0;")
                button.clicked.connect(lambda _=False, s=signal, o=one: s.emit(o))
                line.addWidget(button)
                self.buttons[button.objectName()] = button
        column.addLayout(line)


def _rail(before: Patch, one: Difference) -> tuple[float, float] | None:
    """Where both values stand on their rail."""
    change = one.changes[0]
    if not isinstance(change, ParamSet) or len(one.changes) > 1:
        return None
    module = before.module(change.module)
    spec = spec_for(module)
    if spec is None or spec.param(change.param).choices:
        return None
    param = spec.param(change.param)
    return param.to_rail(module.params.get(param.id, param.default)), param.to_rail(change.value)
