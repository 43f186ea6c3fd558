"""Menus that belong to a moment."""

from __future__ import annotations

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu

__all__ = ["show_menu"]


def show_menu(menu: QMenu, where: QPoint) -> None:
    """Open a menu at a place of the screen without waiting for it; it is freed when it has closed."""
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(where)
