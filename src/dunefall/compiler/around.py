"""What is around the listener, in more than stereo: modules that place a sound there have a second pair of channels,
behind, and what comes after them in their layer runs once more, for that pair. At the layer's output it goes to the
speakers behind; wherever else the sound goes, the pairs are added. The whole mix has a third one in 5.1: the centre and
the low effects.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from dunefall.base.reach import reached
from dunefall.catalogue.declare import RIGHT, Input, ModuleSpec, Param
from dunefall.compiler.wires import Wire
from dunefall.patch.model import Link, Patch

__all__ = ["BEHIND", "MIDDLE", "Around"]

BEHIND, MIDDLE = "behind", "middle"
"""The outputs that give those pairs, and the inputs of what they end in."""
PAIRS = {"stereo": (), "quad": (BEHIND,), "5.1": (BEHIND, MIDDLE)}
"""What there is beside the pair in front, by the layout."""


@dataclass(frozen=True)
class Around:
    """What is around the listener in a patch.

    Attributes
    ----------
    known : mapping of str to ModuleSpec
        Declarations by id of the module.
    places : mapping of str to frozenset of str
        For each pair, the modules that give it.
    paths : mapping of str to frozenset of str
        For each pair, what comes after them in their layer, up to its output: it runs for that pair, too.
    """

    known: Mapping[str, ModuleSpec]
    places: Mapping[str, frozenset[str]]
    paths: Mapping[str, frozenset[str]]

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
        works = [m.id for m in patch.modules() if m.id in known and (not m.bypassed or known[m.id].hears_mix)]
        places = {pair: frozenset(x for x in works if known[x].output(pair)) for pair in PAIRS[patch.layout]}
        placing = frozenset(giver for givers in places.values() for giver in givers)
        home = {module.id: layer.id for layer in patch.layers for module in layer.modules}
        after: dict[str, list[str]] = {}
        for link in links:
            end = known[link.target.module]
            inside = home[link.source.module] == home[link.target.module]
            gives = any(output.role == "audio" for output in end.outputs) and not end.ends
            if inside and gives and link.target.module not in placing and _is_sound(known, link):
                after.setdefault(link.source.module, []).append(link.target.module)
        paths = {pair: frozenset(reached(givers, after) - placing) for pair, givers in places.items()}
        return cls(known, places, paths)

    def pairs_of(self, module: str) -> list[str]:
        """What the names of a module's instances end in, one for each pair that it runs for: nothing in front.

        Parameters
        ----------
        module : str
            Its id.

        Returns
        -------
        list of str
        """
        return ["", *(_ending(pair) for pair, path in self.paths.items() if module in path)]

    def also(self, wire: Wire) -> list[Wire]:
        """What a wire of the pair in front is beside it, for each other pair: the same between its instances, into its
        own input of a layer's output or the master, or into what all pairs end in.

        Parameters
        ----------
        wire : Wire
            One of the pair in front.

        Returns
        -------
        list of Wire
        """
        return [other for pair in self.places if (other := self._beside(wire, pair)) is not None]

    def _beside(self, wire: Wire, pair: str) -> Wire | None:
        link = wire.link
        places = (
            link.source.module in self.places[pair] and link.source.port == self.known[link.source.module].outputs[0].id
        )
        follows, into = places or link.source.module in self.paths[pair], link.target.module in self.paths[pair]
        sound, end = _is_sound(self.known, link), self.known[link.target.module]
        port, ending = end.target(link.target.port), _ending(pair)
        if sound and follows:
            source, output = wire.source + ("" if places else ending), wire.source_port
            if places:
                output = pair + (RIGHT if wire.source_port.endswith(RIGHT) else "")
            target, door = wire.target + (ending if into else ""), wire.target_port
            if isinstance(port, Input) and end.target(pair) and port.id == end.inputs[0].id:
                door = pair + (RIGHT if wire.target_port.endswith(RIGHT) else "")
            return replace(wire, id=wire.id + ending, source=source, source_port=output, target=target,
                           target_port=door, offset_share=wire.offset_share if into else 0.0)  # fmt: skip
        if into and not _is_heard(port):
            return replace(wire, id=wire.id + ending, target=wire.target + ending)
        return None


def _ending(pair: str) -> str:
    return f"~{pair}"


def _is_sound(known: Mapping[str, ModuleSpec], link: Link) -> bool:
    """Whether a link carries sound into what passes it on."""
    output = known[link.source.module].output(link.source.port)
    return (
        output is not None and output.role == "audio" and _is_heard(known[link.target.module].target(link.target.port))
    )


def _is_heard(port: Input | Param | None) -> bool:
    """Whether a sound that ends here is heard, and does not only shape another."""
    return isinstance(port, Input) and port.role == "audio" and not port.steers
