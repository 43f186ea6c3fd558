"""Which modules of a layer run once for each of its voices."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from dunefall.base.reach import reached
from dunefall.catalogue.declare import ModuleSpec, Param
from dunefall.patch.model import Layer, Link

__all__ = ["SPREAD_OCTAVES", "SPREAD_OTHERS", "per_voice", "spreads"]

SPREAD_OCTAVES = {"note": 0.12, "cents": 12.0}
"""Largest distance of a voice at full spread, in the domain of the unit; other octave domains: ``SPREAD_OTHERS``."""
SPREAD_OTHERS = 0.1


def spreads(param: Param) -> bool:
    """Whether the voices of a layer differ in it."""
    return param.octaves or param.unit in SPREAD_OCTAVES


def per_voice(layer: Layer, known: Mapping[str, ModuleSpec], links: Sequence[Link]) -> set[str]:
    """Ids of a layer's modules that run in each voice: those up to where the voices meet, but for keyboards, which give
    notes to them, and what feeds these; none in a layer with one voice, or without an output.

    Parameters
    ----------
    layer : Layer
        The layer.
    known : mapping of str to ModuleSpec
        Declarations of the patch's modules, by id.
    links : sequence of Link
        Those that are on.

    Returns
    -------
    set of str
    """
    inside = {module.id for module in layer.modules if module.id in known}
    if layer.voices == 1 or not any(known[module].lane_end for module in inside):
        return set()
    after: dict[str, set[str]] = {}
    before: dict[str, set[str]] = {}
    for link in links:
        if link.source.module in inside and link.target.module in inside:
            after.setdefault(link.source.module, set()).add(link.target.module)
            before.setdefault(link.target.module, set()).add(link.source.module)
    keyboards = {id_ for id_ in inside if any(output.per_voice for output in known[id_].outputs)}
    meet = layer.meet if layer.meet in inside else layer.output_id
    return inside - reached(keyboards, before) - reached({meet}, after)
