"""From modules to instances: a layer's modules are repeated for each of its voices, up to where the voices meet, and
for each channel where they are fed stereo.

What runs once: everything in a layer without an output, as Shared; the module where the voices meet and everything
after it; and the keyboards that give notes to the voices with everything that feeds them. A sound that leaves the
voices is their sum; another signal is the first voice's. The first voice is the module itself; the others have their
own random numbers and are slightly off in pitch, frequencies and times.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from dunefall.base.reach import reached
from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import RIGHT, Input, ModuleSpec, Param
from dunefall.catalogue.voicing import SPREAD_OCTAVES, SPREAD_OTHERS, per_voice, spreads
from dunefall.compiler.around import Around
from dunefall.compiler.channels import Channels
from dunefall.compiler.wires import Wire
from dunefall.patch.model import Layer, Link, Module, Patch

__all__ = [
    "Instance",
    "Wire",
    "expand",
    "heard_outside",
    "instance_id",
    "is_audio",
    "leaves_voices",
    "module_key",
    "voice_spread",
]


@dataclass(frozen=True)
class Instance:
    """One module as it runs.

    Attributes
    ----------
    id : str
        The module's, for the first voice; see ``instance_id``.
    voice : int
        Its voice, or -1 where it runs once.
    side : int
        0: the left channel, or the only one; 1: the right one.
    """

    id: str
    module: Module
    spec: ModuleSpec
    layer: Layer
    voice: int
    side: int = 0


def instance_id(module_id: str, voice: int, side: int = 0) -> str:
    """Name of a module's instance in a voice and channel."""
    return (module_id if voice <= 0 else f"{module_id}#{voice}") + ("~right" if side else "")


def module_key(seed: int, instance: str) -> int:
    """Key of an instance's random numbers: it depends on the patch's seed and the instance and on nothing else.

    Parameters
    ----------
    seed : int
        The patch's seed.
    instance : str
        The module as it runs in one voice.

    Returns
    -------
    int
    """
    digest = hashlib.blake2b(f"{seed}/{instance}".encode(), digest_size=8).digest()
    return int.from_bytes(digest, "little")


def voice_spread(instance: Instance, param: Param) -> float:
    """What a voice adds to a base value, in the parameter's domain.

    Parameters
    ----------
    instance : Instance
        The module as it runs in one voice.
    param : Param
        The parameter.

    Returns
    -------
    float
    """
    if instance.voice <= 0 or not spreads(param):
        return 0.0
    place = module_key(0, f"{instance_id(instance.module.id, instance.voice)}.{param.id}") / 2**63 - 1.0
    return instance.layer.spread * SPREAD_OCTAVES.get(param.unit, SPREAD_OTHERS) * place


def expand(patch: Patch) -> tuple[list[Instance], list[Wire]]:
    """Instances in the order of the patch, voices side by side, and the wires between them.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.

    Returns
    -------
    tuple[list[Instance], list[Wire]]
    """
    known = {module.id: spec for module in patch.modules() if (spec := spec_of(module.type))}
    links = [link for link in patch.links if link.on and link.source.module in known and link.target.module in known]
    channels, around = Channels.of(patch, known, links), Around.of(patch, known, links)
    count: dict[str, int] = {}
    instances = []
    for layer in patch.layers:
        many = per_voice(layer, known, links)
        for module in layer.modules:
            if module.id in known:
                count[module.id] = layer.voices if module.id in many else 1
                instances += [
                    Instance(instance_id(module.id, v, side) + pair, module, known[module.id], layer, v, side)
                    for v in (range(layer.voices) if module.id in many else (-1,))
                    for side in ((0, 1) if module.id in channels.doubled else (0,))
                    for pair in around.pairs_of(module.id)
                ]
    home = {module.id: layer.id for layer in patch.layers for module in layer.modules}
    wires = [
        wire
        for link in links
        for front in _wires(link, known, count, channels, home[link.source.module] == home[link.target.module])
        for wire in (front, *around.also(front))
    ]
    return instances, wires


def _wires(
    link: Link, known: dict[str, ModuleSpec], count: dict[str, int], channels: Channels, same_layer: bool
) -> list[Wire]:
    """Voice to voice within a layer; from outside it, whatever its voices, as from one source."""
    source, target = link.source.module, link.target.module
    output, port = known[source].output(link.source.port), known[target].target(link.target.port)
    assert output is not None
    here, there = count[source], count[target]
    if there > 1 and (same_layer or here == 1):
        pairs = [(v if here > 1 else 0, v) for v in range(there)]
    elif output.role == "audio":
        pairs = [(a, b) for b in range(there) for a in range(here)]
    else:
        pairs = [(0, b) for b in range(there)]
    wide, twice = (source, output.id) in channels.wide, target in channels.doubled
    both = twice or (isinstance(port, Input) and port.stereo)
    wires: list[Wire] = []
    for side in (0, 1) if both else (0,):
        fed = {instance_id(target, b, side if twice else 0) for _, b in pairs}
        for a, b in pairs:
            for from_side in (side if wide else 0,) if both or not wide else (0, 1):
                own = from_side and source in channels.doubled
                into = instance_id(target, b, side if twice else 0)
                wires.append(Wire(
                    link.id if not wires else f"{link.id}#{len(wires)}", link,
                    instance_id(source, a, 1 if own else 0), output.id + (RIGHT if from_side and not own else ""),
                    into, link.target.port + (RIGHT if side and not twice else ""),
                    b if output.per_voice else 0, 1.0 if both or not wide else 0.5, float(into in fed),
                ))  # fmt: skip
                fed.discard(into)
    return wires


def is_audio(source: Instance, wire: Wire) -> bool:
    """Whether a wire carries sound.

    Parameters
    ----------
    source : Instance
        Where it begins.
    wire : Wire
        The wire.

    Returns
    -------
    bool
    """
    output = source.spec.output(wire.link.source.port)
    return output is not None and output.role == "audio"


def leaves_voices(wire: Wire, voices: Mapping[str, Instance]) -> bool:
    """Whether a wire leads from a voice to anything but the voices of its layer.

    Parameters
    ----------
    wire : Wire
        The wire.
    voices : mapping of str to Instance
        What runs in a voice, by its name.

    Returns
    -------
    bool
    """
    source, target = voices.get(wire.source), voices.get(wire.target)
    return source is not None and (target is None or target.layer.id != source.layer.id)


def heard_outside(
    voices: Mapping[str, Instance], wires: Sequence[Wire], before: Mapping[str, Sequence[str]]
) -> set[str]:
    """Instances in voices of which something outside needs more than their sound, a clock for one: they never rest,
    nor does what they need.

    Parameters
    ----------
    voices : mapping of str to Instance
        What runs in a voice, by its name.
    wires : sequence of Wire
        All of them.
    before : mapping of str to sequence of str
        From which instances wires lead to each.

    Returns
    -------
    set of str
    """
    outside = [wire for wire in wires if leaves_voices(wire, voices)]
    return reached((wire.source for wire in outside if not is_audio(voices[wire.source], wire)), before) & voices.keys()
