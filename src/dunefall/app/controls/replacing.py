"""Replacing what a scroll area shows, also when one of the old widgets asked for it.

A signal runs inside the widget that emits it. If a handler rebuilds the page, the old page must outlive the signal,
keyboard focus must stay where it was, and a drag must not lose its widget. Every page that is rebuilt goes through
``replace_content``.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QWidget

__all__ = ["focused_name", "replace_content"]


def focused_name(page: QWidget | None) -> str:
    """Object name of the part of a page that has the keyboard focus of its window (also while a dialog has the keys),
    or of the nearest named part around it; "" where the focus is elsewhere."""
    widget = _focused(page)
    if page is None or widget is None:
        return ""
    while widget is not None and widget is not page:
        if widget.objectName() and widget.focusPolicy() != Qt.FocusPolicy.NoFocus:
            return widget.objectName()
        widget = widget.parentWidget()
    return ""


def _focused(page: QWidget | None) -> QWidget | None:
    widget = page.window().focusWidget() if page is not None else None
    return widget if page is not None and widget is not None and page.isAncestorOf(widget) else None


def replace_content(area: QScrollArea, page: QWidget, left: Callable[[], None] = lambda: None) -> None:
    """Show another page in a scroll area.

    The old page is deleted only after the present event. The part of the new page with the object name of the focused
    part of the old one gets the focus; the place to which the area is scrolled stays. Where there is no such part,
    ``left`` is called: without it the focus would go to whatever comes first in the window.
    """
    had_focus = _focused(area.widget()) is not None
    old, name, place = area.widget(), focused_name(area.widget()), area.verticalScrollBar().value()
    if old is not None:
        area.takeWidget()
        old.hide()
        old.deleteLater()
    area.setWidget(page)
    page.show()
    heir = page.findChild(QWidget, name) if name else None
    if heir is not None:
        heir.setFocus(Qt.FocusReason.OtherFocusReason)
        area.verticalScrollBar().setValue(place)
    elif had_focus:
        left()
