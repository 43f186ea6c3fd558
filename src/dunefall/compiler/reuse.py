"""Compiles what differs in nothing but its seed once only: many variations of one patch begin at once."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace

import numpy as np

from dunefall.compiler.build import compile_patch
from dunefall.compiler.plan import Memory, aligned_zeros
from dunefall.compiler.program import Program
from dunefall.compiler.voices import module_key
from dunefall.patch.model import Patch, Place

__all__ = ["Compiler"]

KEPT = 16


class Compiler:
    """Compiles as ``compile_patch`` does, and remembers the last programs, without their long memories.

    A seed reaches the random numbers by each module's key and nothing else, so that a program with other keys, as it
    was when it was made, is the program of another seed.
    """

    def __init__(self) -> None:
        self._kept: list[tuple[object, Program]] = []

    def __call__(
        self, patch: Patch, *, rate: float, probed: Collection[Place] = (), stems: Sequence[str] = ()
    ) -> Program:
        """A program from its start.

        Parameters
        ----------
        patch : Patch
            The patch.
        rate : float
            Sample rate in Hz.
        probed : collection of Place
            Outputs that have a row of their own.
        stems : sequence of str
            Ids of layers whose sound is wanted apart.

        Returns
        -------
        Program
        """
        wanted = replace(patch, seed=0), float(rate), tuple(probed), tuple(stems)
        for asked, kept in self._kept:
            if asked == wanted:
                return _begun(kept, patch)
        made = compile_patch(patch, rate=rate, probed=probed, stems=stems)
        plan = made.plan._replace(ports=made.plan.ports.copy())  # an input that is edited gets a row of its own
        kept = replace(made, plan=plan, memory=_fresh(made.memory._replace(memories=np.zeros(0))))
        self._kept = [(wanted, kept), *self._kept[: KEPT - 1]]
        return made


def _fresh(memory: Memory) -> Memory:
    copy = memory.copy()
    rows = aligned_zeros(len(memory.rows))
    rows[:] = memory.rows
    return copy._replace(rows=rows)


def _begun(kept: Program, patch: Patch) -> Program:
    """The program of this seed, from its start; nothing of it is shared that changes."""
    modules = kept.plan.modules.copy()
    modules["key"] = [module_key(patch.seed, instance) for instance in kept.module_at]
    plan = kept.plan._replace(
        modules=modules, ports=kept.plan.ports.copy(), mix=aligned_zeros(len(kept.plan.mix)),
        scratch=aligned_zeros(len(kept.plan.scratch)), live=aligned_zeros(len(kept.plan.live)),
        places=np.zeros_like(kept.plan.places), context=np.zeros_like(kept.plan.context),
    )  # fmt: skip
    memories = aligned_zeros(int(modules["memory_size"].sum()))
    return replace(kept, patch=patch, plan=plan, memory=_fresh(kept.memory)._replace(memories=memories))
