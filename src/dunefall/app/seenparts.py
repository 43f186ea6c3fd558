"""The patch as the lanes and the inspector show it, each closed compound as one module, and what is selected in it."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from dunefall.app.parts import WindowParts
from dunefall.catalogue.compounds import Face, Seeing, outermost, spec_for
from dunefall.catalogue.declare import ModuleSpec
from dunefall.patch.compounds import modules_in, parent_of
from dunefall.patch.model import Layer, Link, Patch, Place

__all__ = ["SeenParts"]


class SeenParts(WindowParts):
    """What is shown, and what is selected.

    Attributes
    ----------
    seen : Patch
        The patch with each closed compound as one module.
    opened : frozenset of str
        Compounds that show their parts.
    """

    seen: Patch
    opened: frozenset[str] = frozenset()
    _seeing: Seeing

    def see(self, patch: Patch) -> Patch:
        """The patch as it is shown from now on."""
        self.opened &= {compound.id for compound in patch.compounds}
        self.seen = self._seeing.seen(patch, self.opened)
        return self.seen

    # -- what the selection stands for --------------------------------------------------------------------------

    @property
    def spec_of_selection(self) -> ModuleSpec | None:
        """The declaration of the selected module or compound."""
        chosen = self.canvas.selection
        return spec_for(self.seen.module(chosen)) if chosen else None

    @property
    def layer_of_selection(self) -> Layer | None:
        """The layer of what is selected."""
        return self.seen.layer_of(self.canvas.selection) if self.canvas.selection else None

    @property
    def chosen_modules(self) -> tuple[str, ...]:
        """All selected modules, and those in selected compounds."""
        return modules_in(self.session.patch, self.canvas.chosen)

    @property
    def face(self) -> Face | None:
        """The selected compound, if it is one."""
        chosen = self.canvas.selection
        module = self.seen.module(chosen) if chosen else None
        return module if isinstance(module, Face) else None

    def place_of(self, port: str) -> Place:
        """A port of the selection, or of what stands in it."""
        return Place(self.canvas.selection, port).inner

    def output_place(self) -> Place | None:
        """The selection's first output; None if it has none."""
        spec = self.spec_of_selection
        return self.place_of(spec.outputs[0].id) if spec and spec.outputs else None

    def real_link(self, link: Link) -> Link:
        """A link as it is shown, as it stands in the patch."""
        return replace(link, source=link.source.inner, target=link.target.inner)

    def as_seen(self, modules: Collection[str]) -> frozenset[str]:
        """Modules, and closed compounds whose first output is that of one of them."""
        faces = (module for module in self.seen.modules() if isinstance(module, Face))
        return frozenset(modules) | {face.id for face in faces if face.output and face.output.module in modules}

    # -- selecting -----------------------------------------------------------------------------------------------

    def select_seen(self, part: str) -> None:
        """Select a module, or the closed compound in which it stands."""
        self.canvas.select(outermost(self.session.patch, self.opened).get(part, part))

    def reveal(self, part: str) -> None:
        """Select a module or compound; the compounds in which it stands are opened."""
        home = parent_of(self.session.patch, part)
        while home is not None:
            self.opened |= {home.id}
            home = parent_of(self.session.patch, home.id)
        self._look_again()
        self.canvas.select(part)

    def _look_again(self) -> None:
        self.show_patch(self.session.patch, self.session.patch)
