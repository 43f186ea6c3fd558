"""The desk at which variations are judged: what is to be varied, what everything looks like, what differs by how much.

It knows no window. What it is asked for comes later, from worker processes; ``step`` is asked now and then.
"""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import BrokenExecutor, Future
from dataclasses import dataclass, replace

import numpy as np

from dunefall.base.language import tr
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.varying import KINDS, kind_of
from dunefall.deliver.workers import Workers, begin_work
from dunefall.patch.changes import ParamSet
from dunefall.patch.family import State
from dunefall.patch.mixing import master_of, mixed_layers
from dunefall.patch.model import Patch
from dunefall.vary.differences import Difference, Effect, differences, effect_of, touched_by
from dunefall.vary.looks import Look, Looks
from dunefall.vary.states import checked_patch_of
from dunefall.vary.variations import SEEDS, USUAL_KINDS, free_values, seeded
from dunefall.vary.words import Chance, chance_of, difference_of, words_of

__all__ = ["COUNT", "Comparison", "Desk", "Told"]

COUNT = 12
LISTENED_S, EFFECT_S = 12.0, 5.0
MOST_PATCHES = 400
MOST_TRIM_DB, HIGHEST_DB = 18.0, 24.0
FARTHEST = 5.0
"""Steps that are heard, in every dimension, of what counts as wholly changed."""


@dataclass(frozen=True)
class Told:
    """What is known of a state beside its parent.

    Attributes
    ----------
    look : Look or None
        None: it is being made.
    words : str
    change : str
        As ``22 % change``.
    kinds : str
        Which kinds of values changed.
    """

    look: Look | None
    words: str = ""
    change: str = ""
    kinds: str = ""


class Comparison:
    """What differs between two patches, and, one after the other, how much of it is heard.

    Parameters
    ----------
    before, after : Patch
        Both.

    Attributes
    ----------
    found : list of Difference
    effects : dict of int to Effect
        By their place in ``found``.
    """

    def __init__(self, before: Patch, after: Patch) -> None:
        self.before, self.after = before, after
        self.found: list[Difference] = differences(before, after)
        self.touched = touched_by(before, self.found)
        self.effects: dict[int, Effect] = {}

    @property
    def next(self) -> int | None:
        """The place of one that was not listened to yet."""
        return next((k for k in range(len(self.found)) if k not in self.effects), None)


class Desk:
    """All of Vary but the window.

    Attributes
    ----------
    layers : tuple of str
        Layers that vary; empty: all of the mix.
    modules : frozenset of str
        Only these of them; empty: all.
    kinds : tuple of str
        See ``catalogue.varying.KINDS``.
    strength : float
    seconds : float
        How long everything is listened to.
    """

    def __init__(self, workers: Workers) -> None:
        self.workers = workers
        self.looks = Looks(workers)
        self.layers: tuple[str, ...] = ()
        self.modules: frozenset[str] = frozenset()
        self.kinds: tuple[str, ...] = USUAL_KINDS
        self.strength, self.seconds = 0.35, LISTENED_S
        self._patches: dict[int, tuple[State, Patch]] = {}
        self._others: list[Patch] = []
        self._told: dict[int, tuple[Look, Look | None, Told]] = {}
        self._comparison: Comparison | None = None
        self._listening: tuple[Future[Effect], Comparison, int] | None = None

    # -- what varies --------------------------------------------------------------------------------------------------

    def chosen(self, patch: Patch) -> frozenset[str]:
        """Ids of the modules that vary."""
        layers = [layer for layer in patch.layers if layer.id in self.layers] or list(mixed_layers(patch))
        there = frozenset(module.id for layer in layers for module in layer.modules)
        return there & self.modules or there

    def free(self, patch: Patch) -> int:
        """How many values may change."""
        return free_values(patch, self.chosen(patch), self.kinds)

    def locked(self, patch: Patch) -> int:
        """How many of their values are locked."""
        return sum(len(patch.module(module).locked) for module in self.chosen(patch))

    def toggle_kind(self, kind: str) -> None:
        """Vary a kind of values, or no longer; one at least is varied."""
        kinds = tuple(k for k in KINDS if (k in self.kinds) != (k == kind))
        self.kinds = kinds or self.kinds

    # -- what everything is like ----------------------------------------------------------------------------------

    def know(self, state: State, patch: Patch) -> None:
        """The patch of a state, which was made just now."""
        self._patches[id(state)] = (state, patch)

    def patch_of(self, patch: Patch, state: State) -> Patch:
        """The patch of a state of a patch's family; worked out once."""
        known = self._patches.get(id(state))
        if known is None:
            if len(self._patches) > MOST_PATCHES:
                self._patches.clear()
            known = self._patches[id(state)] = (state, checked_patch_of(patch.family, state))
        return known[1]

    def _seeds(self, parent: Patch) -> list[Patch]:
        """A patch with other seeds: they tell how much chance alone makes of it."""
        if not self._others or self._others[0] is not parent:
            self._others = seeded(parent)
        return self._others

    def ask(self, patch: Patch, parent: Patch, board: Sequence[State]) -> None:
        """Have looks made at a parent, a board, and the parent's other seeds, unless they are there."""
        modules = self.chosen(patch)
        self.looks.forget_waiting()
        self.looks.ask(parent, modules, self.seconds)
        for state in board:
            self.looks.ask(self.patch_of(patch, state), modules, self.seconds)
        for other in self._seeds(parent)[1:]:
            self.looks.ask(other, modules, self.seconds, sound=False)

    def ask_snapshots(self, patch: Patch, states: Sequence[State]) -> None:
        """Have looks made at snapshots, after all else."""
        for state in states:
            self.looks.ask(self.patch_of(patch, state), self.chosen(patch), self.seconds, sound=False)

    def as_loud(self, patch: Patch, other: Patch) -> Patch:
        """A patch as loud as another one, as far as both were listened to."""
        looks = self.look(other), self.look(patch)
        known = [look.descriptors.lufs for look in looks if look is not None and look.descriptors is not None]
        master = master_of(patch)
        if master is None or len(known) < 2:
            return patch
        gain_db = known[0] - known[1]
        level = master.params.get("level_db", 0.0) + min(MOST_TRIM_DB, max(-MOST_TRIM_DB, gain_db))
        return patch.with_param(master.id, "level_db", min(level, HIGHEST_DB))

    def look(self, patch: Patch) -> Look | None:
        """The look at a patch, if it is there."""
        return self.looks.look(patch, self.chosen(patch), self.seconds)

    def told(self, parent: Patch, child: Patch) -> Told:
        """What is known of a patch beside its parent."""
        look, first, chance = self.look(child), self.look(parent), self.chance(parent)
        if look is None:
            return Told(None)
        known = self._told.get(id(look))
        if known is not None and known[0] is look and known[1] is first and known[2].words:
            return known[2]
        told = Told(look, kinds=_kinds_between(parent, child))
        if look.descriptors is not None and first is not None and first.descriptors is not None and chance is not None:
            steps = np.minimum(np.abs(difference_of(first.descriptors, look.descriptors, chance)), FARTHEST)
            change = float(np.sqrt(np.mean(steps**2))) / FARTHEST
            words = ", ".join(words_of(first.descriptors, look.descriptors, chance))
            told = replace(told, words=words, change=tr("{change:.0f} % change", change=100 * change))
        self._told[id(look)] = (look, first, told)
        return told

    def chance(self, parent: Patch) -> Chance | None:
        """What chance alone makes of a patch; None while its seeds are not there."""
        looks = [self.look(other) for other in self._seeds(parent)]
        known = [look.descriptors for look in looks if look is not None and look.descriptors is not None]
        return chance_of(known) if len(known) == SEEDS else None

    # -- what differs -----------------------------------------------------------------------------------------------

    def compare(self, before: Patch, after: Patch) -> Comparison:
        """What differs between two patches; how much of it is heard is told later."""
        known = self._comparison
        if known is None or (known.before, known.after) != (before, after):
            known = self._comparison = Comparison(before, after)
        return known

    def step(self) -> bool:
        """Let the work go on; whether something new is known."""
        new = self.looks.step()
        if self._listening is not None and self._listening[0].done():
            future, comparison, place = self._listening
            self._listening = None
            try:
                comparison.effects[place] = future.result()
            except BrokenExecutor:
                self.workers.close()
            new = True
        todo = self._comparison
        if self._listening is None and todo is not None and todo.next is not None and not self.looks.busy:
            given = (todo.before, todo.found[todo.next], todo.touched, EFFECT_S)
            try:
                self._listening = (self.workers.submit(_effect_of, *given), todo, todo.next)
            except BrokenExecutor:
                self.workers.close()
        return new

    @property
    def busy(self) -> bool:
        """Whether something is still to come."""
        left = self._comparison is not None and self._comparison.next is not None
        return self.looks.busy or self._listening is not None or left

    def close(self) -> None:
        """End the workers."""
        self.looks.close()


def _effect_of(before: Patch, one: Difference, touched: frozenset[str], seconds: float) -> Effect:
    """``effect_of``, in a worker."""
    begin_work()
    return effect_of(before, one, touched, seconds)


def _kinds_between(before: Patch, after: Patch) -> str:
    """Which kinds of values differ."""
    found = set()
    for one in differences(before, after):
        for change in one.changes:
            spec = spec_for(before.module(change.module)) if isinstance(change, ParamSet) else None
            if isinstance(change, ParamSet) and spec is not None:
                found.add(kind_of(spec, spec.param(change.param)))
    return ", ".join(kind for kind in KINDS if kind in found)
