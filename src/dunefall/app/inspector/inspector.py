"""The inspector: the selected module's parameters, what moves them, and its Story."""

from __future__ import annotations

from collections.abc import Callable, Collection
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.linkrow import LinkRow
from dunefall.app.controls.rail import Rail
from dunefall.app.controls.replacing import replace_content
from dunefall.app.controls.theme import Theme, sans
from dunefall.app.inspector.picture import Picture
from dunefall.app.inspector.screenkeys import ScreenKeys
from dunefall.app.inspector.series import SeriesEditor
from dunefall.app.inspector.storybox import StoryBox
from dunefall.app.inspector.values import Values, add_text
from dunefall.app.inspector.wishes import Live, Wishes
from dunefall.base.language import capital, tr
from dunefall.catalogue.compounds import Face, spec_for
from dunefall.catalogue.controls import scale_of, shown_value
from dunefall.catalogue.declare import ModuleSpec
from dunefall.catalogue.story import module_warning
from dunefall.engine.messages import AskPortrait
from dunefall.patch.compounds import parent_of
from dunefall.patch.document import Document
from dunefall.patch.model import Module, Patch

__all__ = ["Inspector"]

WIDTH = 334
MANY = 9
"""A module with so many values and inputs has a field in which one is looked for."""
OWN_SOUNDS = {"file": tr("Shipped sound: iron gate"), "table": tr("Built-in tables"), "response": tr("Computed places")}


class Inspector(QScrollArea):
    """Shows one module.

    Attributes
    ----------
    wishes : Wishes
        What the user asks of it.
    unfolded : set of str
        The groups of values that are shown, as ``type/group``.
    marked : function to collection of str
        The modules that are selected beside the one that is shown.
    search : QLineEdit or None
        Where a value is looked for, if there are many.
    """

    def __init__(self, document: Document, theme: Theme, live: Live, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._theme, self._live, self.wishes = theme, live, Wishes()
        self._patch = Patch()
        self._module = ""
        self._shape: object = "nothing yet"
        self._waiting = False
        self.wishes.settled.connect(document.end_merge)
        self.wishes.settled.connect(self._catch_up)
        self.unfolded: set[str] = set()
        self.marked: Callable[[], Collection[str]] = frozenset
        self.wishes.fold_asked.connect(self._fold)
        self.search: QLineEdit | None = None
        self._values = Values(document, self._patch, "", theme, self.wishes, self.unfolded)
        self.front: dict[str, Rail] = {}
        self.picture: Picture | None = None
        self.editor: SeriesEditor | None = None
        self._chosen_series = ""
        self.story, self._warning = StoryBox(theme), QLabel()
        self.story.module_asked.connect(self.wishes.module_asked.emit)
        self.setWidgetResizable(True)
        self.setFixedWidth(WIDTH)
        self.setAccessibleName(tr("Inspector"))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def show_module(self, patch: Patch, module: str) -> None:
        """Show a module of a patch, or what to do first if there is none."""
        same = module == self._module
        self._patch, self._module = patch, module
        shape = (self._shape_of(patch, module), frozenset(self.marked()))
        self._waiting = self._values.held and same and shape != self._shape
        if shape == self._shape or self._waiting:  # what the mouse holds is not taken from under it
            self._update_values()
        else:
            self._shape = shape
            self._rebuild()

    def _catch_up(self) -> None:
        """A drag has ended: what it changed about the page is shown now."""
        if self._waiting:
            self.show_module(self._patch, self._module)

    @property
    def rails(self) -> dict[str, Rail]:
        """The rails by port."""
        return self._values.rails

    @property
    def rows(self) -> dict[str, LinkRow]:
        """The link rows by the link's id."""
        return self._values.rows

    @property
    def focused_port(self) -> str:
        """The port whose rail the user has put under the keys, or ""."""
        return next((port for port, rail in self.rails.items() if rail.hasFocus() and not rail.offered), "")

    @property
    def focused_link(self) -> str:
        """The link whose row has the focus, or ""."""
        return next((link for link, row in self.rows.items() if row.hasFocus()), "")

    def offer_main(self) -> None:
        """Put the main value under the keys, unasked: commands still mean the module as a whole."""
        spec = spec_for(self._patch.module(self._module)) if self._module else None
        rail = self.rails.get(spec.face) if spec else None
        if rail is not None:
            rail.setFocus(Qt.FocusReason.OtherFocusReason)
            rail.offered = True
            self.ensureWidgetVisible(rail)

    def focus_first(self) -> None:
        """Put the first value under the keys."""
        every = (*self.rails.values(), *self.rows.values(), *self.front.values())
        first = next((widget for widget in every if widget.isVisible()), None)
        if first is not None:
            first.setFocus(Qt.FocusReason.TabFocusReason)
            self.ensureWidgetVisible(first)

    def _fold(self, group: str) -> None:
        """Fold or unfold a group of values."""
        self.unfolded ^= {self._values.group_key(group)}
        self._values.fold()

    def _add_search(self, column: QVBoxLayout, spec: ModuleSpec) -> None:
        """Where a value is looked for by its name, if there are many."""
        if len(spec.targets) >= MANY:
            self.search = QLineEdit()
            self.search.setPlaceholderText(tr("Find a value"))
            self.search.setAccessibleName(tr("Find a value"))
            self.search.setObjectName("find a value")
            self.search.setClearButtonEnabled(True)
            self.search.textChanged.connect(self._values.fold)
            self.search.returnPressed.connect(self._take_found)
            column.addWidget(self.search)

    def find_value(self) -> None:
        """Look for a value by typing; with few values, go to the first."""
        if self.search is None:
            self.focus_first()
        else:
            self.search.setFocus(Qt.FocusReason.ShortcutFocusReason)
            self.search.selectAll()
            self.ensureWidgetVisible(self.search)

    def _take_found(self) -> None:
        """Go to the first value that was found; its group stays unfolded."""
        assert self.search is not None
        port = next((port for port, box in self._values.boxes.items() if not box.isHidden()), "")
        if port:
            self.show_port(port)
            self.search.clear()

    def show_port(self, port: str) -> None:
        """Put a value under the keys; its group is unfolded."""
        group = self._values.group_of(port)
        if group and self._values.group_key(group) not in self.unfolded:
            self.wishes.fold_asked.emit(group)
        target = self.rails.get(port) or next(iter(self._values.boxes[port].findChildren(QPushButton)), None)
        if target is not None:
            target.setFocus(Qt.FocusReason.TabFocusReason)
            self.ensureWidgetVisible(target)

    def show_step(self, series: str, index: int) -> None:
        """Put a number of a series under the keys."""
        if self.editor is not None:
            self.editor.choose_step(series, index)
            self.ensureWidgetVisible(self.editor)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.story.set_theme(theme)
        self._rebuild()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape goes back to the lanes."""
        if event.key() == Qt.Key.Key_Escape:
            self.wishes.left.emit()
        else:
            super().keyPressEvent(event)

    def animate(self) -> None:
        """Show the live values of now."""
        self._values.animate(self._live)
        self._animate_picture()
        if self.editor is not None:
            place = self._live.trace(self._module, "place") if self._walks else None
            self.editor.show_place(None if place is None else float(place[-1, 1]))

    def _animate_picture(self) -> None:
        """Show what the module does at the values of now."""
        if self.picture is None:
            return
        module = self._patch.module(self._module)
        spec = spec_for(module)
        assert spec is not None
        values = {param.id: module.params.get(param.id, param.default) for param in spec.params}
        for link in self._patch.links_into(module.id):
            now = self._live.value_now(module.id, link.target.port)
            if link.target.port in values and now is not None:
                values[link.target.port] = now
        self.picture.show_values(module, values)
        if self.picture.own:
            return
        tempo = {param.id: self._patch.tempo_bpm for param in spec.params if param.follows == "tempo"}
        made = self._live.portrait(AskPortrait(module.type, values | tempo, module.sound, module.series))
        if made is not None and made.asked.type_id == module.type:
            self.picture.show_portrait(made.portrait)

    @staticmethod
    def _shape_of(patch: Patch, module: str) -> object:
        """All that decides which widgets there are, as against what they show."""
        if not module:
            controls = [m for m in patch.modules() if m.type == "named-control"]
            return None, tuple((m.id, m.name, scale_of(patch, m), m.params.get("unit")) for m in controls)
        both = (*patch.links_into(module), *patch.links_from(module))
        names = [patch.module(end.module).name for x in both for end in (x.source, x.target)]
        links = (tuple((x.id, x.source, x.target) for x in both), tuple(names))
        found = patch.module(module)
        spec = spec_for(found)
        shown = tuple(param.id for param in spec.params if spec.counts(param, found.params)) if spec else ()
        face = spec if isinstance(found, Face) else None
        return module, found.type, found.name, found.bypassed, found.sound, links, shown, face

    def _update_values(self) -> None:
        for control, rail in self.front.items():
            found = self._patch.module(control)
            rail.set_value(shown_value(self._patch, found).default)
        if not self._module:
            return
        module = self._patch.module(self._module)
        if self.editor is not None:
            self.editor.show_module(module)
        self._values.update(self._patch)
        self.story.tell(self._patch, self._module)
        self._warn()

    def _rebuild(self) -> None:
        self._chosen_series = self.editor.chosen if self.editor is not None else self._chosen_series
        self.front, self.picture, self.editor, self.search = {}, None, None, None
        self._values = Values(
            self._document, self._patch, self._module, self._theme, self.wishes, self.unfolded, lambda: self.marked()
        )  # fmt: skip
        self.story.setParent(self)  # it outlives the page
        self.story.hide()
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(16, 12, 16, 16)
        column.setSpacing(2)
        if self._module:
            module = self._patch.module(self._module)
            spec = spec_for(module)
            self._add_head(column, module, spec)
            walks = spec is not None and spec.output("place") is not None and bool(spec.series)
            if spec and spec.keys:
                keys = ScreenKeys(self._theme)
                keys.played.connect(self.wishes.key_played.emit)
                column.addWidget(keys)
            if spec and walks:
                self._add_series(column, spec)
            elif spec and not spec.keys and not spec.lane_end and not isinstance(module, Face):
                self._add_picture(column, module, spec)
            if spec:
                self._add_search(column, spec)
                self._values.build(column, module, spec)
            if spec and spec.series and not walks:
                self._add_series(column, spec)
            self._values.build_moved(column)
            column.addSpacing(8)
            column.addWidget(self.story)
            self.story.show()
        else:
            add_text(column, tr("Nothing selected"), sans(20, 600), "text", self._theme)
            add_text(
                column, tr("Click a card to see its values, what moves them and what it moves. Click a layer's "
                           "name for "
                "its level. Space plays and pauses."), sans(13), "text2", self._theme,
            )  # fmt: skip
            self._add_front(column)
        column.addStretch(1)
        replace_content(self, page, self.wishes.left.emit)
        self._update_values()

    def _add_front(self, column: QVBoxLayout) -> None:
        """All Named controls of the patch, each in its own range and unit."""
        controls = [module for module in self._patch.modules() if module.type == "named-control"]
        if controls:
            column.addSpacing(12)
            add_text(column, tr("Controls of this patch"), sans(13, 600), "text", self._theme)
        for module in controls:
            param, scale = shown_value(self._patch, module), scale_of(self._patch, module)
            rail = Rail(param, param.default, self._theme, self._patch.tempo_bpm)
            rail.moved.connect(lambda value, x=scale, m=module.id: self.wishes.control_moved.emit(m, x.share(value)))
            rail.settled.connect(self.wishes.settled.emit)
            rail.setObjectName(f"control {module.id}")
            self.front[module.id] = rail
            column.addWidget(rail)

    def _add_head(self, column: QVBoxLayout, module: Module, spec: ModuleSpec | None) -> None:
        row = QHBoxLayout()
        where = self._patch.layer_of(module.id).name
        kind = (
            f"{spec.name} · {capital(tr(spec.stage))} · {where}" if spec else tr("unknown kind · {where}", where=where)
        )
        label = QLabel(kind)
        label.setStyleSheet(f"color: {self._theme.text2}")
        row.addWidget(label, 1)
        if spec and spec.can_bypass:
            bypass = QPushButton(tr("Bypass"))
            bypass.setCheckable(True)
            bypass.setChecked(module.bypassed)
            bypass.setToolTip(tr("Pass the sound through unchanged (B)"))
            bypass.clicked.connect(self.wishes.bypass_asked.emit)
            row.addWidget(bypass)
        if isinstance(module, Face):
            row.addWidget(self._head_button(tr("Open"), tr("Show what is in it (O)"), module.id))
        column.addLayout(row)
        home = parent_of(self._patch, module.id)
        if home is not None:
            way = self._head_button(
                tr("▾ in {name}", name=home.name), tr("Close the compound in which this stands (O)"), home.id
            )
            way.setProperty("plain", True)
            column.addWidget(way)
        name = QPushButton(module.name)
        name.setProperty("plain", True)
        name.setFont(sans(20, 600))
        name.setToolTip(tr("Rename (F2)"))
        name.clicked.connect(lambda: self.wishes.renamed.emit(module.id))
        column.addWidget(name)
        together = len(self._values.alike)
        if together > 1:
            add_text(column, tr("{together} selected: what you set here is set in all "
                                "of them.", together=together), sans(12, 600), "text",
                     self._theme)  # fmt: skip
        text = (
            spec.sentence
            if spec
            else tr("This version does not know this kind of module. It stays in the file and is silent.")
        )
        add_text(column, text, sans(12), "text2", self._theme)
        self._warning = add_text(column, "", sans(12, 600), "hot", self._theme)
        self._warn()
        column.addSpacing(8)

    def _head_button(self, text: str, tip: str, part: str) -> QPushButton:
        """What opens or closes a compound."""
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda: self.wishes.compound_pressed.emit(part))
        return button

    def _warn(self) -> None:
        """Tell what may get out of hand, if anything may."""
        text = module_warning(self._patch, self._module)
        self._warning.setText(text)
        self._warning.setVisible(bool(text))

    def _add_picture(self, column: QVBoxLayout, module: Module, spec: ModuleSpec) -> None:
        self.picture = Picture(spec, module, self._theme)
        self.picture.moved.connect(self._values.set_values)
        self.picture.settled.connect(self.wishes.settled.emit)
        column.addWidget(self.picture)
        if spec.sound:
            row = QHBoxLayout()
            path = Path(module.sound.path) if module.sound else None
            none = OWN_SOUNDS[spec.sound]
            name = QLabel(path.name if path else none)
            name.setToolTip(str(path) if path else tr("You have not chosen a file"))
            name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            row.addWidget(name, 1)
            choose = QPushButton(tr("Choose file…"))
            choose.setToolTip(tr("Play a WAV, FLAC, Ogg or AIFF file"))
            choose.clicked.connect(self.wishes.sound_asked.emit)
            row.addWidget(choose)
            if path:
                remove = QPushButton(tr("Remove"))
                remove.setToolTip(tr("Go back to the built-in one"))
                remove.clicked.connect(self.wishes.sound_removed.emit)
                row.addWidget(remove)
            column.addLayout(row)
        column.addSpacing(6)

    @property
    def _walks(self) -> bool:
        """Whether the module tells which place of its series is played."""
        spec = spec_for(self._patch.module(self._module))
        return spec is not None and spec.output("place") is not None

    def _add_series(self, column: QVBoxLayout, spec: ModuleSpec) -> None:
        self.editor = SeriesEditor(spec, self._theme, self._chosen_series)
        self.editor.drawn.connect(self.wishes.drawn.emit)
        self.editor.timed.connect(lambda seconds: self._values.set_values({"length_s": seconds}))
        self.editor.settled.connect(self.wishes.settled.emit)
        self.editor.refused.connect(self.wishes.refused.emit)
        column.addWidget(self.editor)
        if "steps_ct" in spec.series_places:
            load = QPushButton(tr("Load tuning file…"))
            load.setToolTip(tr("Use the notes of a .scl file"))
            load.clicked.connect(self.wishes.tuning_asked.emit)
            column.addWidget(load)
        column.addSpacing(4)
