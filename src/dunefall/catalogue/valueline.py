"""Several values of a module typed in one line: "950, resonance 30, drive 6 dB"."""

from __future__ import annotations

import re
from collections.abc import Mapping
from types import MappingProxyType

from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.units import parse_value
from dunefall.catalogue.declare import ModuleSpec, Param

__all__ = ["parse_line"]

_BETWEEN = re.compile(r"\s*(?:;|,(?=\s|$)|,(?=[A-Za-z]))\s*")
"""What separates values: a semicolon, or a comma that is no decimal comma."""


def parse_line(
    text: str, spec: ModuleSpec, first: Param, tempo_bpm: float, given: Mapping[str, float] = MappingProxyType({})
) -> dict[str, float]:
    """Values by parameter.

    Parameters
    ----------
    text : str
        Values with the names of their parameters, or the beginnings of these, separated by commas. The first value may
        go without a name.
    spec : ModuleSpec
        The module.
    first : Param
        The parameter that a value without a name is for.
    tempo_bpm : float
        Tempo in BPM, for note values.
    given : mapping of str to float
        The module's present values: of parameters with one name, the one that counts is meant.

    Returns
    -------
    dict of str to float

    Raises
    ------
    ParameterError
        If a name is unknown or a value cannot be taken; nothing is guessed.

    Examples
    --------
    >>> from dunefall.catalogue import spec_of
    >>> filter = spec_of("filter")
    >>> parse_line("950, res 30", filter, filter.param("cutoff_hz"), 120.0)
    {'cutoff_hz': 950.0, 'resonance': 0.3}
    """
    values: dict[str, float] = {}
    for number, part in enumerate(piece for piece in _BETWEEN.split(text.strip()) if piece):
        param, rest = _named(part, spec, {**given, **values})
        if param is None and number == 0:
            param, rest = first, part
        if param is None:
            raise ParameterError(
                tr("“{part}” does not begin with the name of a value of {name}", part=part, name=spec.name)
            )
        value = parse_value(rest, param.unit, choices=param.choices, tempo_bpm=tempo_bpm)
        values[param.id] = param.typed(value, spec.name)
    return values


def _named(part: str, spec: ModuleSpec, given: Mapping[str, float]) -> tuple[Param | None, str]:
    """The parameter whose name a text begins with, or the beginnings of its words, and what follows; the longest."""
    words = part.split()
    for count in range(len(words) - 1, 0, -1):
        typed = [word.lower() for word in words[:count]]
        fit = [param for param in spec.params if not param.follows and _begins(param.name.lower().split(), typed)]
        fit.sort(key=lambda param: (param.name.lower().split() != typed, not spec.counts(param, given)))
        if fit:
            return fit[0], " ".join(words[count:])
    return None, part


def _begins(name: list[str], typed: list[str]) -> bool:
    return len(typed) <= len(name) and all(have.startswith(want) for have, want in zip(name, typed, strict=False))
