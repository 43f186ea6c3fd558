"""The declarations in the language of the window.

A declaration is written in English; its texts are the messages that are translated (``scripts/make_languages.py`` finds
them through ``texts_of``). Ids, values and what is looked for by code stay as they are.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import TypeVar

from dunefall.base.language import language, tr
from dunefall.catalogue.declare import ModuleSpec
from dunefall.catalogue.ports import Input, Output, Param, Series

__all__ = ["in_words", "texts_of"]


def in_words(spec: ModuleSpec) -> ModuleSpec:
    """A declaration with its texts in the language of the window.

    Parameters
    ----------
    spec : ModuleSpec
        As it is written.

    Returns
    -------
    ModuleSpec
    """
    if language() == "en":
        return spec
    presets = tuple(
        replace(
            preset, name=tr(preset.name), sentence=tr(preset.sentence), words=_searched(preset.words),
            values=preset.numbers(spec.params),
        )
        for preset in spec.presets
    )  # fmt: skip
    return replace(
        spec, name=tr(spec.name), sentence=tr(spec.sentence), words=_searched(spec.words), presets=presets,
        inputs=tuple(map(_input, spec.inputs)), outputs=tuple(map(_output, spec.outputs)),
        params=tuple(map(_chosen, spec.params)), series=tuple(map(_chosen, spec.series)),
        groups=tuple((tr(name), ids) for name, ids in spec.groups),
    )  # fmt: skip


def texts_of(spec: ModuleSpec) -> Iterator[str]:
    """The texts of a declaration as it is written.

    Parameters
    ----------
    spec : ModuleSpec
        As it is written.

    Yields
    ------
    str
    """
    yield from (spec.name, spec.sentence, ", ".join(spec.words))
    for preset in spec.presets:
        yield from (preset.name, preset.sentence, ", ".join(preset.words))
    for port in spec.inputs:
        yield from (port.name, port.help)
    both: tuple[Param | Series, ...] = (*spec.params, *spec.series)
    for chosen in both:
        yield from (chosen.name, chosen.help, *chosen.choices)
    yield from (output.name for output in spec.outputs)
    yield from (name for name, _ in spec.groups)


def _searched(words: tuple[str, ...]) -> tuple[str, ...]:
    """Words by which something is found: those of the language, then the English ones."""
    joined = ", ".join(words)
    return (*tr(joined).split(", "), *words) if words else words


def _input(door: Input) -> Input:
    return replace(door, name=tr(door.name), help=tr(door.help))


def _output(door: Output) -> Output:
    return replace(door, name=tr(door.name))


Chosen = TypeVar("Chosen", Param, Series)


def _chosen(door: Chosen) -> Chosen:
    return replace(door, name=tr(door.name), help=tr(door.help), choices=tuple(map(tr, door.choices)))
