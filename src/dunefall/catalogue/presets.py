"""Presets: settings that are declared with a module and found by their own words."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from dunefall.catalogue.ports import Param

__all__ = ["Preset"]


@dataclass(frozen=True)
class Preset:
    """A setting of a module that the trade has a name for.

    Attributes
    ----------
    name : str
        What it is called; a module made from it has this name.
    sentence : str
        What it does.
    values : mapping of str to float or str
        Parameters that differ from the defaults: numbers, or names of choices.
    words : tuple of str
        Other words under which it is searched.
    output : str
        The output that it is about; empty: the first.
    series : mapping of str to tuple of float
        Series that differ from the defaults.
    """

    name: str
    sentence: str
    values: Mapping[str, float | str] = field(default_factory=dict)
    words: tuple[str, ...] = ()
    output: str = ""
    series: Mapping[str, tuple[float, ...]] = field(default_factory=dict)

    def numbers(self, params: Iterable[Param]) -> dict[str, float]:
        """The values as numbers; raises ValueError where one is unknown or not allowed."""
        declared = {param.id: param for param in params}
        numbers = {}
        for name, value in self.values.items():
            param = declared.get(name)
            if param is None or (isinstance(value, str) and value not in param.choices):
                raise ValueError(f'preset "{self.name}": there is no {name} of {value}')
            number = float(param.choices.index(value)) if isinstance(value, str) else float(value)
            if not param.low <= number <= param.high:
                raise ValueError(f'preset "{self.name}": {name} must be {param.allowed}; got {number:g}')
            numbers[name] = number
        return numbers
