"""What is kept of a patch beside how it is now: snapshots and variations, and which came from which.

All states are written as changes of one patch that never changes, so that keeping, saving and opening hundreds of them
costs next to nothing; ``patch.states`` makes patches of them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from dunefall.base.language import tr

__all__ = ["DISCARDED", "KEPT", "MARKS", "NO_FAMILY", "Family", "State"]

KEPT, DISCARDED = "kept", "discarded"
MARKS = ("", KEPT, DISCARDED)
EDITED = tr("as edited")
LONG_ID = 9


@dataclass(frozen=True)
class State:
    """A snapshot or a variation.

    Attributes
    ----------
    id : str
        Unique in the family.
    name : str
        Of a snapshot; a variation has none until it becomes one.
    number : int
        Of a variation: it can be made again from it; 0: none.
    parent : str
        Id of what it came from, or "".
    mark : str
        One of ``MARKS``: what was decided of a variation.
    part : str
        Layer, module or compound that a snapshot is of; "": the whole patch.
    made : str
        When, as ``2026-11-30 14:02``.
    values : tuple of str
        What makes it of the family's origin, as in files: base values, ``module.parameter value; …``,
    changes : tuple of mapping
        and all other changes (see ``patch.changefiles``).
    """

    id: str
    name: str = ""
    number: int = 0
    parent: str = ""
    mark: str = ""
    part: str = ""
    made: str = ""
    values: tuple[str, ...] = ()
    changes: tuple[Mapping[str, object], ...] = ()
    extra: Mapping[str, object] = field(default_factory=dict)

    @property
    def title(self) -> str:
        """Its name, or its number; of what was edited since, that."""
        return self.name or (f"{self.number:04d}" if self.number else EDITED)


@dataclass(frozen=True)
class Family:
    """All states that are kept of a patch.

    Attributes
    ----------
    states : tuple of State
        Snapshots in the order in which they are shown, and variations in the order in which they were made.
    now : str
        Id of the state that the patch was last, or "".
    board : tuple of str
        Ids of the variations that are on the board.
    recipe : mapping
        How the board was filled, ``strength``, ``kinds`` and ``modules``, where it can be made again by its numbers.
    origin : object
        A patch, from which ``back`` leads to the one that all states are changes of.
    back : tuple of mapping
        Changes, as in files.
    """

    states: tuple[State, ...] = ()
    now: str = ""
    board: tuple[str, ...] = ()
    recipe: Mapping[str, object] = field(default_factory=dict)
    origin: object = field(default=None, compare=False, repr=False)
    back: tuple[Mapping[str, object], ...] = field(default=(), compare=False)

    def state(self, state_id: str) -> State | None:
        """The state of an id, if there is one."""
        return next((state for state in self.states if state.id == state_id), None)

    @property
    def snapshots(self) -> tuple[State, ...]:
        """Those that have a name."""
        return tuple(state for state in self.states if state.name)

    def children(self, state_id: str) -> tuple[State, ...]:
        """What came from a state; of "", what came from none."""
        return tuple(state for state in self.states if state.parent == state_id)

    def free_id(self, after: Family | None = None) -> str:
        """An id that no state has.

        Parameters
        ----------
        after : Family, optional
            What this one was made of: an id is not given twice, even to what is no longer kept.

        Returns
        -------
        str
        """
        used = [state.id[1:] for state in (*self.states, *(after.states if after else ()))]
        return f"s{max((int(name) for name in used if name.isdecimal() and len(name) < LONG_ID), default=0) + 1}"

    def with_state(self, state: State) -> Family:
        """This family with a state in the place of the one of its id, or at the end.

        Parameters
        ----------
        state : State
            The state.

        Returns
        -------
        Family
        """
        if self.state(state.id) is None:
            return replace(self, states=(*self.states, state))
        return replace(self, states=tuple(state if old.id == state.id else old for old in self.states))

    def without(self, state_id: str) -> Family:
        """This family without a state; what came from it came from its parent.

        Parameters
        ----------
        state_id : str
            Id of the state.

        Returns
        -------
        Family
        """
        gone = self.state(state_id)
        if gone is None:
            return self
        left = tuple(
            replace(state, parent=gone.parent) if state.parent == state_id else state
            for state in self.states if state.id != state_id
        )  # fmt: skip
        now = gone.parent if self.now == state_id else self.now
        return replace(self, states=left, now=now, board=tuple(one for one in self.board if one != state_id))


NO_FAMILY = Family()
