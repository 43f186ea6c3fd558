"""Patches that the benches of Survey make, and what is known of one after so many seconds."""

from __future__ import annotations

from dunefall.catalogue.compounds import output_of
from dunefall.cli.survey import Here
from dunefall.patch.model import Layer, Link, Patch, Place
from dunefall.patch.take import Take
from dunefall.survey.findings import Limits, View
from dunefall.survey.outlook import Outlook

__all__ = ["linked", "view_of"]

MIDDLE = -60.0
"""A note that moves a note is counted from C4."""


def linked(title: str, *layers: Layer, links: str, seed: int = 1) -> Patch:
    """A patch of layers, with links as ``a.out>b.in*0.5``, separated by spaces."""
    patch = Patch(title=title, seed=seed, layers=(Layer("shared", "Shared"), *layers))
    for k, text in enumerate(links.split()):
        ends, _, amount = text.partition("*")
        source, target = (Place(*end.split(".")) for end in ends.split(">"))
        output = output_of(patch, source)
        note = output is not None and output.role == "pitch" and target.port == "pitch_note"
        patch = patch.with_link(Link(f"link-{k}", source, target, float(amount or 1.0), MIDDLE if note else 0.0))
    return patch


def view_of(patch: Patch, seconds: float, limits: Limits | None = None) -> View:
    """What is known of a patch when so many seconds have been looked at, the code of its loops made first."""
    outlook = Outlook(Here(), keeps_sound=False)
    outlook.wait = True
    try:
        outlook.look(Take(patch), seconds)
        outlook.finish()
        assert not outlook.trouble, outlook.trouble
        return View(outlook, patch, limits or Limits())
    finally:
        outlook.close()
