"""What is behind the listener, in more than stereo: modules that place a sound around it have a second pair of
channels, and what comes after them in their layer runs once more, for that pair. At the layer's output it goes to the
speakers behind; wherever else the sound goes, both pairs are added.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from dunefall.base.reach import reached
from dunefall.catalogue.declare import RIGHT, Input, ModuleSpec, Param
from dunefall.compiler.wires import Wire
from dunefall.patch.model import Link, Patch

__all__ = ["BEHIND", "PORT", "Around"]

BEHIND = "~behind"
"""What the name of an instance ends in that has the pair behind."""
PORT = "behind"
"""The output that gives that pair, and the input of a layer's output that takes it."""


@dataclass(frozen=True)
class Around:
    """What is around the listener in a patch.

    Attributes
    ----------
    known : mapping of str to ModuleSpec
        Declarations by id of the module.
    places : frozenset of str
        Modules that place their sound around the listener.
    path : frozenset of str
        What comes after them in their layer, up to its output: it runs for each pair.
    """

    known: Mapping[str, ModuleSpec]
    places: frozenset[str]
    path: frozenset[str]

    @classmethod
    def of(cls, patch: Patch, known: Mapping[str, ModuleSpec], links: Sequence[Link]) -> Around:
        """Follow the sound from the modules that place it; in stereo there is nothing behind.

        Parameters
        ----------
        patch : Patch
            The patch; it is not changed.
        known : mapping of str to ModuleSpec
            Declarations by id of the module.
        links : sequence of Link
            Those that are on.

        Returns
        -------
        Around
        """
        if patch.layout == "stereo":
            return cls(known, frozenset(), frozenset())
        places = {m.id for m in patch.modules() if m.id in known and known[m.id].output(PORT) and not m.bypassed}
        home = {module.id: layer.id for layer in patch.layers for module in layer.modules}
        after: dict[str, list[str]] = {}
        for link in links:
            end = known[link.target.module]
            inside = home[link.source.module] == home[link.target.module]
            gives = any(output.role == "audio" for output in end.outputs) and not end.lane_end
            if inside and gives and link.target.module not in places and _is_sound(known, link):
                after.setdefault(link.source.module, []).append(link.target.module)
        return cls(known, frozenset(places), frozenset(reached(places, after) - places))

    def also(self, wire: Wire) -> list[Wire]:
        """What a wire of the pair in front is beside it: the same between instances of the pair behind, into the
        layer's output behind, or into what both pairs end in.

        Parameters
        ----------
        wire : Wire
            One of the pair in front.

        Returns
        -------
        list of Wire
        """
        link = wire.link
        places = link.source.module in self.places and link.source.port == self.known[link.source.module].outputs[0].id
        follows, into = places or link.source.module in self.path, link.target.module in self.path
        sound, end = _is_sound(self.known, link), self.known[link.target.module]
        port = end.target(link.target.port)
        if sound and follows:
            source, output = wire.source + ("" if places else BEHIND), wire.source_port
            if places:
                output = PORT + (RIGHT if wire.source_port.endswith(RIGHT) else "")
            target, door = wire.target + (BEHIND if into else ""), wire.target_port
            if end.lane_end and isinstance(port, Input) and end.target(PORT) and port.id == end.inputs[0].id:
                door = PORT + (RIGHT if wire.target_port.endswith(RIGHT) else "")
            return [replace(wire, id=wire.id + BEHIND, source=source, source_port=output, target=target,
                            target_port=door, offset_share=wire.offset_share if into else 0.0)]  # fmt: skip
        if into and not _is_heard(port):
            return [replace(wire, id=wire.id + BEHIND, target=wire.target + BEHIND)]
        return []


def _is_sound(known: Mapping[str, ModuleSpec], link: Link) -> bool:
    """Whether a link carries sound into what passes it on."""
    output = known[link.source.module].output(link.source.port)
    return (
        output is not None and output.role == "audio" and _is_heard(known[link.target.module].target(link.target.port))
    )


def _is_heard(port: Input | Param | None) -> bool:
    """Whether a sound that ends here is heard, and does not only shape another."""
    return isinstance(port, Input) and port.role == "audio" and not port.steers
