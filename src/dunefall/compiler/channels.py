"""Mono or stereo: what each output gives and which modules run twice.

A module that is fed stereo runs once for each channel, unless it is stereo by nature or gives no sound. Mono into a
stereo input feeds both sides. Stereo into anything that is mono is averaged: both channels arrive by half. A bypassed
module passes on whatever comes, mono or stereo.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Input, ModuleSpec, Output
from dunefall.compiler.around import BEHIND
from dunefall.patch.model import Link, Module, Patch

__all__ = ["Channels", "widths"]


def _runs_twice(module: Module, spec: ModuleSpec) -> bool:
    """Whether it runs once for each channel of what it is fed: by nature, or because it is bypassed and would make one
    of both."""
    passed = next((port for port in spec.inputs if port.id == spec.passes), None)
    return not spec.stereo or (module.bypassed and passed is not None and not passed.stereo)


def _opened(module: Module, output: Output, spec: ModuleSpec) -> bool:
    """Whether the parameter that widens an output is set to do so."""
    return bool(output.width) and module.params.get(output.width, spec.param(output.width).default) != 0.0


@dataclass(frozen=True)
class Channels:
    """What is stereo in a patch.

    Attributes
    ----------
    wide : frozenset of (module, port)
        Outputs that give two channels.
    doubled : frozenset of str
        Modules that run once for each channel.
    """

    wide: frozenset[tuple[str, str]]
    doubled: frozenset[str]

    @classmethod
    def of(cls, patch: Patch, known: Mapping[str, ModuleSpec], links: list[Link]) -> Channels:
        """Follow the links from what is stereo by itself, until nothing more becomes stereo.

        Parameters
        ----------
        patch : Patch
            The patch; it is not changed.
        known : mapping
            What is known already.
        links : collection of Link
            The links.

        Returns
        -------
        Channels
        """
        into: dict[str, list[Link]] = {}
        after: dict[str, list[str]] = {}
        for link in links:
            into.setdefault(link.target.module, []).append(link)
            after.setdefault(link.source.module, []).append(link.target.module)
        modules = {module.id: module for module in patch.modules() if module.id in known}
        wide: set[tuple[str, str]] = set()
        around = patch.layout != "stereo"
        todo = [id_ for id_, spec in known.items() if any(output.stereo for output in spec.outputs)]
        while todo:
            id_ = todo.pop()
            new = _wide_outputs(modules[id_], known[id_], into.get(id_, []), wide, around)
            if new - wide:
                wide |= new
                todo += after.get(id_, [])
        doubled = {id_ for id_, _ in wide if _runs_twice(modules[id_], known[id_])}
        return cls(frozenset(wide), frozenset(doubled))


def _wide_outputs(
    module: Module, spec: ModuleSpec, into: list[Link], wide: set[tuple[str, str]], around: bool
) -> set[tuple[str, str]]:
    fed = [spec.target(link.target.port) for link in into if (link.source.module, link.source.port) in wide]
    if not _runs_twice(module, spec):
        takes = any(port.stereo for port in spec.inputs)
        through = any(isinstance(port, Input) and port.stereo for port in fed)
        linked = {link.target.port for link in into}
        return {
            (module.id, output.id)
            for output in spec.outputs
            if output.stereo
            and (
                through
                or (around and spec.output(BEHIND))
                or _opened(module, output, spec)
                or output.width in linked
                or not (takes or output.width)
            )
        }
    if spec.outputs[0].role == "audio" and any(isinstance(port, Input) and port.role == "audio" for port in fed):
        return {(module.id, output.id) for output in spec.outputs}
    return set()


def widths(patch: Patch) -> tuple[bool, ...]:
    """For every output with a parameter that widens it, whether it does: a change of it changes the program.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.

    Returns
    -------
    tuple[bool, ...]
    """
    found = ((module, spec_of(module.type)) for module in patch.modules())
    return tuple(
        _opened(module, output, spec) for module, spec in found if spec for output in spec.outputs if output.width
    )
