"""What a Named control shows: what arrives at what it moves, where that is told in its unit; else its own range."""

from __future__ import annotations

from typing import Literal, NamedTuple

from dunefall.base.language import tr
from dunefall.base.units import UNITS
from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Param
from dunefall.catalogue.motion.named_control import MODULE, UNIT_SIGNS
from dunefall.patch.model import Link, Module, Patch

__all__ = ["Scale", "scale_of", "shown_value"]

SHARE = "%"
"""The unit in which a control tells how far it is turned, whatever it moves."""


class Scale(NamedTuple):
    """From what to what a control goes, evenly or in octaves."""

    low: float
    high: float
    octaves: bool = False

    def at(self, share: float) -> float:
        """What it shows at a share of its way, 0..1."""
        if self.octaves:
            return float(self.low * (self.high / self.low) ** share)
        return self.low + share * (self.high - self.low)

    def share(self, shown: float) -> float:
        """Inverse of ``at``."""
        param = Param("", "", "none", self.low, self.high, self.low, taper="octaves" if self.octaves else "even")
        return param.to_rail(shown)


def scale_of(patch: Patch, control: Module) -> Scale:
    """The scale of a Named control: that of the first value that it moves straight and that is told in its unit."""
    given = {param.id: control.params.get(param.id, param.default) for param in MODULE.params}
    sign = UNIT_SIGNS[round(given["unit"])]
    for link in patch.links_from(control.id) if sign not in ("", SHARE) else ():
        arrives = _arrives(patch, link, sign)
        if arrives is not None:
            return arrives
    return Scale(given["low"], given["high"] if given["high"] != given["low"] else given["low"] + 1.0)


def _arrives(patch: Patch, link: Link, sign: str) -> Scale | None:
    module = patch.module(link.target.module)
    spec = spec_of(module.type)
    param = spec.target(link.target.port) if spec else None
    if not isinstance(param, Param) or UNITS[param.unit].sign != sign or not link.on or link.curve != "straight":
        return None
    base = param.to_domain(module.params.get(param.id, param.default)) + link.offset
    least, most = param.domain
    low, high = (param.from_domain(min(max(end, least), most)) for end in (base, base + link.amount))
    return Scale(low, high, param.octaves) if low != high else None


def shown_value(patch: Patch, control: Module) -> Param:
    """The value of a Named control as a parameter in its scale, under its own name; its default is where it stands."""
    scale = scale_of(patch, control)
    sign = UNIT_SIGNS[round(control.params.get("unit", MODULE.param("unit").default))]
    now = scale.at(control.params.get("value", MODULE.param("value").default))
    title, (low, high) = f"{control.name} ({sign})" if sign else control.name, sorted((scale.low, scale.high))
    taper: Literal["octaves", "even"] = "octaves" if scale.octaves else "even"
    return Param("value", title, "none", low, high, now, tr("A value of your own."), taper=taper)
