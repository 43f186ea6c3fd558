"""Patches of earlier formats, brought up to the present one: nothing that was saved is lost.

Format 2: a Delay has its dry and wet apart, a cut in Hz in place of a damping factor, and three ranges of its time; a
layer's output has an angle in place of left–right. Format 3: what is kept of a patch beside it; nothing else changed.
"""

from __future__ import annotations

import math
from dataclasses import replace

from dunefall.patch.model import Link, Module, Patch, Place

__all__ = ["migrated"]

OLD_RATE_HZ = 48000.0
OLD_MIX, OLD_DAMPING = 0.35, 0.2
SHORT_S, LONG_S = 0.05, 2.5
SPANS = {"short_s": 0.0, "time_s": 1.0, "long_s": 2.0}
QUARTER_TURN = 90.0


def migrated(patch: Patch, version: int) -> Patch:
    """A patch file of an older format, converted to the present one.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    version : int
        Format number of the file.

    Returns
    -------
    Patch
        A new patch.
    """
    if version >= 2:
        return patch
    times = {m.id: _time_param(m) for m in patch.modules() if m.type == "delay"}
    outputs = {m.id for m in patch.modules() if m.type == "output"}
    layers = tuple(replace(layer, modules=tuple(_module(m) for m in layer.modules)) for layer in patch.layers)
    return replace(patch, layers=layers, links=tuple(_link(link, times, outputs) for link in patch.links))


def _time_param(module: Module) -> str:
    seconds = module.params.get("time_s", 0.4)
    return "short_s" if seconds < SHORT_S else "long_s" if seconds > LONG_S else "time_s"


def _module(module: Module) -> Module:
    params = dict(module.params)
    if module.type == "delay":
        wet, damping = params.pop("mix", OLD_MIX), params.pop("damping", OLD_DAMPING)
        name = _time_param(module)
        params |= {"span": SPANS[name], name: params.pop("time_s", 0.4), "dry": 1.0 - wet, "wet": wet}
        params["high_cut_hz"] = min(max(-math.log(max(damping, 1e-9)) * OLD_RATE_HZ / (2 * math.pi), 200.0), 20000.0)
    elif module.type == "output" and "pan" in params:
        params["angle_deg"] = math.degrees(math.asin(min(max(params.pop("pan"), -1.0), 1.0)))
    return replace(module, params=params)


def _link(link: Link, times: dict[str, str], outputs: set[str]) -> Link:
    module, port = link.target.module, link.target.port
    if module in outputs and port == "pan":
        amount, offset = QUARTER_TURN * link.amount, QUARTER_TURN * link.offset
        return replace(link, target=Place(module, "angle_deg"), amount=amount, offset=offset)
    if module in times:
        ports = {"mix": ("wet", 1.0), "damping": ("high_cut_hz", -4.0), "time_s": (times[module], 1.0)}
        name, scale = ports.get(port, (port, 1.0))
        return replace(link, target=Place(module, name), amount=scale * link.amount, offset=scale * link.offset)
    return link
