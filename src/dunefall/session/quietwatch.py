"""Modules whose output has not changed for half a minute while the patch plays, and why."""

from __future__ import annotations

from dunefall.base.language import inline, tr, tr_count
from dunefall.base.words import listed
from dunefall.catalogue.compounds import spec_for
from dunefall.compiler.traces import BIN_SAMPLES
from dunefall.patch.model import Module, Patch
from dunefall.render.culprit import TraceReader

__all__ = ["QuietWatch", "quiet_reason"]

QUIET_S, LOOK_S = 30.0, 5.0
STILL = 1e-5
"""An output that moves by less has not moved."""


class QuietWatch:
    """Asked now and then; counts only time in which sound ran.

    Attributes
    ----------
    quiet : frozenset of str
        Modules whose first output has not moved for ``QUIET_S``.
    """

    def __init__(self) -> None:
        self.quiet: frozenset[str] = frozenset()
        self._still_s: dict[str, float] = {}
        self._looked = 0

    def look(self, patch: Patch, traces: TraceReader, position: int, rate: float) -> bool:
        """Look at what has been drawn since the last time; whether anything about ``quiet`` has changed.

        ``position`` is the sample that sounds now. A jump back, or a stop, restarts nothing and counts nothing.

        Parameters
        ----------
        patch : Patch
            The patch; it is not changed.
        traces : TraceReader
            Where traces come from.
        position : int
            Sample since the start of the take.
        rate : float
            Sample rate in Hz.

        Returns
        -------
        bool
        """
        passed = position - self._looked
        if 0 <= passed < LOOK_S * rate:
            return False
        self._looked = position
        if passed < 0 or passed > 2 * LOOK_S * rate:
            return False
        bins = max(2, int(passed / BIN_SAMPLES))
        still: dict[str, float] = {}
        for module in patch.modules():
            trace = traces.trace(module.id)
            if trace is not None and float(trace[-bins:].max()) - float(trace[-bins:].min()) < STILL:
                still[module.id] = self._still_s.get(module.id, 0.0) + passed / rate
        self._still_s = still
        before, self.quiet = self.quiet, frozenset(name for name, time in still.items() if time >= QUIET_S)
        return self.quiet != before


def quiet_reason(patch: Patch, module: Module, quiet: frozenset[str]) -> str:
    """Why a module's output does not change, as the rest of a sentence; empty for one whose values are simply constant.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    module : Module
        The module.
    quiet : frozenset of str
        Modules that give nothing new.

    Returns
    -------
    str
    """
    spec = spec_for(module)
    if spec is None:
        return tr("this version does not know it")
    if module.bypassed:
        return tr("it is bypassed")
    output = patch.layer_of(module.id).output_id
    if module.id == output and module.params.get("mute"):
        return tr("its layer is muted")
    into = [link for link in patch.links_into(module.id) if link.on]
    for port in spec.inputs:
        linked = [link for link in into if link.target.port == port.id]
        if not linked and (port.listens or (port.id == spec.passes and port.role != "gate")):
            return tr("nothing is linked to {name}", name=inline(port.name))
        if linked and all(link.amount == 0.0 for link in linked):
            return tr("what comes into {name} has an amount of 0", name=inline(port.name))
        names = [patch.module(link.source.module).name for link in linked if link.source.module in quiet]
        if linked and len(names) == len(linked):
            return tr_count("{names}, which it takes, gives nothing new either",
                            "{names}, which it takes, give nothing "
                            "new either", len(names), names=listed(names))  # fmt: skip
    return ""
