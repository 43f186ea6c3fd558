"""How far links reach: what their sources span, in which unit they are told, and from where to where they move what
they end in."""

from __future__ import annotations

from dataclasses import replace

from dunefall.base.errors import ParameterError
from dunefall.base.language import decimal, tr
from dunefall.catalogue.compounds import output_of, target_of
from dunefall.catalogue.declare import Input, Output, Param
from dunefall.patch.model import Link, Module, Patch, Place

__all__ = ["factor_told", "is_place", "lowest", "range_of", "span_of", "unit_of", "with_range"]

PITCHES = (48.0, 72.0)
"""What a pitch is taken to span: an octave either way of C4."""
FARTHEST = 1000.0


def lowest(module: Module, output: Output) -> float:
    """Lowest value of an output: 0 where the module is set to go upwards only."""
    upwards_only = module.params.get("polarity", 0.0) >= 0.5
    return 0.0 if upwards_only else output.low


def span_of(patch: Patch, place: Place) -> tuple[float, float]:
    """Lowest and highest value of an output."""
    output = output_of(patch, place)
    if output is None or output.role == "pitch":
        return PITCHES
    return lowest(patch.module(place.module), output), output.high


def unit_of(patch: Patch, link: Link) -> str:
    """Unit of what a link ends in, a key of `base.units.UNITS`; a pitch that enters a pitch has a share."""
    target, output = target_of(patch, link.target), output_of(patch, link.source)
    if isinstance(target, Input) and (output is None or output.role == "pitch"):
        return "ratio"
    return target.unit if target else "ratio"


def is_place(patch: Patch, link: Link) -> bool:
    """Whether a link's offset is a place by itself: the note around which a movement makes a pitch."""
    return isinstance(target_of(patch, link.target), Input) and unit_of(patch, link) == "note"


def factor_told(amount: float, unit_octaves: bool) -> str:
    """What an amount in octaves multiplies by, ``× 2.83``; empty for other units."""
    return decimal(f"\u00d7 {2.0 ** min(abs(amount), 1000.0):.3g}") if unit_octaves and amount else ""


def range_of(patch: Patch, link: Link) -> tuple[float, float] | None:
    """Values to which a link alone moves its target, in the target's unit: at the lowest and at the highest of its
    source; None for sounds and gates.

    Parameters
    ----------
    patch : Patch
        The patch.
    link : Link
        One of its links.

    Returns
    -------
    tuple[float, float] or None
    """
    target, (low, high) = target_of(patch, link.target), span_of(patch, link.source)
    if isinstance(target, Param):
        base = target.to_domain(patch.module(link.target.module).params.get(target.id, target.default))
        ends = (base + link.offset + link.amount * low, base + link.offset + link.amount * high)
        return target.from_domain(max(ends[0], -FARTHEST)), target.from_domain(min(ends[1], FARTHEST))
    if target is None or target.role not in ("control", "pitch"):
        return None
    return link.offset + link.amount * low, link.offset + link.amount * high


def with_range(patch: Patch, link: Link, first: float, last: float) -> Link:
    """The link that moves its target from one value to another, in the target's unit, as its source goes from its
    lowest to its highest. From 0 on, where links add up in octaves, it begins at the lowest that there is, fast.

    Parameters
    ----------
    patch : Patch
        The patch.
    link : Link
        One of its links.
    first : float
        The target's value at the source's lowest, in its unit.
    last : float
        The target's value at the source's highest.

    Returns
    -------
    Link

    Raises
    ------
    ParameterError
        If a value is out of the target's range, or the target is a sound or a gate.
    """
    target, (low, high) = target_of(patch, link.target), span_of(patch, link.source)
    if isinstance(target, Param):
        module = patch.module(link.target.module)
        where = tr('"{name}" in layer "{name_2}"', name=module.name, name_2=patch.layer_of(module.id).name)
        zero = target.octaves and (first == 0.0) != (last == 0.0)
        a, b = (target.low if zero and end == 0.0 else target.typed(end, where) for end in (first, last))
        curve = ("early" if first == 0.0 else "late") if zero else link.curve
        base = target.to_domain(module.params.get(target.id, target.default))
        a, b = target.to_domain(a) - base, target.to_domain(b) - base
        link = replace(link, curve=curve)
    elif range_of(patch, link) is None:
        raise ParameterError(tr("a sound or a gate is taken unchanged: set this link's amount instead"))
    elif not (abs(first) <= FARTHEST and abs(last) <= FARTHEST):
        raise ParameterError(tr("a range must lie within −{FARTHEST:g} and {FARTHEST:g}; got {first:g} to {last:g}",
                                FARTHEST=FARTHEST, first=first, last=last))  # fmt: skip
    else:
        a, b = first, last
    amount = (b - a) / (high - low)
    return replace(link, amount=amount, offset=a - amount * low)
