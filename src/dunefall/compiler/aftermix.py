"""What runs when all layers are in the mix: the master, and what is inserted on the whole mix before it.

Those modules come last in each quantum. Whatever else listens to them, or to the master itself, hears the quantum
before: there is no other order in which a layer could hear the mix that it is part of.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from dunefall.base.reach import reached
from dunefall.catalogue.declare import Input
from dunefall.compiler.voices import Instance
from dunefall.compiler.wires import Wire

__all__ = ["AfterMix", "without_inserts"]


@dataclass(frozen=True)
class AfterMix:
    """The instances that run last.

    Attributes
    ----------
    modules : frozenset of str
        All of them.
    ends : frozenset of str
        Those in which everything ends: the master.
    """

    modules: frozenset[str]
    ends: frozenset[str]

    @classmethod
    def of(cls, instances: Sequence[Instance], wires: Sequence[Wire]) -> AfterMix:
        """Follow the mix from where it is heard, within its layer.

        Parameters
        ----------
        instances : sequence of Instance
            What runs.
        wires : sequence of Wire
            The wires between them.

        Returns
        -------
        AfterMix
        """
        home = {instance.id: instance.layer.id for instance in instances}
        ends = {instance.id for instance in instances if instance.spec.closes}
        after: dict[str, list[str]] = {}
        for wire in wires:
            if home[wire.source] == home[wire.target] and wire.source not in ends:
                after.setdefault(wire.source, []).append(wire.target)
        heard = reached((instance.id for instance in instances if instance.spec.hears_mix), after)
        return cls(frozenset(heard), frozenset(ends))

    def waits(self, wire: Wire) -> bool:
        """Whether what a wire carries from the mix arrives in the next quantum only.

        Parameters
        ----------
        wire : Wire
            A wire.

        Returns
        -------
        bool
        """
        return wire.source in self.ends or (wire.source in self.modules and wire.target not in self.modules)


def without_inserts(instances: Sequence[Instance], wires: Sequence[Wire]) -> list[Wire]:
    """The wires but for those that bring the mix back to the master: it takes the mix as the layers made it, of which
    stems are parts that add up.

    Parameters
    ----------
    instances : sequence of Instance
        What runs.
    wires : sequence of Wire
        The wires between them.

    Returns
    -------
    list of Wire
    """
    ends = [instance for instance in instances if instance.spec.closes]
    doors = {(end.id, port.id) for end in ends for port in end.spec.target_rows if isinstance(port, Input)}
    return [wire for wire in wires if (wire.target, wire.target_port) not in doors]
