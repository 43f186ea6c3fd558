"""One link between modules as they run."""

from __future__ import annotations

from dataclasses import dataclass

from dunefall.patch.model import Link

__all__ = ["Wire"]


@dataclass(frozen=True)
class Wire:
    """One link between instances.

    Attributes
    ----------
    source_port, target_port : str
        Among ``output_rows`` and ``target_rows``.
    row : int
        Chooses among the rows of an output that has one for each voice.
    share : float
        Of the link's amount; half of it for each channel that is averaged.
    offset_share : float
        Of the link's offset: 1 for one of the wires into a row, 0 for the others.
    """

    id: str
    link: Link
    source: str
    source_port: str
    target: str
    target_port: str
    row: int
    share: float
    offset_share: float
