"""What the mix makes of a patch: who is heard, and who sends to whom."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.patch.model import MASTER_ID, SHARED_ID, Layer, Link, Module, Patch, Place

__all__ = [
    "MOST_EFFECTS",
    "Way",
    "effect_lanes",
    "heard",
    "key_of",
    "master_of",
    "mix_of",
    "mixed_layers",
    "send_of",
    "with_effect_lane",
    "with_inserts",
    "with_key",
    "with_loop",
    "with_master",
    "with_moved_layer",
    "with_send",
]

MOST_EFFECTS = 4
SOLO, FAINT_SOLO = 1, 2
HALF_TURN, OCTAVES = 180.0, 4.0
"""Degrees and octaves of distance that a drawn loop's 1 stands for."""
FEWEST_HANDLES, MOST_LOOP_POINTS, LOOP_TOLERANCE = 4, 33, 0.015
"""How many places a drawn loop keeps, and how far it may be from what was drawn."""
FAINT = 0.1
"""Gain of what is not soloed where the others stay faint."""


def mixed_layers(patch: Patch) -> list[Layer]:
    """Layers that have a row of their own in the mix, in their order."""
    return [layer for layer in patch.layers if layer.id not in (SHARED_ID, MASTER_ID) and not layer.effects]


def effect_lanes(patch: Patch) -> list[Layer]:
    """The shared effect lanes, in their order."""
    return [layer for layer in patch.layers if layer.effects]


def heard(patch: Patch, module: Module) -> float:
    """How much the solos leave of a layer whose output this is, 0..1; effect lanes are always heard.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    module : Module
        The output of a layer.

    Returns
    -------
    float

    Examples
    --------
    >>> heard(Patch(), Module("a-output", "output", "A"))
    1.0
    """
    if module.type != "output" or round(module.params.get("solo", 0.0)) or not (solos := _solos(patch)):
        return 1.0
    if any(layer.output_id == module.id for layer in patch.layers if layer.effects):
        return 1.0
    return FAINT if FAINT_SOLO in solos else 0.0


def _solos(patch: Patch) -> set[int]:
    """The kinds of solo in a patch."""
    outputs = (module for layer in patch.layers for module in layer.modules if module.id == layer.output_id)
    return {round(module.params.get("solo", 0.0)) for module in outputs} - {0}


def send_of(patch: Patch, layer: Layer, lane: Layer) -> Link | None:
    """The link by which a layer sends to an effect lane.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    layer : Layer
        The layer that sends.
    lane : Layer or str
        The effect lane.

    Returns
    -------
    Link or None
    """
    links = patch.links_into(lane.sends_id, "audio")
    return next((link for link in links if link.source.module == layer.output_id), None)


def key_of(patch: Patch, layer: Layer) -> Place | None:
    """What a layer is ducked by.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    layer : Layer
        The layer that makes way.

    Returns
    -------
    Place or None
    """
    links = patch.links_into(layer.output_id, "duck")
    return links[0].source if links else None


def master_of(patch: Patch) -> Module | None:
    """What the whole mix goes through, if there is such a thing."""
    return _of_type(patch, "master")


def _of_type(patch: Patch, type_id: str) -> Module | None:
    return next((module for module in patch.modules() if module.type == type_id), None)


def with_send(patch: Patch, layer: Layer, lane: Layer, gain: float, *, before: bool = False) -> Patch:
    """A patch in which a layer sends so much, linear, to an effect lane; 0 takes the send away.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    layer : Layer
        The layer that sends.
    lane : Layer
        The effect lane.
    gain : float
        Linear gain; 0 takes it away.
    before : bool
        Whether it is taken before the level.

    Returns
    -------
    Patch
        The changed patch.
    """
    old = send_of(patch, layer, lane)
    if gain <= 0.0:
        return patch.without_link(old.id) if old else patch
    source = Place(layer.output_id, "before" if before else "out")
    if old:
        return patch.with_link(replace(old, source=source, amount=gain))
    return patch.with_link(Link(patch.free_id("send"), source, Place(lane.sends_id, "audio"), gain))


def with_key(patch: Patch, layer: Layer, source: Place | None) -> Patch:
    """A patch in which a layer makes way for something else, or for nothing.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    layer : Layer
        The layer that makes way.
    source : Place or None
        For what; None: for nothing.

    Returns
    -------
    Patch
        The changed patch.
    """
    target = Place(layer.output_id, "duck")
    for link in patch.links_into(target.module, target.port):
        patch = patch.without_link(link.id)
    return patch.with_link(Link(patch.free_id("duck"), source, target)) if source else patch


def with_effect_lane(patch: Patch, name: str, types: tuple[str, ...]) -> Patch:
    """A patch with one more shared effect lane of modules of these types in a row, each all wet.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    name : str
        Name of the lane.
    types : tuple of str
        Types of the modules, in the order of the sound.

    Returns
    -------
    Patch
        The changed patch.

    Raises
    ------
    PatchError
        If there are ``MOST_EFFECTS`` already.
    """
    if len(effect_lanes(patch)) >= MOST_EFFECTS:
        raise PatchError(tr("there are {MOST_EFFECTS} effect lanes already: remove one, or add modules to it",
                            MOST_EFFECTS=MOST_EFFECTS))  # fmt: skip
    layer = Layer(patch.free_id("effects"), name, effects=True)
    modules = [Module(layer.sends_id, "sends", tr("To {name}", name=name)[:60])]
    for k, type_id in enumerate(types):
        modules.append(Module(f"{layer.id}-{type_id}-{k}", type_id, name, {"dry": 0.0, "wet": 1.0}))
    modules.append(Module(layer.output_id, "output", name, {"level_db": -6.0}))
    patch = patch.with_layer(replace(layer, modules=tuple(modules)))
    for a, b in pairwise(modules):
        patch = patch.with_link(Link(patch.free_id("link"), Place(a.id, "out"), Place(b.id, "audio")))
    return patch


@dataclass(frozen=True)
class Way:
    """The drawn loop that a layer goes round: a gesture whose course across and up are its angle and its distance.

    Attributes
    ----------
    gesture : str
        The module that holds the loop.
    places : tuple of (degrees, metres)
        Where it goes through, at even times.
    """

    gesture: str
    places: tuple[tuple[float, float], ...]
    middle: tuple[float, float]
    reach: tuple[float, float]

    @classmethod
    def of(cls, patch: Patch, output: Module) -> Way | None:
        """The loop of a layer, by its output; None where it is moved by something else, or by nothing.

        Parameters
        ----------
        patch : Patch
            The patch; it is not changed.
        output : Module
            The layer's output.

        Returns
        -------
        Way or None
        """
        links = [next(iter(patch.links_into(output.id, port)), None) for port in ("angle_deg", "distance_m")]
        across, away = links
        if not across or not away or across.source.module != away.source.module:
            return None
        gesture = patch.module(across.source.module)
        paths = [gesture.series.get(name, ()) for name in ("path_x", "path_y")]
        if gesture.type != "gesture" or (across.source.port, away.source.port) != ("x", "y") or not all(paths):
            return None
        middle = (output.params.get("angle_deg", 0.0), output.params.get("distance_m", 1.0))
        reach = (across.amount, away.amount)
        places = ((middle[0] + reach[0] * x, middle[1] * 2 ** (reach[1] * y)) for x, y in zip(*paths, strict=False))
        return cls(gesture.id, tuple(places), middle, reach)

    def paths(self, places: Sequence[tuple[float, float]]) -> dict[str, tuple[float, ...]]:
        """The gesture's series for other places.

        Parameters
        ----------
        places : iterable of Path
            Files.

        Returns
        -------
        dict[str, tuple[float, ...]]
        """
        across = [_within((angle - self.middle[0]) / (self.reach[0] or 1.0)) for angle, _ in places]
        away = [_within(math.log2(far / self.middle[1]) / (self.reach[1] or 1.0)) for _, far in places]
        return {"path_x": tuple(across), "path_y": tuple(away)}


def _within(value: float) -> float:
    return round(min(max(value, -1.0), 1.0), 4)


def _even_times(loop: Sequence[tuple[float, float, float]], middle: float) -> tuple[list[float], list[float]]:
    """A drawn, closed loop across and away in -1..1, at the fewest even times that leave its form."""
    times = np.array([x[0] for x in loop]) - loop[0][0]
    drawn = np.array([(x[1] / HALF_TURN, math.log2(x[2] / middle) / OCTAVES) for x in loop])
    drawn[:, 0] = np.unwrap(drawn[:, 0], period=2.0)  # a way round the listener goes on behind
    for count in range(FEWEST_HANDLES, MOST_LOOP_POINTS):
        even = np.linspace(0.0, times[-1], count)
        kept = np.stack([np.interp(even, times, drawn[:, k]) for k in range(2)])
        again = np.stack([np.interp(times, even, row) for row in kept], axis=1)
        if np.abs(again - drawn).max() <= LOOP_TOLERANCE:
            break
    return [_within((x + 1.0) % 2.0 - 1.0) for x in kept[0]], [_within(y) for y in kept[1]]


def with_loop(patch: Patch, layer: Layer, loop: Sequence[tuple[float, float, float]]) -> Patch:
    """A patch in which a layer follows a drawn loop of (seconds, degrees, metres), at the speed at which it was drawn.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    layer : Layer
        The layer that moves.
    loop : sequence of (float, float, float)
        Seconds, degrees and metres along the way.

    Returns
    -------
    Patch
        The changed patch.
    """
    output = patch.module(layer.output_id)
    seconds = min(max(loop[-1][0] - loop[0][0], 2.0), 3600.0)
    middle = math.sqrt(min(x[2] for x in loop) * max(x[2] for x in loop))
    across, away = _even_times(loop, middle)
    for port in ("angle_deg", "distance_m"):
        for link in patch.links_into(output.id, port):
            patch = patch.without_link(link.id)
    gesture = Module(
        patch.free_id("gesture"), "gesture", tr("Way of {name}", name=layer.name)[:60],
        {"length_s": seconds, "smooth_s": 0.3, "turning": 1.0},
        series={"path_x": tuple(across), "path_y": tuple(away)},
    )  # fmt: skip
    patch = patch.with_new_module(layer.id, gesture)
    patch = patch.with_param(output.id, "angle_deg", 0.0).with_param(output.id, "distance_m", round(middle, 2))
    for source, port, amount in (("x", "angle_deg", HALF_TURN), ("y", "distance_m", OCTAVES)):
        link = Link(patch.free_id("link"), Place(gesture.id, source), Place(output.id, port), amount)
        patch = patch.with_link(link)
    return patch


def with_master(patch: Patch) -> Patch:
    """A patch whose whole mix goes through a Master.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.

    Returns
    -------
    Patch
        The changed patch.
    """
    if master_of(patch):
        return patch
    strip = Module("master-strip" if not patch.has("master-strip") else patch.free_id("master"), "master", tr("Master"))
    if any(layer.id == MASTER_ID for layer in patch.layers):  # what is left in it stays
        return patch.with_new_module(MASTER_ID, strip)
    return patch.with_layer(Layer(MASTER_ID, tr("Master"), (strip,), folded=True))


def mix_of(patch: Patch) -> Module | None:
    """Where the whole mix is heard for what is inserted before the master, if there is such a thing."""
    return _of_type(patch, "whole-mix")


def with_inserts(patch: Patch) -> Patch:
    """A patch whose mix goes over links to the Master, so that modules can be put between.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.

    Returns
    -------
    Patch
        The changed patch.
    """
    if mix_of(patch):
        return patch
    patch = with_master(patch)
    master = master_of(patch)
    assert master is not None
    whole, layer = Module(patch.free_id("whole-mix"), "whole-mix", tr("Whole mix")), patch.layer_of(master.id)
    patch = patch.with_layer(replace(layer, modules=(whole, *layer.modules)))
    return patch.with_link(Link(patch.free_id("link"), Place(whole.id, "out"), Place(master.id, "audio")))


def with_moved_layer(patch: Patch, layer_id: str, by: int) -> Patch:
    """A patch with a layer moved up or down among its neighbours of the same kind.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    layer_id : str
        Id of the layer.
    by : int
        How many places, down if positive.

    Returns
    -------
    Patch
        The changed patch.
    """
    layers = list(patch.layers)
    here = next(k for k, layer in enumerate(layers) if layer.id == layer_id)
    alike = [k for k, layer in enumerate(layers) if layer.effects == layers[here].effects and layer.id not in (
        SHARED_ID, MASTER_ID)]  # fmt: skip
    place = alike.index(here) + by
    if 0 <= place < len(alike):
        there = alike[place]
        layers[here], layers[there] = layers[there], layers[here]
    return replace(patch, layers=tuple(layers))
