"""Edits that copy and vary: every method is one undo step."""

from __future__ import annotations

import random
from collections.abc import Collection
from dataclasses import replace

from dunefall.base.errors import PatchError
from dunefall.catalogue.varying import KINDS, varied
from dunefall.patch.copying import Clip, clip_of, clip_of_layer, with_copy, with_sources
from dunefall.patch.model import SHARED_ID, Link, Place
from dunefall.session.edits import Edits

__all__ = ["CopyEdits"]


class CopyEdits(Edits):
    """Copying and varying parts of the open document."""

    def clip(self, modules: Collection[str], *, sources: bool = False) -> Clip:
        """What is to be copied: some modules, their own sources too if so asked; a layer where its end is chosen."""
        ends = [layer.id for layer in self.patch.layers if layer.output_id in modules]
        if ends:
            return clip_of_layer(self.patch, ends[0])
        return clip_of(self.patch, with_sources(self.patch, modules) if sources else modules)

    def paste(self, clip: Clip, layer: str = SHARED_ID, *, label: str = "Paste") -> tuple[str, ...]:
        """Put a copy of a clip into the patch; returns the ids of the new modules.

        Raises
        ------
        PatchError
            If there is nothing to copy.
        """
        copied = with_copy(self.patch, clip, layer)
        if not copied.names:
            raise PatchError("there is nothing to copy: select a module, several (Shift-click), or a layer's head")
        self.document.edit(label, copied.patch)
        return tuple(copied.names.values())

    def vary(self, modules: Collection[str], strength: float, kinds: Collection[str] = KINDS) -> None:
        """Give some modules other values by chance; see ``catalogue.varying``."""
        changed = varied(self.patch, modules, strength, kinds, seed=random.randrange(2**32))
        self.document.edit(f"Randomise {self._called(modules)}", changed)

    def toggle_lock(self, place: Place) -> None:
        """Keep a value out of reach of chance, or no longer."""
        found = self.patch.module(place.module)
        locked = found.locked ^ {place.port}
        label = "Lock" if place.port in locked else "Unlock"
        self.document.edit(f"{label} a value of {found.name}", self.patch.with_module(replace(found, locked=locked)))

    def paste_movement(self, links: Collection[Link], target: Place) -> None:
        """Let a parameter be moved as another one is: the same sources, amounts and curves."""
        patch = self.patch
        there = {module.id for module in patch.modules()}
        known = {link.source for link in patch.links_into(target.module, target.port)}
        for link in links:
            if link.source.module in there and link.source not in known:
                patch = patch.with_link(replace(link, id=patch.free_id("link"), target=target))
        self.document.edit(f"Movement of {patch.module(target.module).name}", patch)

    def _called(self, modules: Collection[str]) -> str:
        return self.patch.module(next(iter(modules))).name if len(modules) == 1 else f"{len(modules)} modules"
