"""Describes what is painted on one widget to screen readers, part by part: cards, lane heads, rows of the mix, marks.

A widget that has ``painted_parts`` is asked for them whenever somebody asks; nothing is kept, so nothing can be stale.
"""

from __future__ import annotations

from typing import Any, NamedTuple

from PySide6.QtCore import QPoint, QRect
from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent, QAccessibleEvent, QAccessibleInterface
from PySide6.QtWidgets import QAbstractScrollArea, QAccessibleWidget, QWidget

__all__ = ["PaintedPart", "announce", "install_accessibility", "tell_focus"]


class PaintedPart(NamedTuple):
    """Something painted: what it is called, what it is set to, where it is in the widget, whether it is selected."""

    name: str
    description: str
    box: QRect
    chosen: bool = False


def _parts(widget: Any) -> list[PaintedPart]:
    found: list[PaintedPart] = widget.painted_parts()
    return found


class _Part(QAccessibleInterface):
    """One part, by its place among all."""

    def __init__(self, widget: QWidget, index: int) -> None:
        super().__init__()
        self._widget, self.index = widget, index

    @property
    def _part(self) -> PaintedPart | None:
        parts = _parts(self._widget)
        return parts[self.index] if self.index < len(parts) else None

    def isValid(self) -> bool:
        return self._part is not None

    def object(self) -> None:  # type: ignore[override]
        return None

    def window(self) -> None:  # type: ignore[override]
        return None

    def relations(self, _match: Any = None) -> list[Any]:
        return []

    def focusChild(self) -> None:  # type: ignore[override]
        return None

    def parent(self) -> QAccessibleInterface:
        return QAccessible.queryAccessibleInterface(self._widget)

    def child(self, _index: int) -> None:  # type: ignore[override]
        return None

    def childCount(self) -> int:
        return 0

    def childAt(self, _x: int, _y: int) -> None:  # type: ignore[override]
        return None

    def indexOfChild(self, _child: QAccessibleInterface) -> int:
        return -1

    def text(self, kind: QAccessible.Text) -> str:
        part = self._part
        texts = {QAccessible.Text.Name: 0, QAccessible.Text.Description: 1, QAccessible.Text.Value: 1}
        return str(part[texts[kind]]) if part is not None and kind in texts else ""

    def setText(self, _kind: QAccessible.Text, _text: str) -> None:
        """Nothing is renamed this way."""

    def rect(self) -> QRect:
        part, widget = self._part, self._widget
        inside = widget.viewport() if isinstance(widget, QAbstractScrollArea) else widget
        return part.box.translated(inside.mapToGlobal(QPoint(0, 0))) if part is not None else QRect()

    def role(self) -> QAccessible.Role:
        return QAccessible.Role.ListItem

    def state(self) -> QAccessible.State:
        state, part = QAccessible.State(), self._part
        state.selectable = state.focusable = True
        state.selected = state.focused = part is not None and part.chosen
        return state


class _Painted(QAccessibleWidget):
    """A widget with its painted parts as children."""

    def __init__(self, widget: QWidget) -> None:
        super().__init__(widget, QAccessible.Role.List, widget.accessibleName())
        self._widget = widget
        self._children: dict[int, _Part] = {}

    def childCount(self) -> int:
        return len(_parts(self._widget))

    def child(self, index: int) -> _Part | None:  # type: ignore[override]
        if not 0 <= index < self.childCount():
            return None
        return self._children.setdefault(index, _Part(self._widget, index))

    def childAt(self, x: int, y: int) -> _Part | None:  # type: ignore[override]
        hits = (k for k in range(self.childCount()) if (part := self.child(k)) and part.rect().contains(x, y))
        return self.child(next(hits, -1))

    def focusChild(self) -> _Part | None:  # type: ignore[override]
        chosen = (k for k, part in enumerate(_parts(self._widget)) if part.chosen)
        return self.child(next(chosen, -1))

    def indexOfChild(self, child: QAccessibleInterface) -> int:
        return child.index if isinstance(child, _Part) else -1


_known: dict[QWidget, _Painted] = {}


def _interface(_kind: str, thing: object) -> QAccessibleInterface | None:
    if not isinstance(thing, QWidget) or not hasattr(thing, "painted_parts"):
        return None
    if thing not in _known:
        _known[thing] = _Painted(thing)
        thing.destroyed.connect(lambda _=None, widget=thing: _known.pop(widget, None))
    return _known[thing]


def install_accessibility() -> None:
    """Make painted parts accessible; call once per program."""
    QAccessible.installFactory(_interface)


def tell_focus(widget: QWidget) -> None:
    """Tell that another part of a widget is selected, where the keys are there."""
    heard = QAccessible.isActive() and widget.hasFocus()
    chosen = [k for k, part in enumerate(_parts(widget)) if part.chosen] if heard else []
    if chosen:
        event = QAccessibleEvent(widget, QAccessible.Event.Focus)
        event.setChild(chosen[0])
        QAccessible.updateAccessibility(event)


def announce(widget: QWidget, text: str) -> None:
    """Have screen readers say what changes beside the widget that has the keys: what is chosen by typing, a notice."""
    if QAccessible.isActive() and text:
        QAccessible.updateAccessibility(QAccessibleAnnouncementEvent(widget, text))
