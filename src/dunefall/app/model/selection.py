"""What is selected, in the patch as the window shows it: each closed compound is one module there."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace

from dunefall.base.events import Event
from dunefall.catalogue.compounds import Face, Seeing, outermost, spec_for
from dunefall.catalogue.declare import ModuleSpec
from dunefall.patch.compounds import compound_of, modules_in, parent_of
from dunefall.patch.document import Document
from dunefall.patch.model import Layer, Link, Place

__all__ = ["Selection"]


def _no_port() -> str:
    return ""


class Selection:
    """The selected module or compound, others marked beside it, and the compounds that show their parts.

    Attributes
    ----------
    seen : Patch
        The patch with each closed compound as one module.
    opened : frozenset of str
        Compounds that show their parts.
    module : str
        Id of what is selected, or "".
    marked : frozenset of str
        Ids of what is marked beside it.
    focused_port : function to str
        The port whose value has the keyboard focus, or ""; the part that shows values provides it.
    port_asked : Event
        A value of the selection, by its port, is to be put under the keys.
    step_asked : Event of (str, int)
        A number of a series of the selection, by its place, is to be put under the keys.
    added : Event
        What is selected is new: its main value is what one would set next.
    focused_link : function to str
        The link whose row has the keyboard focus, or "".
    changed : Event
        Something else is selected or marked.
    seen_changed : Event
        Another patch is shown: after an edit, or when a compound was opened or closed.
    """

    def __init__(self, document: Document) -> None:
        self._document, self._seeing = document, Seeing()
        self.opened: frozenset[str] = frozenset()
        self.module, self.marked = "", frozenset[str]()
        self.focused_port: Callable[[], str] = _no_port
        self.focused_link: Callable[[], str] = _no_port
        self.added: Event[[]] = Event()
        self.port_asked: Event[[str]] = Event()
        self.step_asked: Event[[str, int]] = Event()
        self.changed: Event[[]] = Event()
        self.seen_changed: Event[[]] = Event()
        self.seen = self._seeing.seen(document.patch, self.opened)
        document.changed.connect(lambda *_: self.look_again())

    # -- what is shown --------------------------------------------------------------------------------------------

    def look_again(self) -> None:
        """Show the document as it is now; removed items are deselected."""
        patch = self._document.patch
        self.opened &= {compound.id for compound in patch.compounds}
        self.seen = self._seeing.seen(patch, self.opened)
        there = self.module == "" or self.seen.has(self.module)
        self.marked &= {module.id for module in self.seen.modules()} if self.marked else frozenset()
        self.seen_changed.emit()
        if not there:
            self.select("")

    def as_seen(self, modules: Collection[str]) -> frozenset[str]:
        """Modules, and closed compounds whose first output is that of one of them."""
        faces = (module for module in self.seen.modules() if isinstance(module, Face))
        return frozenset(modules) | {face.id for face in faces if face.output and face.output.module in modules}

    def shown_as(self, modules: Collection[str]) -> tuple[str, ...]:
        """Modules by the names of the closed compounds that contain them."""
        shown = outermost(self._document.patch, self.opened)
        return tuple(shown.get(module, module) for module in modules)

    # -- what the selection stands for ----------------------------------------------------------------------------

    @property
    def chosen(self) -> frozenset[str]:
        """All that is selected: the module whose values are shown, and those that are marked beside it."""
        return self.marked | ({self.module} if self.module else frozenset())

    @property
    def modules(self) -> tuple[str, ...]:
        """All selected modules, and those in selected compounds."""
        return modules_in(self._document.patch, self.chosen)

    @property
    def inside(self) -> tuple[str, ...]:
        """The module whose values are shown, or all in it where it is a compound."""
        return modules_in(self._document.patch, (self.module,))

    @property
    def name(self) -> str:
        """Name of what is selected; "" where nothing is."""
        return self.seen.module(self.module).name if self.module else ""

    @property
    def spec(self) -> ModuleSpec | None:
        """The declaration of the selected module or compound."""
        return spec_for(self.seen.module(self.module)) if self.module else None

    @property
    def layer(self) -> Layer | None:
        """The layer of what is selected."""
        return self.seen.layer_of(self.module) if self.module else None

    @property
    def face(self) -> Face | None:
        """The selected compound, if it is one."""
        module = self.seen.module(self.module) if self.module else None
        return module if isinstance(module, Face) else None

    def place_of(self, port: str) -> Place:
        """A port of the selection, or of something inside it."""
        return Place(self.module, port).inner

    def output(self) -> Place | None:
        """The selection's first output; None if it has none."""
        spec = self.spec
        return self.place_of(spec.outputs[0].id) if spec and spec.outputs else None

    def last_within(self) -> str:
        """The module that gives the selection's first output; of a compound without outputs its last one."""
        output, inside = self.output(), self.inside
        return output.module if output else inside[-1] if inside else ""

    def real_link(self, link: Link) -> Link:
        """The link in the patch that a shown link represents."""
        return replace(link, source=link.source.inner, target=link.target.inner)

    # -- selecting --------------------------------------------------------------------------------------------------

    def select(self, module: str) -> None:
        """Select a module, or none with ""; what is marked beside it no longer is."""
        if module != self.module or self.marked:
            self.module, self.marked = module, frozenset()
            self.changed.emit()

    def mark(self, module: str) -> None:
        """Mark a module beside the selected one, or no longer."""
        if not self.module:
            self.select(module)
        elif module != self.module:
            self.marked ^= {module}
            self.changed.emit()

    def select_all(self, modules: Collection[str]) -> None:
        """Select the first of some modules, or of the closed compounds that contain them, and mark the others; only the
        end of a layer if one is among them. Of none, the selection stays."""
        ends = [layer.output_id for layer in self.seen.layers if layer.output_id in modules]
        shown = ends[:1] or list(dict.fromkeys(self.shown_as(modules)))
        for first in shown[:1]:
            self.select(first)
        for module in shown[1:]:
            self.mark(module)

    def select_shown(self, part: str) -> None:
        """Select a module, or the closed compound that contains it."""
        self.select(self.shown_as((part,))[0])

    def reveal(self, part: str) -> None:
        """Select a module or compound, opening every compound around it; of an open compound, its first module."""
        patch = self._document.patch
        home = parent_of(patch, part)
        while home is not None:
            self.opened |= {home.id}
            home = parent_of(patch, home.id)
        self.look_again()
        self.select_shown(part if self.seen.has(part) else modules_in(patch, (part,))[0])

    def press_compound(self, part: str) -> None:
        """Open a closed compound; close an open one, or the one that contains a module."""
        patch = self._document.patch
        here = compound_of(patch, part) or parent_of(patch, part)
        if here is None:
            return
        if here.id in self.opened:
            chosen = self.module
            within = chosen in modules_in(patch, (here.id,)) or chosen in here.parts
            self.opened -= {here.id}
            self.select("" if within else chosen)
            self.look_again()
            self.select(here.id if within else chosen)
        else:
            self.opened |= {here.id}
            self.select("")
            self.look_again()
            self.select_shown(here.parts[0])
