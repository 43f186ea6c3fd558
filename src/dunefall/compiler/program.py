"""A compiled patch: its plan and memory, and where everything of the patch is in them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue import spec_of
from dunefall.compiler.plan import Floats, LoopModule, Memory, Plan, ramp_place
from dunefall.compiler.records import QUANTUM, RAMP_S
from dunefall.patch.model import Patch, Place

__all__ = ["Program"]


@dataclass(frozen=True)
class Program:
    """A compiled patch. An instance is a module as it runs in one voice; see ``compiler.voices``.

    Attributes
    ----------
    module_at : dict of str to int
        Place of each instance in the order of execution.
    input_at : dict of (instance, port) to int
        Index of each input and parameter.
    wire_at, link_at : dict
        Index of each wire; indexes of all wires of a link that is on.
    shares : ndarray [shape=(wires, 2)]
        What each wire takes of its link's amount and offset.
    row_at : dict of (instance, output) to int
        First sample of each output's row.
    copies : dict of str to list of str
        Instances of each module.
    spread : dict of (instance, param) to float
        What a voice adds to a base value.
    sounding : frozenset of str
        Instances from which a way leads to an output.
    asleep : frozenset of str
        Modules from which no way leads to an output: left out, unless somebody watches them.
    live : bool
        Whether a module listens to the live input.
    sounds : list of ndarray
        What the addresses in the plan point to.
    loops : dict of int to tuple of LoopModule
        Feedback loops by their place in the plan's parts, for which code can be made.
    """

    patch: Patch
    rate: float
    plan: Plan
    memory: Memory
    module_at: dict[str, int]
    input_at: dict[tuple[str, str], int]
    wire_at: dict[str, int]
    link_at: dict[str, list[int]]
    shares: Floats
    row_at: dict[tuple[str, str], int]
    copies: dict[str, list[str]]
    spread: dict[tuple[str, str], float]
    sounding: frozenset[str]
    asleep: frozenset[str]
    live: bool
    sounds: list[NDArray[np.float32]]
    loops: dict[int, tuple[LoopModule, ...]]

    @property
    def faulty(self) -> tuple[str, ...]:
        """Modules that gave no finite number and were silenced."""
        faults = self.memory.faults
        if not faults.any():  # hardly ever otherwise: the names are looked up only then
            return ()
        silenced = {name for name, place in self.module_at.items() if faults[place]}
        return tuple(module for module, copies in self.copies.items() if not silenced.isdisjoint(copies))

    @property
    def ramp(self) -> int:
        """Samples that a glide takes."""
        return max(1, round(RAMP_S * self.rate))

    def bases_now(self) -> Floats:
        """Where all base values are on their glides, in their domains."""
        bases = self.memory.bases
        place = ramp_place(bases["left"], self.ramp)
        return np.asarray(bases["start"] + (bases["goal"] - bases["start"]) * place)

    def amounts_now(self) -> tuple[Floats, Floats]:
        """Where all links' amounts and offsets are on their glides."""
        links = self.memory.amounts
        place = ramp_place(links["left"], self.ramp)
        return (
            np.asarray(links["amount_start"] + (links["amount_goal"] - links["amount_start"]) * place),
            np.asarray(links["offset_start"] + (links["offset_goal"] - links["offset_start"]) * place),
        )

    def set_base(self, module: str, param: str, domain_value: float) -> None:
        """Let a base value glide to a new one, given in the parameter's domain, in all voices.

        Parameters
        ----------
        module : str
            Id of the module.
        param : str
            Id of the parameter.
        domain_value : float
            New base value in the parameter's domain.
        """
        now = self.bases_now()
        for instance in self.copies.get(module, ()):
            index = self.input_at[(instance, param)]
            goal = domain_value + self.spread.get((instance, param), 0.0)
            self.memory.bases[index] = (now[index], goal, self.ramp, 1, -1)
            self.memory.restless[self.module_at[instance]] = 1

    def set_link(self, link: str, amount: float, offset: float) -> None:
        """Let a link's amount and offset glide to new ones.

        Parameters
        ----------
        link : str
            Id of the link.
        amount : float
            Amount in the domain of the target: octaves, semitones, or its unit.
        offset : float
            Offset in the domain of the target.
        """
        amounts, offsets = self.amounts_now()
        for index in self.link_at.get(link, ()):
            goal, shift = amount * self.shares[index, 0], offset * self.shares[index, 1]
            self.memory.amounts[index] = (amounts[index], goal, offsets[index], shift, self.ramp)

    def set_series(self, module: str, series: str, values: Sequence[float]) -> None:
        """Give a module other numbers of a series, at once, in all voices.

        Parameters
        ----------
        module : str
            Id of the module.
        series : str
            Id of the series.
        values : sequence of float
            The numbers, at most as many as the series is declared to hold.
        """
        spec = spec_of(self.patch.module(module).type)
        if spec is None:
            return
        first, size = spec.series_places[series]
        for instance in self.copies.get(module, ()):
            at = int(self.plan.modules[self.module_at[instance]]["series_at"]) + first
            self.memory.series[at : at + size] = 0.0
            self.memory.series[at : at + 1 + len(values)] = (len(values), *values)

    def writes(self, place: Place) -> bool:
        """Whether an output's row holds all its samples even if nobody watches it: a first output that sounds.

        Parameters
        ----------
        place : Place
            Module and port.

        Returns
        -------
        bool
        """
        spec = spec_of(self.patch.module(place.module).type) if place.module in self.sounding else None
        return spec is not None and place.port == spec.outputs[0].id

    def press(self, module: str, port: str, high: bool) -> None:
        """Hold an input high, or let it go, at once: a gate by hand."""
        for instance in self.copies.get(module, ()):
            self.memory.bases[self.input_at[(instance, port)]] = (0.0, 1.0 if high else 0.0, 0, 1, -1)
            self.memory.restless[self.module_at[instance]] = 1

    def reset(self, module: str) -> None:
        """Clear what a module remembers, and let it sound again if it was silenced."""
        for instance in self.copies.get(module, ()):
            record = self.plan.modules[self.module_at[instance]]
            for array, name in ((self.memory.states, "state"), (self.memory.memories, "memory")):
                array[record[f"{name}_at"] : record[f"{name}_at"] + record[f"{name}_size"]] = 0.0
            if self.memory.faults[self.module_at[instance]]:
                self._end_glides(record)
            self.memory.faults[self.module_at[instance]] = 0

    def _end_glides(self, record: np.void) -> None:
        """A silenced module's values did not glide on: they are where they were to go."""
        first, last = record["input_first"], record["input_last"]
        self.memory.bases["left"][first:last] = 0
        if last > first:
            links = slice(self.plan.inputs["link_first"][first], self.plan.inputs["link_last"][last - 1])
            self.memory.amounts["left"][links] = 0

    def reset_all(self) -> None:
        """Clear all memories: every echo and every tone starts from nothing."""
        for module in self.copies:
            self.reset(module)
        for row in self.row_at.values():  # not all rows: some hold constants that nobody would write again
            self.memory.rows[row : row + QUANTUM] = 0.0
