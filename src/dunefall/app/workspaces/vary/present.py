"""What is there to be varied, heard and compared: the patch, the board, and what the board came from."""

from __future__ import annotations

from dunefall.app.model.context import Context
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr
from dunefall.patch.changes import difference
from dunefall.patch.family import Family, State
from dunefall.patch.model import Patch
from dunefall.vary.desk import Desk
from dunefall.vary.looks import Look

__all__ = ["Present"]


class Present:
    """The document as Vary sees it."""

    def __init__(self, context: Context, desk: Desk) -> None:
        self._context, self._desk = context, desk
        self._last: Patch | None = None
        self._told = set[str]()

    @property
    def patch(self) -> Patch:
        """The patch as it is now."""
        return self._context.session.patch

    @property
    def family(self) -> Family:
        """What is kept of it."""
        return self.patch.family

    @property
    def sounding(self) -> Patch:
        """The patch as it is now; the same object as long as it sounds the same."""
        if self._last is None or difference(self._last, self.patch):
            self._last = self.patch
        return self._last

    @property
    def states(self) -> list[State]:
        """What is on the board."""
        found = map(self.family.state, self.family.board)
        return [state for state in found if state is not None and self._can_be_read(state)]

    @property
    def parent(self) -> State | None:
        """The state that the board came from; None where there is no board."""
        states = self.states
        parent = self.family.state(states[0].parent) if states else None
        return parent if parent is not None and self._can_be_read(parent) else None

    @property
    def parent_patch(self) -> Patch:
        """The patch that the board came from; without a board, that of now."""
        parent = self.parent
        return self.patch_of(parent) if parent is not None else self.sounding

    def _can_be_read(self, state: State) -> bool:
        """Whether it is a patch; what a file has spoilt is told once, and left out."""
        try:
            self.patch_of(state)
        except DunefallError as error:
            if state.id not in self._told:
                self._told.add(state.id)
                self._context.tell(tr("{title} cannot be shown: {error}.", title=state.title, error=error))
            return False
        return True

    def patch_of(self, state: State) -> Patch:
        """The patch of a state; raises PatchError if its file held what is no change."""
        return self._desk.patch_of(self.patch, state)

    def look(self, state: State) -> Look | None:
        """The look at a state, if it is there."""
        return self._desk.look(self.patch_of(state))

    def has_sound(self, state: State) -> bool:
        """Whether it can be played."""
        look = self.look(state)
        return look is not None and bool(look.path)
