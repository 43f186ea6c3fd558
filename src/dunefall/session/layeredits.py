"""Edits of layers, of the mix and of the patch as a whole: every method is one undo step, or part of one."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from dataclasses import replace

from dunefall.base.errors import ParameterError
from dunefall.base.layouts import layout_of
from dunefall.catalogue import spec_of
from dunefall.patch import mixing
from dunefall.patch.model import MOST_VOICES, SHARED_ID, Layer, Module, Place
from dunefall.session.edits import Edits

__all__ = ["LayerEdits"]

MAX_PINS = 4


class LayerEdits(Edits):
    """Edits of the open document's layers, mix and values for all."""

    def add_layer(self, name: str) -> str:
        """Add an empty layer with its output; returns the output's id, to be selected."""
        patch = self.patch
        layer_id = patch.free_id("layer")
        layer = Layer(layer_id, name)
        layer = replace(layer, modules=(Module(layer.output_id, "output", name),))
        self.document.edit(f"Add layer {name}", patch.with_layer(layer))
        return layer.output_id

    def remove_layer(self, layer: str) -> None:
        """Remove a layer with everything in it; Shared stays."""
        if layer != SHARED_ID:
            name = self.patch.layer(layer).name
            self.document.edit(f"Remove layer {name}", self.patch.without_layer(layer))

    def set_voices(self, layer: str, voices: int, spread: float, meet: str) -> None:
        """Give a layer 1 to ``MOST_VOICES`` voices, a spread of 0 to 1, and the module where they meet ("": its end).

        Raises
        ------
        ParameterError
            If a number is out of range.
        """
        if not 1 <= voices <= MOST_VOICES or not 0 <= spread <= 1:
            raise ParameterError(f"a layer has 1 to {MOST_VOICES} voices with a spread of 0 to 100 %; got {voices}")
        found = self.patch.layer(layer)
        changed = replace(found, voices=voices, spread=spread, meet=meet)
        self.document.edit(f"Voices of {found.name}", self.patch.with_layer(changed))

    def rename(self, module: str, name: str) -> None:
        """Rename a module; the name of a layer's output is the layer's."""
        patch, name = self.patch, name.strip()[:60]
        if not name:
            return
        layer = patch.layer_of(module)
        changed = patch.with_module(replace(patch.module(module), name=name))
        if module == layer.output_id:
            changed = changed.with_layer(replace(changed.layer(layer.id), name=name))
        self.document.edit(f"Rename {patch.module(module).name}", changed)

    def set_title(self, title: str) -> None:
        """Rename the patch."""
        title = title.strip()[:60]
        if title:
            self.document.edit("Rename the patch", replace(self.patch, title=title))

    def toggle_bypass(self, module: str) -> None:
        """Bypass a module, or use it again."""
        found = self.patch.module(module)
        changed = self.patch.with_module(replace(found, bypassed=not found.bypassed))
        self.document.edit(f"{'Use' if found.bypassed else 'Bypass'} {found.name}", changed)

    def toggle_fold(self, layer: str) -> None:
        """Fold a lane, or open it."""
        found = self.patch.layer(layer)
        label = f"{'Open' if found.folded else 'Fold'} {found.name}"
        self.document.edit(label, self.patch.with_layer(replace(found, folded=not found.folded)))

    def toggle_pin(self, place: Place) -> None:
        """Pin an output in Watch, or take it away; the oldest of four goes for a fifth."""
        patch = self.patch
        pins = tuple(pin for pin in patch.pins if pin != place)
        pins = pins if place in patch.pins else (*pins, place)[-MAX_PINS:]
        self.document.edit(f"Pin {patch.module(place.module).name}", replace(patch, pins=pins))

    # -- the mix --------------------------------------------------------------------------------------------------

    def set_group(self, layer: str, group: str) -> None:
        """Put a layer's row into a group of this name, or into none."""
        found = self.patch.layer(layer)
        label = f"Group {found.name} with {group}" if group else f"Ungroup {found.name}"
        self.document.edit(label, self.patch.with_layer(replace(found, group=group[:60])))

    def set_send(self, layer: str, lane: str, gain: float, *, before: bool = False) -> None:
        """Let a layer send so much, linear, to an effect lane; 0 takes the send away."""
        a, b = self.patch.layer(layer), self.patch.layer(lane)
        changed = mixing.with_send(self.patch, a, b, gain, before=before)
        self.document.edit(f"Send {a.name} to {b.name}", changed, merge=f"send {layer} {lane}")

    def set_key(self, layer: str, source: Place | None) -> None:
        """Let a layer make way for an output, or for nothing."""
        found = self.patch.layer(layer)
        self.document.edit(f"Duck {found.name}", mixing.with_key(self.patch, found, source))

    def add_effect_lane(self, name: str, types: tuple[str, ...]) -> None:
        """Add a shared effect lane of modules in a row.

        Raises
        ------
        PatchError
            If there are as many as there can be.
        """
        self.document.edit(f"Add effect lane {name}", mixing.with_effect_lane(self.patch, name, types))

    def set_master(self, values: Mapping[str, float]) -> None:
        """Set values of the master, which is added if it is not there.

        Raises
        ------
        ParameterError
            If a value is out of range.
        """
        patch = mixing.with_master(self.patch)
        master, spec = mixing.master_of(patch), spec_of("master")
        assert master is not None
        assert spec is not None
        for name, value in values.items():
            patch = patch.with_param(master.id, name, spec.param(name).check(value, '"Master"'))
        self.document.edit("Change Master", patch, merge=f"master {','.join(values)}")

    def move_layer(self, layer: str, by: int) -> None:
        """Move a layer up or down among its neighbours."""
        name = self.patch.layer(layer).name
        self.document.edit(f"Move {name}", mixing.with_moved_layer(self.patch, layer, by))

    def move_along(self, layer: str, loop: Sequence[tuple[float, float, float]]) -> None:
        """Let a layer go round a drawn loop of (seconds, degrees, metres)."""
        found = self.patch.layer(layer)
        self.document.edit(f"Loop of {found.name}", mixing.with_loop(self.patch, found, loop))

    # -- the patch ------------------------------------------------------------------------------------------------

    def set_tempo(self, bpm: float) -> None:
        """Set the tempo in BPM."""
        self.document.edit("Change tempo", replace(self.patch, tempo_bpm=bpm), merge="tempo")

    def set_layout(self, layout: str) -> None:
        """Mix for other loudspeakers; nothing moves."""
        name = layout_of(layout).name
        self.document.edit(f"Mix for {name}", replace(self.patch, layout=layout))

    def reroll(self) -> None:
        """Take another seed, of four digits."""
        self.set_seed(random.randrange(10_000))

    def set_seed(self, seed: int) -> None:
        """Take this seed."""
        self.document.edit("Change seed", replace(self.patch, seed=seed))
