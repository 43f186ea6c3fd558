"""All rules, applied to what is known."""

from __future__ import annotations

from collections.abc import Callable

from dunefall.survey import ofpatch, ofsound
from dunefall.survey.findings import Finding, View

__all__ = ["RULES", "judged"]

RULES: tuple[Callable[[View], list[Finding]], ...] = (
    ofpatch.faults, ofsound.clicks, ofsound.quiet, ofsound.peaks, ofsound.creeping, ofpatch.never_heard,
    ofpatch.off_scale, ofpatch.opposed, ofsound.mono_loss, ofsound.offset, ofsound.loudness, ofpatch.covered,
    ofpatch.idle_sequences, ofpatch.never_reached, ofpatch.unlinked,
)  # fmt: skip
"""The gravest first."""


def judged(view: View) -> list[Finding]:
    """All findings, errors first.

    Parameters
    ----------
    view : View
        What is known.

    Returns
    -------
    list of Finding
    """
    if not view.bins:
        return []
    found = [finding for rule in RULES for finding in rule(view)]
    return sorted(found, key=lambda finding: not finding.error)
