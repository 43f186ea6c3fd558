"""The values of a module: a rail for each parameter, a line for each input, and what moves them."""

from __future__ import annotations

from PySide6.QtGui import QFont
from PySide6.QtWidgets import QBoxLayout, QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from dunefall.app.controls.linkrow import LinkRow, link_role
from dunefall.app.controls.rail import Rail
from dunefall.app.controls.theme import Theme, sans
from dunefall.app.inspector.wishes import Live, Wishes
from dunefall.catalogue.compounds import Face, spec_for
from dunefall.catalogue.declare import Input, ModuleSpec, Param
from dunefall.catalogue.story import lowest, port_name
from dunefall.patch.document import Document
from dunefall.patch.model import Link, Module, Patch, Place
from dunefall.session.edits.modules import set_together

__all__ = ["Values", "add_text", "reach_of"]

ASK_SIZE, ROW_BINS = 26, 400


def add_text(column: QBoxLayout, text: str, font: QFont, colour: str, theme: Theme) -> QLabel:
    """Add a paragraph in one of the theme's colours."""
    label = QLabel(text)
    label.setWordWrap(True)
    label.setFont(font)
    label.setStyleSheet(f"color: {getattr(theme, colour)}")
    column.addWidget(label)
    return label


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


class Values:
    """The rails and link rows of one module.

    Attributes
    ----------
    rails, rows : dict of str to Rail, LinkRow
        By port, and by the link's id.
    """

    def __init__(self, document: Document, patch: Patch, module: str, theme: Theme, wishes: Wishes) -> None:
        self._document, self._patch, self._module = document, patch, module
        self._theme, self._wishes = theme, wishes
        self.rails: dict[str, Rail] = {}
        self.rows: dict[str, LinkRow] = {}

    @property
    def held(self) -> bool:
        """Whether the mouse holds one of them."""
        return any(rail.held for rail in self.rails.values()) or any(row.held for row in self.rows.values())

    def set_values(self, values: dict[str, float]) -> None:
        """Set values of the module; those of a compound are those of the modules in it."""
        module = self._patch.module(self._module)
        taken = module.taken(values) if isinstance(module, Face) else {module.id: values}
        set_together(self._document, taken)

    def build(self, column: QVBoxLayout, module: Module, spec: ModuleSpec) -> None:
        """Add a rail or a line for each port that counts."""
        for port in spec.targets:
            if isinstance(port, Input) or self._is_shown(spec, module, port):
                self._add_port(column, module, port)

    def _is_shown(self, spec: ModuleSpec, module: Module, param: Param) -> bool:
        """Whether a parameter has a rail: it can be set, and counts or is moved."""
        counts = spec.counts(param, module.params)
        return not param.follows and (counts or bool(self._patch.links_into(module.id, param.id)))

    def update(self, patch: Patch) -> None:
        """Show the values of a patch with the same ports and links."""
        self._patch, module = patch, patch.module(self._module)
        for port, rail in self.rails.items():
            rail.set_value(module.params.get(port, rail.param.default))
            rail.set_locked(port in module.locked)
            rail.set_reach(reach_of(patch, module, rail.param))
        for link in (*patch.links_into(self._module), *patch.links_from(self._module)):
            if link.id in self.rows:
                self.rows[link.id].set_link(link)

    def animate(self, live: Live) -> None:
        """Show the live values of now."""
        for port, rail in self.rails.items():
            moved = bool(self._patch.links_into(self._module, port))
            rail.set_now(self.value_now(port, live) if moved else None)
        for row in self.rows.values():
            source = row.link.source.inner
            bins = live.trace(source.module, source.port)
            row.set_bins(None if bins is None else bins[-ROW_BINS:])

    def value_now(self, port: str, live: Live) -> float | None:
        """A port's present value as text."""
        module, place = self._patch.module(self._module), Place(self._module, port).inner
        now = live.value_now(place.module, place.port)
        return module.shown(port, now) if isinstance(module, Face) and now is not None else now

    def _add_port(self, column: QVBoxLayout, module: Module, port: Input | Param) -> None:
        links = self._patch.links_into(module.id, port.id)
        if isinstance(port, Param):
            value = module.params.get(port.id, port.default)
            rail = Rail(port, value, self._theme, self._patch.tempo_bpm)
            rail.moved.connect(lambda new, name=port.id: self.set_values({name: new}))
            rail.settled.connect(self._wishes.settled.emit)
            rail.link_asked.connect(lambda name=port.id: self._wishes.link_asked.emit(name))
            rail.reach_scaled.connect(lambda factor, name=port.id: self._wishes.reach_scaled.emit(name, factor))
            rail.lock_asked.connect(lambda name=port.id: self._wishes.lock_asked.emit(name))
            rail.movement_copied.connect(lambda name=port.id: self._wishes.movement_copied.emit(name))
            rail.movement_pasted.connect(lambda name=port.id: self._wishes.movement_pasted.emit(name))
            rail.learn_asked.connect(lambda name=port.id: self._wishes.learn_asked.emit(name))
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
            label = add_text(line, port.name, sans(13, 500), "text", self._theme)
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
            add_text(inner, "Moved by" if isinstance(port, Param) else "Fed by", sans(11), "text2", self._theme)
        for link in links:
            inner.addWidget(self._link_row(link))
        text = "Move this…" if isinstance(port, Param) else "Feed this…"
        inner.addWidget(self._ask(port, f"+ {text}", text))
        column.addWidget(frame)

    def build_moved(self, column: QVBoxLayout) -> None:
        """All that the module moves and feeds."""
        links = [link for link in self._patch.links_from(self._module) if link.target.module != self._module]
        if links:
            add_text(column, "It moves", sans(13, 500), "text", self._theme)
        for link in links:
            column.addWidget(self._link_row(link, outwards=True))

    def _ask(self, port: Input | Param, text: str, tip: str) -> QPushButton:
        """What asks for a new link: beside a rail that nothing moves, else below its links."""
        ask = QPushButton(text)
        ask.setProperty("plain", True)
        ask.setFont(sans(12, 600))
        ask.setToolTip(f"{tip} (M)")
        ask.setAccessibleName(f"Link to {port.name}")
        ask.clicked.connect(lambda _=False, name=port.id: self._wishes.link_asked.emit(name))
        return ask

    def _link_row(self, link: Link, *, outwards: bool = False) -> LinkRow:
        """A link at its target, under its source's name; or at its source, under its target's."""
        spec = spec_for(self._patch.module(link.target.module))
        target = spec.target(link.target.port) if spec else None
        unit = target.unit if isinstance(target, Param) else "ratio"
        end, source = link.target if outwards else link.source, self._patch.module(link.source.module)
        name = port_name(self._patch, end.module, end.port) if outwards else source.name
        row = LinkRow(link, name, link_role(self._patch, link), unit, self._theme, outwards=outwards)
        row.changed.connect(self._wishes.link_changed.emit)
        row.settled.connect(self._wishes.settled.emit)
        row.removed.connect(lambda name=link.id: self._wishes.link_removed.emit(name))
        row.range_asked.connect(lambda name=link.id: self._wishes.range_asked.emit(name))
        row.solo_asked.connect(lambda name=link.id: self._wishes.link_soloed.emit(name))
        row.end_asked.connect(lambda name=end.module: self._wishes.module_asked.emit(name))
        row.setObjectName(f"link {link.id}")
        self.rows[link.id] = row
        return row
