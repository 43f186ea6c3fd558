"""The Story of the selected module, with its neighbours' names as ways to them, and what was noticed about it."""

from __future__ import annotations

import html
import re
from collections.abc import Iterator

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QVBoxLayout, QWidget

from dunefall.app.controls.theme import Theme, sans
from dunefall.base.language import tr, tr_count
from dunefall.catalogue.story import module_story
from dunefall.patch.model import Patch
from dunefall.session.quietwatch import quiet_reason

__all__ = ["StoryBox"]


class StoryBox(QFrame):
    """Tells about one module.

    Signals
    -------
    module_asked (str)
        A neighbour's name was clicked.
    """

    module_asked = Signal(str)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._patch, self._module = Patch(), ""
        self._asleep: frozenset[str] = frozenset()
        self._quiet: frozenset[str] = frozenset()
        self._clicks: dict[str, int] = {}
        self.setObjectName("story")
        column = QVBoxLayout(self)
        self._title, self.text = QLabel(tr("Story")), QLabel()
        self._title.setFont(sans(11, 600))
        self._title.setAccessibleName(tr("Story"))
        self.text.setWordWrap(True)
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.setFont(sans(13))
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.LinksAccessibleByMouse)
        self.text.linkActivated.connect(self.module_asked.emit)
        column.addWidget(self._title)
        column.addWidget(self.text)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self.setStyleSheet(f"#story {{ background: {theme.card}; border: 1px solid {theme.line}; border-radius: 6px }}")
        self._title.setStyleSheet(f"color: {theme.text2}")

    def tell(self, patch: Patch, module: str) -> None:
        """Tell about this module of a patch; about none with ""."""
        self._patch, self._module = patch, module
        self.text.setText(self._html())

    def set_asleep(self, modules: frozenset[str]) -> None:
        """Say that nothing uses the shown module's output."""
        if modules != self._asleep:
            self._asleep = modules
            self.text.setText(self._html())

    def set_quiet(self, modules: frozenset[str]) -> None:
        """Say that the shown module's output has not changed for a while, and why."""
        if modules != self._quiet:
            self._quiet = modules
            self.text.setText(self._html())

    def set_clicks(self, module: str, count: int) -> None:
        """Tell of a layer's output how often it has clicked."""
        self._clicks[module] = count
        self.text.setText(self._html())

    def _html(self) -> str:
        """The Story with each neighbour's name as a way to its module."""
        if not self._module:
            return ""
        text = " ".join([html.escape(module_story(self._patch, self._module)), *self._now()])
        near = {link.source.module for link in self._patch.links_into(self._module)}
        near |= {link.target.module for link in self._patch.links_from(self._module)} | {self._module}
        names = {html.escape(self._patch.module(m).name): m for m in near}
        pattern = "|".join(re.escape(name) for name in sorted(names, key=len, reverse=True))

        def way(found: re.Match[str]) -> str:
            module = names[found[1]]
            return found[1] if module == self._module else f'<a href="{module}"><b>{found[1]}</b></a>'

        return re.sub(rf"\b({pattern})\b", way, text)

    def _now(self) -> Iterator[str]:
        """Sentences about what the module does just now."""
        if self._module in self._asleep:
            yield tr("<b>Nothing uses its output yet</b>, so it runs only while you look at it.")
        if self._module in self._quiet:
            reason = quiet_reason(self._patch, self._patch.module(self._module), self._quiet)
            if reason:
                yield tr("<b>Its output has not changed for 30 s</b>: {reason}.", reason=html.escape(reason))
            else:
                yield tr("<b>Its output has not changed for 30 s</b>.")
        if self._clicks.get(self._module):
            yield tr_count("<b>It has clicked once</b> since the take began.",
                           "<b>It has clicked {count} times</b> since the take began.",
                           self._clicks[self._module])  # fmt: skip
