"""The values of a module: a rail for each parameter, a line for each input, what moves them; in groups that fold."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace
from functools import partial

from PySide6.QtGui import QFont
from PySide6.QtWidgets import QBoxLayout, QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dunefall.app.controls.linkrow import LinkRow, link_role
from dunefall.app.controls.rail import Rail
from dunefall.app.controls.theme import Theme, sans
from dunefall.app.inspector.wishes import Live, Wishes
from dunefall.base.amounts import parse_amount
from dunefall.base.errors import ParameterError
from dunefall.base.language import inline, tr
from dunefall.base.units import format_value, range_told
from dunefall.catalogue.compounds import Face, target_of
from dunefall.catalogue.declare import Input, ModuleSpec, Param
from dunefall.catalogue.reach import factor_told, is_place, range_of, span_of, unit_of
from dunefall.catalogue.story import port_name
from dunefall.catalogue.valueline import parse_line
from dunefall.patch.document import Document
from dunefall.patch.model import Link, Module, Patch, Place
from dunefall.session.edits.modules import set_together

__all__ = ["Values", "add_text", "reach_of"]

ASK_SIZE, ROW_BINS = 26, 400
AMOUNT = "amount"
"""What is typed before the amount of what the module moves."""


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
    scale = module.scales.get(param.id) if isinstance(module, Face) else None
    base = module.params.get(param.id, param.default)
    low = high = scale.share(base) if scale else param.to_domain(base)
    for link in links:
        ends = sorted(link.amount * end + link.offset for end in span_of(patch, link.source))
        low, high = low + ends[0], high + ends[1]
    if scale:
        low, high = sorted((scale.at(low), scale.at(high)))
        return low, high
    return param.from_domain(max(low, -60.0) if param.octaves else low), param.from_domain(min(high, 60.0))


class Values:
    """The rails and link rows of one module; what is set is set in all marked modules of its type, too.

    Parameters
    ----------
    unfolded : collection of str
        The groups that show their values, as ``type/group``; asked anew at each ``fold``.
    marked : function to collection of str
        The modules that are selected beside it.

    Attributes
    ----------
    rails, rows : dict of str to Rail, LinkRow
        By port, and by the link's id.
    boxes : dict of str to QWidget
        What holds a port with its links, by port.
    groups : dict of str to QPushButton
        The heads of the groups, by name.
    """

    def __init__(
        self, document: Document, patch: Patch, module: str, theme: Theme, wishes: Wishes,
        unfolded: Collection[str] = (), marked: Callable[[], Collection[str]] = frozenset,
    ) -> None:  # fmt: skip
        self._document, self._patch, self._module, self._unfolded = document, patch, module, unfolded
        self._marked = marked
        self._theme, self._wishes = theme, wishes
        self.rails: dict[str, Rail] = {}
        self.rows: dict[str, LinkRow] = {}
        self.boxes: dict[str, QWidget] = {}
        self.groups: dict[str, QPushButton] = {}
        self._within: dict[str, str] = {}
        self._names: dict[str, str] = {}
        self._both: Rail | None = None

    @property
    def held(self) -> bool:
        """Whether the mouse holds one of them."""
        return any(rail.held for rail in self.rails.values()) or any(row.held for row in self.rows.values())

    def set_values(self, values: dict[str, float]) -> None:
        """Set values of the module; those of a compound are those of the modules in it."""
        module = self._patch.module(self._module)
        taken = module.taken(values) if isinstance(module, Face) else dict.fromkeys(self.alike, values)
        set_together(self._document, taken)

    @property
    def alike(self) -> tuple[str, ...]:
        """The module and the marked ones of its type, which are set together."""
        kind, marked = self._patch.module(self._module).type, self._marked()
        return (self._module, *(m.id for m in self._patch.modules() if m.id in marked and m.type == kind))

    def build(self, column: QVBoxLayout, module: Module, spec: ModuleSpec) -> None:
        """Add a rail or a line for each port that counts: first what the module is for, then the groups."""
        self._within = {port: name for name, ports in spec.groups for port in ports}
        self._names = {port.id: port.name for port in spec.targets}
        shown = [x for x in spec.targets if isinstance(x, Input) or self._is_shown(spec, module, x)]
        for port in shown:
            if spec.together and port.id == spec.together[0]:
                self._add_both(column, module, spec)
            if port.id not in self._within:
                self._add_box(column, module, port)
        for name, ports in spec.groups:
            mine = [port for port in shown if port.id in ports]
            if mine:
                self.groups[name] = self._group_head(column, name)
            for port in mine:
                self._add_box(column, module, port)
        for rail in self.rails.values():
            rail.parse_line = partial(self._parse_line, spec, rail.param)
            rail.line_typed.connect(self._take_line)
        self.fold()

    def _parse_line(self, spec: ModuleSpec, first: Param, text: str) -> dict[str, float]:
        """Values by parameter, and the amount of what the module moves under ``AMOUNT``."""
        given = self._patch.module(self._module).params
        line, _, amount = text.partition(AMOUNT)
        values = parse_line(line.rstrip(" ,;"), spec, first, self._patch.tempo_bpm, given)
        if amount:
            link = self._only_link()
            values[AMOUNT] = parse_amount(amount, unit_of(self._patch, link))
        return values

    def _only_link(self) -> Link:
        """The one link by which the module moves something; raises ParameterError where there is none, or several."""
        links = self._patch.links_from(self._module)
        if len(links) != 1:
            raise ParameterError(tr("it has {count} links: set their amounts in their rows", count=len(links)))
        return links[0]

    def _take_line(self, values: dict[str, float]) -> None:
        amount = values.pop(AMOUNT, None)
        if values:
            self.set_values(values)
        if amount is not None:
            self._wishes.link_changed.emit(replace(self._only_link(), amount=amount))

    def _group_head(self, column: QVBoxLayout, name: str) -> QPushButton:
        head = QPushButton(name)
        head.setProperty("plain", True)
        head.setFont(sans(12, 600))
        head.clicked.connect(lambda: self._wishes.fold_asked.emit(name))
        column.addWidget(head)
        return head

    def _add_box(self, column: QVBoxLayout, module: Module, port: Input | Param) -> None:
        box = QWidget()
        inner = QVBoxLayout(box)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(2)
        self._add_port(inner, module, port)
        self.boxes[port.id] = box
        column.addWidget(box)

    def _add_both(self, column: QVBoxLayout, module: Module, spec: ModuleSpec) -> None:
        """One rail for two values that are mostly the same."""
        first, second = (spec.param(name) for name in spec.together)
        value = module.params.get(first.id, first.default)
        both = replace(
            first,
            name=tr("{name} and {name_2}", name=first.name, name_2=inline(second.name)),
            help=tr("Sets both at once."),
        )
        self._both = Rail(both, value, self._theme, self._patch.tempo_bpm)
        self._both.moved.connect(lambda new: self.set_values({first.id: new, second.id: new}))
        self._both.settled.connect(self._wishes.settled.emit)
        self._both.setObjectName("rail both")
        column.addWidget(self._both)

    def fold(self, found: str = "") -> None:
        """Show the groups that are unfolded; while a value is looked for, just those whose names hold all words."""
        words = found.lower().split()
        for port, box in self.boxes.items():
            group = self._within.get(port, "")
            name = f"{self._names[port]} {group}".lower()
            open_ = not group or self._unfolds(group) or bool(self._patch.links_into(self._module, port))
            box.setVisible(all(word in name for word in words) if words else open_)
        for head in self.groups.values():
            head.setVisible(not words)
        if self._both is not None:
            self._both.setVisible(not words)
        self._tell_groups()

    def _tell_groups(self) -> None:
        """Each group's name, and whether a value in it is changed while it is folded."""
        for name, head in self.groups.items():
            unfolded = self._unfolds(name)
            shown = name if unfolded or not self._is_changed(name) else tr("{name} · changed", name=name)
            head.setText(f"{'▾' if unfolded else '▸'} {shown}")
            told = tr("{name}, unfolded", name=shown) if unfolded else tr("{name}, folded", name=shown)
            head.setAccessibleName(told)

    def group_key(self, name: str) -> str:
        """What a group is remembered by."""
        return f"{self._patch.module(self._module).type}/{name}"

    def group_of(self, port: str) -> str:
        """The group of a port; "" for none."""
        return self._within.get(port, "")

    def _unfolds(self, name: str) -> bool:
        return self.group_key(name) in self._unfolded

    def _is_changed(self, group: str) -> bool:
        """Whether a value of a group is not the default."""
        params = self._patch.module(self._module).params
        mine = (rail for port, rail in self.rails.items() if self._within.get(port) == group)
        return any(params.get(rail.param.id, rail.param.default) != rail.param.default for rail in mine)

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
        self._tell_groups()
        if self._both is not None:
            self._both.set_value(module.params.get(self._both.param.id, self._both.param.default))
        for link in (*patch.links_into(self._module), *patch.links_from(self._module)):
            if link.id in self.rows:
                self.rows[link.id].set_link(link, self._span(link))

    def _span(self, link: Link) -> str:
        """From where to where a link moves its target, in the target's unit, and what an amount in octaves multiplies
        by; empty for sounds, gates, choices and pitches."""
        patch, real = self._document.patch, self._document.patch.link(link.id)
        ends, target = range_of(patch, real), target_of(patch, real.target)
        if ends is None or target is None or target.choices or link_role(self._patch, link) == "pitch":
            return ""
        if isinstance(target, Param):
            ends = min(max(ends[0], target.low), target.high), min(max(ends[1], target.low), target.high)
        told = range_told(*(format_value(end, target.unit) for end in ends))
        factor = factor_told(real.amount, isinstance(target, Param) and target.octaves)
        return f"{told} ({factor})" if factor else told

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
                ask = self._ask(port, "+", tr("Move this…"))
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
                ask = self._ask(port, "+", tr("Feed this…"))
                ask.setFont(sans(15, 600))
                ask.setFixedSize(ASK_SIZE, ASK_SIZE)
                line.addWidget(ask)
                return
        frame = QFrame()
        inner = QVBoxLayout(frame)
        inner.setContentsMargins(12, 0, 0, 6)
        inner.setSpacing(0)
        if links:
            add_text(inner, tr("Moved by") if isinstance(port, Param) else tr("Fed by"), sans(11), "text2", self._theme)
        for link in links:
            inner.addWidget(self._link_row(link))
        text = tr("Move this…") if isinstance(port, Param) else tr("Feed this…")
        inner.addWidget(self._ask(port, f"+ {text}", text))
        column.addWidget(frame)

    def build_moved(self, column: QVBoxLayout) -> None:
        """All that the module moves and feeds."""
        links = [link for link in self._patch.links_from(self._module) if link.target.module != self._module]
        if links:
            add_text(column, tr("It moves"), sans(13, 500), "text", self._theme)
        for link in links:
            column.addWidget(self._link_row(link, outwards=True))

    def _ask(self, port: Input | Param, text: str, tip: str) -> QPushButton:
        """What asks for a new link: beside a rail that nothing moves, else below its links."""
        ask = QPushButton(text)
        ask.setProperty("plain", True)
        ask.setFont(sans(12, 600))
        ask.setToolTip(f"{tip} (M)")
        ask.setAccessibleName(tr("Link to {name}", name=port.name))
        ask.clicked.connect(lambda _=False, name=port.id: self._wishes.link_asked.emit(name))
        return ask

    def _link_row(self, link: Link, *, outwards: bool = False) -> LinkRow:
        """A link at its target, under its source's name; or at its source, under its target's."""
        end = link.target if outwards else link.source
        name = port_name(self._patch, end.module, end.port)
        row = LinkRow(
            link, name, link_role(self._patch, link), unit_of(self._patch, link), self._theme, outwards=outwards,
            place=is_place(self._patch, link),
        )  # fmt: skip
        row.changed.connect(self._wishes.link_changed.emit)
        row.settled.connect(self._wishes.settled.emit)
        row.removed.connect(lambda name=link.id: self._wishes.link_removed.emit(name))
        row.range_typed.connect(lambda text, name=link.id: self._wishes.range_typed.emit(name, text))
        row.range_asked.connect(lambda name=link.id: self._wishes.range_asked.emit(name))
        row.solo_asked.connect(lambda name=link.id: self._wishes.link_soloed.emit(name))
        row.end_asked.connect(lambda name=end.module: self._wishes.module_asked.emit(name))
        row.setObjectName(f"link {link.id}")
        self.rows[link.id] = row
        return row
