"""The inspector: the selected module's parameters, what moves them, and its Story."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.linkrow import LinkRow, link_role
from dunefall.app.controls.rail import Rail
from dunefall.app.controls.replacing import replace_content
from dunefall.app.controls.theme import Theme, sans
from dunefall.app.inspector.picture import Picture
from dunefall.app.inspector.screenkeys import ScreenKeys
from dunefall.app.inspector.series import SeriesEditor
from dunefall.app.inspector.storybox import StoryBox
from dunefall.catalogue.compounds import Face, spec_for
from dunefall.catalogue.declare import Input, ModuleSpec, Param
from dunefall.catalogue.motion.named_control import shown_value
from dunefall.catalogue.story import lowest, module_warning, port_name
from dunefall.engine.messages import AskPortrait, GotPortrait
from dunefall.patch.compounds import parent_of
from dunefall.patch.model import Link, Module, Patch, Place

__all__ = ["Inspector", "Live", "reach_of"]

WIDTH = 340
ASK_SIZE = 26
OWN_SOUNDS = {"file": "Shipped sound: iron gate", "table": "Built-in tables", "response": "Computed places"}
ROW_BINS = 400


class Live(Protocol):
    """Where live values come from."""

    def value_now(self, module: str, port: str) -> float | None:
        """Present value of an input or parameter."""

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest values per bin of an output (the first one), oldest first."""

    def portrait(self, wanted: AskPortrait) -> GotPortrait | None:
        """The last curves that were made; these are wanted."""


def reach_of(patch: Patch, module: Module, param: Param) -> tuple[float, float] | None:
    """Lowest and highest value to which the links of a parameter can move it; None without links."""
    links = [link for link in patch.links_into(module.id, param.id) if link.on]
    if not links:
        return None
    low = high = param.to_domain(module.params.get(param.id, param.default))
    least, most = module.ranges.get(param.id, (0.0, 1.0)) if isinstance(module, Face) else (0.0, 1.0)
    for link in links:
        source = patch.module(link.source.module)
        spec = spec_for(source)
        output = spec.output(link.source.port) if spec else None
        span = (lowest(source, output), output.high) if output else (0.0, 1.0)
        ends = sorted(link.amount * end + link.offset for end in span)
        low, high = low + ends[0] * (most - least), high + ends[1] * (most - least)
    return param.from_domain(max(low, -60.0) if param.octaves else low), param.from_domain(min(high, 60.0))


class Inspector(QScrollArea):
    """Shows one module.

    Signals
    -------
    values_moved (object), settled ()
        A rail or the picture set parameters (a dict); the movement ended.
    reach_scaled (str, float)
        What moves a port is to move it so many times as far.
    link_asked (str), link_changed (object), link_removed (str), range_asked (str), link_soloed (str)
        "Move this…" for a port; a link with other values; a link to take away; a link's range is to be typed; a link
        is to be heard alone.
    lock_asked (str), movement_copied (str), movement_pasted (str), learn_asked (str)
        A value is to be locked against chance; its movement is to be kept; what was kept, or the next controller, is to
        move it.
    left ()
        Escape: the keys go back to the lanes.
    renamed (str), bypass_asked (), module_asked (str), compound_pressed (str)
        Another name; the bypass switch; a module's name was clicked; a compound is to be opened, or the one of a part
        closed.
    control_moved (str, float), key_played (float, float)
        A Named control of the front moved to a share of its range; a key went down, or up (velocity 0).
    drawn (object), refused (str), tuning_asked ()
        Series by id with other numbers; why a typed number was not taken; a tuning file is wanted.
    sound_asked (), sound_removed ()
        Another sound file is wanted; none is.
    """

    values_moved = Signal(object)
    settled = Signal()
    left = Signal()
    link_asked = Signal(str)
    reach_scaled = Signal(str, float)
    lock_asked = Signal(str)
    movement_copied = Signal(str)
    movement_pasted = Signal(str)
    learn_asked = Signal(str)
    link_changed = Signal(object)
    link_removed = Signal(str)
    range_asked = Signal(str)
    link_soloed = Signal(str)
    renamed = Signal(str)
    bypass_asked = Signal()
    module_asked = Signal(str)
    compound_pressed = Signal(str)
    control_moved = Signal(str, float)
    key_played = Signal(float, float)
    drawn = Signal(object)
    refused = Signal(str)
    tuning_asked = Signal()
    sound_asked = Signal()
    sound_removed = Signal()

    def __init__(self, theme: Theme, live: Live, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._live = theme, live
        self._patch = Patch()
        self._module = ""
        self._shape: object = "nothing yet"
        self._waiting = False
        self.settled.connect(self._catch_up)
        self.rails: dict[str, Rail] = {}
        self.rows: dict[str, LinkRow] = {}
        self.front: dict[str, Rail] = {}
        self.picture: Picture | None = None
        self.editor: SeriesEditor | None = None
        self._chosen_series = ""
        self.story, self._warning = StoryBox(theme), QLabel()
        self.story.module_asked.connect(self.module_asked.emit)
        self.setWidgetResizable(True)
        self.setFixedWidth(WIDTH)
        self.setAccessibleName("Inspector")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def show_module(self, patch: Patch, module: str) -> None:
        """Show a module of a patch, or what to do first if there is none."""
        same = module == self._module
        self._patch, self._module = patch, module
        held = any(rail.held for rail in self.rails.values()) or any(row.held for row in self.rows.values())
        shape = self._shape_of(patch, module)
        self._waiting = held and same and shape != self._shape
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
    def focused_port(self) -> str:
        """The port whose rail has the focus, or ""."""
        return next((port for port, rail in self.rails.items() if rail.hasFocus()), "")

    def focus_first(self) -> None:
        """Put the first value under the keys."""
        first = next(iter((*self.rails.values(), *self.rows.values(), *self.front.values())), None)
        if first is not None:
            first.setFocus(Qt.FocusReason.TabFocusReason)
            self.ensureWidgetVisible(first)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.story.set_theme(theme)
        self._rebuild()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape goes back to the lanes."""
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)

    def animate(self) -> None:
        """Show the live values of now."""
        for port, rail in self.rails.items():
            moved = bool(self._patch.links_into(self._module, port))
            rail.set_now(self._value_now(port) if moved else None)
        self._animate_picture()
        if self.editor is not None:
            place = self._live.trace(self._module, "place") if self._walks else None
            self.editor.show_place(None if place is None else float(place[-1, 1]))
        for row in self.rows.values():
            source = row.link.source.inner
            bins = self._live.trace(source.module, source.port)
            row.set_bins(None if bins is None else bins[-ROW_BINS:])

    def _value_now(self, port: str) -> float | None:
        """A port's present value, as it is told."""
        module, place = self._patch.module(self._module), Place(self._module, port).inner
        now = self._live.value_now(place.module, place.port)
        return module.shown(port, now) if isinstance(module, Face) and now is not None else now

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
            return None, tuple((m.id, m.name, *(m.params.get(x) for x in ("low", "high", "unit"))) for m in controls)
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
            rail.set_value(shown_value(found.name, found.params).default)
        if not self._module:
            return
        module = self._patch.module(self._module)
        if self.editor is not None:
            self.editor.show_module(module)
        for port, rail in self.rails.items():
            rail.set_value(module.params.get(port, rail.param.default))
            rail.set_locked(port in module.locked)
            rail.set_reach(reach_of(self._patch, module, rail.param))
        for link in (*self._patch.links_into(self._module), *self._patch.links_from(self._module)):
            if link.id in self.rows:
                self.rows[link.id].set_link(link)
        self.story.tell(self._patch, self._module)
        self._warn()

    def _rebuild(self) -> None:
        self._chosen_series = self.editor.chosen if self.editor is not None else self._chosen_series
        self.rails, self.rows, self.front, self.picture, self.editor = {}, {}, {}, None, None
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
                keys.played.connect(self.key_played.emit)
                column.addWidget(keys)
            if spec and walks:
                self._add_series(column, spec)
            elif spec and not spec.keys and not spec.lane_end and not isinstance(module, Face):
                self._add_picture(column, module, spec)
            for port in spec.targets if spec else ():
                if isinstance(port, Input) or self._is_shown(spec, module, port):
                    self._add_port(column, module, port)
            if spec and spec.series and not walks:
                self._add_series(column, spec)
            self._add_moved(column)
            column.addSpacing(8)
            column.addWidget(self.story)
            self.story.show()
        else:
            self._add_text(column, "Nothing selected", sans(20, 600), "text")
            self._add_text(
                column, "Click a card to see its values, what moves them and what it moves. Click a layer's name for "
                "its level. Space plays and pauses.", sans(13), "text2",
            )  # fmt: skip
            self._add_front(column)
        column.addStretch(1)
        replace_content(self, page)
        self._update_values()

    def _add_front(self, column: QVBoxLayout) -> None:
        """All Named controls of the patch, each in its own range and unit."""
        controls = [module for module in self._patch.modules() if module.type == "named-control"]
        if controls:
            column.addSpacing(12)
            self._add_text(column, "Controls of this patch", sans(13, 600), "text")
        for module in controls:
            param = shown_value(module.name, module.params)
            rail = Rail(param, param.default, self._theme, self._patch.tempo_bpm)
            rail.moved.connect(lambda value, p=param, m=module.id: self.control_moved.emit(m, p.to_rail(value)))
            rail.settled.connect(self.settled.emit)
            rail.setObjectName(f"control {module.id}")
            self.front[module.id] = rail
            column.addWidget(rail)

    def _add_text(self, column: QBoxLayout, text: str, font: QFont, colour: str) -> QLabel:
        label = QLabel(text)
        label.setWordWrap(True)
        label.setFont(font)
        label.setStyleSheet(f"color: {getattr(self._theme, colour)}")
        column.addWidget(label)
        return label

    def _add_head(self, column: QVBoxLayout, module: Module, spec: ModuleSpec | None) -> None:
        row = QHBoxLayout()
        where = self._patch.layer_of(module.id).name
        kind = f"{spec.name} · {spec.stage.capitalize()} · {where}" if spec else f"unknown kind · {where}"
        label = QLabel(kind)
        label.setStyleSheet(f"color: {self._theme.text2}")
        row.addWidget(label, 1)
        if spec and not spec.lane_end:
            bypass = QPushButton("Bypass")
            bypass.setCheckable(True)
            bypass.setChecked(module.bypassed)
            bypass.setToolTip("Pass the sound on unchanged (B)")
            bypass.clicked.connect(self.bypass_asked.emit)
            row.addWidget(bypass)
        if isinstance(module, Face):
            row.addWidget(self._head_button("Open", "Show what is in it (O)", module.id))
        column.addLayout(row)
        home = parent_of(self._patch, module.id)
        if home is not None:
            way = self._head_button(f"▾ in {home.name}", "Close the compound in which this stands (O)", home.id)
            way.setProperty("plain", True)
            column.addWidget(way)
        name = QPushButton(module.name)
        name.setProperty("plain", True)
        name.setFont(sans(20, 600))
        name.setToolTip("Rename (F2)")
        name.clicked.connect(lambda: self.renamed.emit(module.id))
        column.addWidget(name)
        text = spec.sentence if spec else "This version does not know this kind: it is kept in the file, and silent."
        self._add_text(column, text, sans(12), "text2")
        self._warning = self._add_text(column, "", sans(12, 600), "hot")
        self._warn()
        column.addSpacing(8)

    def _head_button(self, text: str, tip: str, part: str) -> QPushButton:
        """What opens or closes a compound."""
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda: self.compound_pressed.emit(part))
        return button

    def _warn(self) -> None:
        """Tell what may get out of hand, if anything may."""
        text = module_warning(self._patch, self._module)
        self._warning.setText(text)
        self._warning.setVisible(bool(text))

    def _add_picture(self, column: QVBoxLayout, module: Module, spec: ModuleSpec) -> None:
        self.picture = Picture(spec, module, self._theme)
        self.picture.moved.connect(self.values_moved.emit)
        self.picture.settled.connect(self.settled.emit)
        column.addWidget(self.picture)
        if spec.sound:
            row = QHBoxLayout()
            path = Path(module.sound.path) if module.sound else None
            none = OWN_SOUNDS[spec.sound]
            name = QLabel(path.name if path else none)
            name.setToolTip(str(path) if path else "Nothing of your own has been chosen")
            name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            row.addWidget(name, 1)
            choose = QPushButton("Choose file…")
            choose.setToolTip("Play a WAV, FLAC, Ogg or AIFF file")
            choose.clicked.connect(self.sound_asked.emit)
            row.addWidget(choose)
            if path:
                remove = QPushButton("Remove")
                remove.setToolTip("Go back to what is built in")
                remove.clicked.connect(self.sound_removed.emit)
                row.addWidget(remove)
            column.addLayout(row)
        column.addSpacing(6)

    def _is_shown(self, spec: ModuleSpec | None, module: Module, param: Param) -> bool:
        """Whether a parameter has a rail: it can be set, and counts or is moved."""
        counts = spec is not None and spec.counts(param, module.params)
        return not param.follows and (counts or bool(self._patch.links_into(module.id, param.id)))

    @property
    def _walks(self) -> bool:
        """Whether the module tells which place of its series is played."""
        spec = spec_for(self._patch.module(self._module))
        return spec is not None and spec.output("place") is not None

    def _add_series(self, column: QVBoxLayout, spec: ModuleSpec) -> None:
        self.editor = SeriesEditor(spec, self._theme, self._chosen_series)
        self.editor.drawn.connect(self.drawn.emit)
        self.editor.timed.connect(lambda seconds: self.values_moved.emit({"length_s": seconds}))
        self.editor.settled.connect(self.settled.emit)
        self.editor.refused.connect(self.refused.emit)
        column.addWidget(self.editor)
        if "steps_ct" in spec.series_places:
            load = QPushButton("Load tuning file…")
            load.setToolTip("Use the notes of a .scl file")
            load.clicked.connect(self.tuning_asked.emit)
            column.addWidget(load)
        column.addSpacing(4)

    def _add_port(self, column: QVBoxLayout, module: Module, port: Input | Param) -> None:
        links = self._patch.links_into(module.id, port.id)
        if isinstance(port, Param):
            value = module.params.get(port.id, port.default)
            rail = Rail(port, value, self._theme, self._patch.tempo_bpm)
            rail.moved.connect(lambda new, name=port.id: self.values_moved.emit({name: new}))
            rail.settled.connect(self.settled.emit)
            rail.link_asked.connect(lambda name=port.id: self.link_asked.emit(name))
            rail.reach_scaled.connect(lambda factor, name=port.id: self.reach_scaled.emit(name, factor))
            rail.lock_asked.connect(lambda name=port.id: self.lock_asked.emit(name))
            rail.movement_copied.connect(lambda name=port.id: self.movement_copied.emit(name))
            rail.movement_pasted.connect(lambda name=port.id: self.movement_pasted.emit(name))
            rail.learn_asked.connect(lambda name=port.id: self.learn_asked.emit(name))
            rail.setObjectName(f"rail {port.id}")
            self.rails[port.id] = rail
            if not links:
                row = QHBoxLayout()
                row.setSpacing(2)
                row.addWidget(rail, 1)
                ask = self._ask(port, "+", "Move this…")
                ask.setFont(sans(15, 600))
                ask.setFixedSize(ASK_SIZE, ASK_SIZE)
                row.addWidget(ask)
                column.addLayout(row)
                return
            column.addWidget(rail)
        else:
            line = QHBoxLayout()
            label = self._add_text(line, port.name, sans(13, 500), "text")
            label.setToolTip(port.help or port.name)
            column.addLayout(line)
            if not links:
                ask = self._ask(port, "+", "Feed this…")
                ask.setFont(sans(15, 600))
                ask.setFixedSize(ASK_SIZE, ASK_SIZE)
                line.addWidget(ask)
                return
        frame = QFrame()
        inner = QVBoxLayout(frame)
        inner.setContentsMargins(12, 0, 0, 6)
        inner.setSpacing(0)
        if links:
            self._add_text(inner, "Moved by" if isinstance(port, Param) else "Fed by", sans(11), "text2")
        for link in links:
            inner.addWidget(self._link_row(link))
        text = "Move this…" if isinstance(port, Param) else "Feed this…"
        inner.addWidget(self._ask(port, f"+ {text}", text))
        column.addWidget(frame)

    def _add_moved(self, column: QVBoxLayout) -> None:
        """All that the module moves and feeds."""
        links = [link for link in self._patch.links_from(self._module) if link.target.module != self._module]
        if links:
            self._add_text(column, "It moves", sans(13, 500), "text")
        for link in links:
            column.addWidget(self._link_row(link, outwards=True))

    def _ask(self, port: Input | Param, text: str, tip: str) -> QPushButton:
        """What asks for a new link: beside a rail that nothing moves, else below its links."""
        ask = QPushButton(text)
        ask.setProperty("plain", True)
        ask.setFont(sans(12, 600))
        ask.setToolTip(f"{tip} (M)")
        ask.setAccessibleName(f"Link to {port.name}")
        ask.clicked.connect(lambda _=False, name=port.id: self.link_asked.emit(name))
        return ask

    def _link_row(self, link: Link, *, outwards: bool = False) -> LinkRow:
        """A link at its target, under its source's name; or at its source, under its target's."""
        spec = spec_for(self._patch.module(link.target.module))
        target = spec.target(link.target.port) if spec else None
        unit = target.unit if isinstance(target, Param) else "ratio"
        end, source = link.target if outwards else link.source, self._patch.module(link.source.module)
        name = port_name(self._patch, end.module, end.port) if outwards else source.name
        row = LinkRow(link, name, link_role(self._patch, link), unit, self._theme, outwards=outwards)
        row.changed.connect(self.link_changed.emit)
        row.settled.connect(self.settled.emit)
        row.removed.connect(lambda name=link.id: self.link_removed.emit(name))
        row.range_asked.connect(lambda name=link.id: self.range_asked.emit(name))
        row.solo_asked.connect(lambda name=link.id: self.link_soloed.emit(name))
        row.end_asked.connect(lambda name=end.module: self.module_asked.emit(name))
        row.setObjectName(f"link {link.id}")
        self.rows[link.id] = row
        return row
