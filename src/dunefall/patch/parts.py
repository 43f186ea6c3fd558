"""What a patch is made of: layers, modules, links, compounds, and the places that links join."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from dunefall.base.language import tr

__all__ = [
    "CURVES", "MASTER_ID", "MOST_NESTED", "MOST_VOICES", "OUTPUT_ID", "SENDS_ID", "SHARED_ID", "UNTITLED", "Compound",
    "Control", "KeptTake", "Layer", "Link", "Module", "Moment", "Place", "Port", "SoundRef",
]  # fmt: skip

SHARED_ID = "shared"
MASTER_ID = "master"
UNTITLED = tr("Untitled")
OUTPUT_ID = "output"
SENDS_ID = "sends"
MOST_VOICES = 16
MOST_NESTED = 4
"""Compounds within compounds, the outermost one counted."""
CURVES = ("straight", "late", "early", "smooth")
"""Response curves of a link: as it is; slow start; fast start; slow at both ends."""


@dataclass(frozen=True)
class KeptTake:
    """A take that a patch keeps.

    Attributes
    ----------
    name : str
        No other one is called so.
    take : patch.take.Take
        It begins with a patch itself, which is declared above this one.
    """

    name: str
    take: Any


@dataclass(frozen=True)
class Moment:
    """A place in time that is worth coming back to.

    Attributes
    ----------
    at_s : float
        Seconds since the start of the take.
    name : str
    until_s : float
        Where it ends; 0: it is a point.
    """

    at_s: float
    name: str
    until_s: float = 0.0


@dataclass(frozen=True)
class SoundRef:
    """A sound file that a module plays.

    Attributes
    ----------
    path : str
        Its path: absolute in an open patch, relative to the patch in a file.
    digest : str
        Of its bytes: tells whether it is still the same sound.
    """

    path: str
    digest: str


@dataclass(frozen=True)
class Module:
    """One processing unit.

    Attributes
    ----------
    id : str
        Unique in the patch and never changed: the module's random numbers are keyed by it.
    type : str
        The id of its declaration in the catalogue.
    name : str
        The user's name for it.
    params : mapping of str to float
        Base values that differ from the declared defaults; choices by index.
    bypassed : bool
        Passes its sound on unchanged, or rests.
    sound : SoundRef or None
        The file that it plays.
    series : mapping of str to tuple of float
        Series of numbers that differ from the declared defaults: steps, points, lists.
    locked : frozenset of str
        Parameters that chance leaves alone when values are randomised.
    extra : mapping
        Fields of the file that this version does not know; kept and saved again.
    """

    id: str
    type: str
    name: str
    params: Mapping[str, float] = field(default_factory=dict)
    bypassed: bool = False
    sound: SoundRef | None = None
    series: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    locked: frozenset[str] = frozenset()
    extra: Mapping[str, object] = field(default_factory=dict)


@dataclass(frozen=True)
class Place:
    """A port or parameter of a module."""

    module: str
    port: str

    def __str__(self) -> str:
        return f"{self.module}.{self.port}"

    @property
    def inner(self) -> Place:
        """The place itself; where it is a port of a closed compound (named ``module.port``), that module's port."""
        module, dot, port = self.port.partition(".")
        return Place(module, port) if dot else self


@dataclass(frozen=True)
class Link:
    """A connection from an output to an input or parameter.

    Attributes
    ----------
    amount : float
        Change of the target, in its own domain and unit, per 1.0 of the source.
    offset : float
        Added to the target in the same unit, whatever the source does.
    curve : str
        One of ``CURVES``, applied to the source.
    on : bool
        A link that is off changes nothing.
    """

    id: str
    source: Place
    target: Place
    amount: float = 1.0
    offset: float = 0.0
    curve: str = "straight"
    on: bool = True
    extra: Mapping[str, object] = field(default_factory=dict)


@dataclass(frozen=True)
class Layer:
    """One voice of the soundscape, or Shared. Every layer but Shared ends in an output module.

    Attributes
    ----------
    voices : int
        How many copies of its modules run side by side (1 to ``MOST_VOICES``), each with its own random numbers.
    spread : float [0, 1]
        How far its voices are spread in pitch, frequencies and times.
    meet : str
        Module at which the voices meet: it and what follows run once. Empty: the layer's output.
    effects : bool
        A shared effect lane: it takes what the layers send.
    group : str
        Layers of the same name here are moved, muted and soloed together in the mix; empty: none.
    """

    id: str
    name: str
    modules: tuple[Module, ...] = ()
    folded: bool = False
    voices: int = 1
    spread: float = 0.5
    meet: str = ""
    effects: bool = False
    group: str = ""
    extra: Mapping[str, object] = field(default_factory=dict)

    @property
    def output_id(self) -> str:
        """Id of the module in which the layer's sound ends."""
        return f"{self.id}-{OUTPUT_ID}"

    @property
    def sends_id(self) -> str:
        """Id of the module in which an effect lane takes what is sent to it."""
        return f"{self.id}-{SENDS_ID}"


@dataclass(frozen=True)
class Control:
    """A parameter of a module in a compound, under a name and within a range of the compound's own."""

    place: Place
    name: str
    low: float
    high: float


@dataclass(frozen=True)
class Port:
    """An input or output of a module in a compound, under a name of the compound's own."""

    place: Place
    name: str


@dataclass(frozen=True)
class Compound:
    """Some modules of one layer that are shown and used as one. What sounds is the modules: a compound changes nothing.

    Attributes
    ----------
    id : str
        Unique among modules, layers and compounds.
    parts : tuple of str
        The modules and compounds directly in it; each is in one compound at most.
    controls : tuple of Control
        The first one's value is on its card.
    ports : tuple of Port
        Inputs and outputs in their order; the first output is the one that its card shows.
    bypassed : bool
        All its modules are; ``resting`` are those that were before.
    library : str
        The file in the user's library that it came from or went to last; empty: none.
    digest : str
        Of that file's bytes.
    """

    id: str
    name: str
    about: str = ""
    parts: tuple[str, ...] = ()
    controls: tuple[Control, ...] = ()
    ports: tuple[Port, ...] = ()
    bypassed: bool = False
    resting: tuple[str, ...] = ()
    library: str = ""
    digest: str = ""
    extra: Mapping[str, object] = field(default_factory=dict)

    def names(self) -> dict[Place, str]:
        """The names of its controls and ports, by the places inside."""
        return {x.place: x.name for x in self.controls} | {x.place: x.name for x in self.ports}

    def without(self, gone: Collection[str]) -> Compound:
        """This compound without some of its modules and compounds.

        Parameters
        ----------
        gone : collection of str
            Ids of modules.

        Returns
        -------
        Compound
            The smaller compound.
        """
        kept = tuple(part for part in self.parts if part not in gone)
        controls = tuple(control for control in self.controls if control.place.module not in gone)
        ports = tuple(port for port in self.ports if port.place.module not in gone)
        resting = tuple(module for module in self.resting if module not in gone)
        return replace(self, parts=kept, controls=controls, ports=ports, resting=resting)
