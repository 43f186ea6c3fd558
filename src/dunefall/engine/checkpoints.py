"""Checkpoints of what sounds, taken by the audio thread into room that another thread makes, and frees, bit by bit.

One that somebody else wants is taken as soon as can be, and written by that other thread.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Collection
from pathlib import Path

from dunefall.compiler.plan import Memory
from dunefall.compiler.program import Program
from dunefall.engine.messages import CheckpointKept
from dunefall.patch.model import Patch, Place
from dunefall.render.player import Checkpoint, Player

__all__ = ["Checkpoints", "Room"]

SPACING_S = 2.0
MOST = 32
BUDGET_BYTES = 256_000_000
LARGEST_BYTES = 32_000_000
"""A patch that remembers more than this takes too long to copy in the audio thread; seeking starts at its start."""


class Room:
    """Memory for the checkpoints of one program: for one at first, for ``most`` as they are needed."""

    def __init__(self, program: Program, probed: Collection[Place]) -> None:
        self._size = size = program.memory.size
        self.most = 0 if size > LARGEST_BYTES else max(2, min(MOST, BUDGET_BYTES // 2 // max(size, 1)))
        self.patch: Patch = program.patch
        self.probed = tuple(probed)
        self.rate = program.rate
        self.memories: list[Memory] = [program.memory.copy()] if self.most else []
        self.positions = [-1] * len(self.memories)

    @property
    def bytes(self) -> int:
        """What its memories take."""
        return self._size * len(self.memories)

    @property
    def full(self) -> bool:
        """Whether every memory holds a checkpoint."""
        return -1 not in self.positions

    @property
    def wanting(self) -> bool:
        """Whether the next checkpoint waits for one more memory."""
        return self.full and len(self.memories) < self.most

    def grow(self) -> None:
        """Room for one more."""
        self.memories.append(self.memories[0].copy())
        self.positions.append(-1)


class Checkpoints:
    """The checkpoints of a take so far: evenly spread over it, further apart the longer it gets.

    ``maintain`` is for the thread that makes and frees memory, so that the audio thread does neither.
    """

    def __init__(self, rate: float) -> None:
        self._rate = rate
        self._spacing = round(SPACING_S * rate)
        self._rooms: list[Room] = []
        self._gone: deque[Room] = deque()
        self._wanted: tuple[Room, Memory, Path] | None = None
        self._taken: tuple[Checkpoint, Path] | None = None

    def begin(self, room: Room) -> None:
        """From now on take them of another program (audio thread)."""
        self._rooms.append(room)

    def maintain(self) -> None:
        """Make room for the next one, and free what is not wanted any more; each time at most one memory of each."""
        rooms = self._rooms
        if rooms and rooms[-1].wanting:
            rooms[-1].grow()
        while len(rooms) > 1 and sum(room.bytes for room in rooms) > BUDGET_BYTES:
            self._gone.append(rooms.pop(0))
        if self._gone and not self._gone[0].memories:
            self._gone.popleft()
        elif self._gone:
            self._gone[0].memories.pop()

    def forget(self) -> None:
        """Another take begins (audio thread)."""
        self._wanted = self._taken = None
        rooms, self._rooms = self._rooms, []
        self._gone.extend(rooms)
        self._spacing = round(SPACING_S * self._rate)

    def forget_after(self, position: int) -> None:
        """The take goes on from here in another way: what came after is no part of it any more."""
        for room in self._rooms:
            room.positions[:] = [at if at <= position else -1 for at in room.positions]

    def want(self, path: Path) -> CheckpointKept | None:
        """Have one more taken, and written to a file; that it cannot be, where the patch remembers too much."""
        room = self._rooms[-1] if self._rooms else None
        if room is None or not room.memories:
            return CheckpointKept(path)
        self._wanted = room, room.memories[0].copy(), path
        return None

    def kept(self) -> CheckpointKept | None:
        """Write what was wanted, once it is taken."""
        taken, self._taken = self._taken, None
        if taken is None:
            return None
        checkpoint, path = taken
        try:
            with path.open("wb") as file:
                checkpoint.write(file)
        except OSError:
            return CheckpointKept(path)
        return CheckpointKept(path, checkpoint.position)

    def offer(self, player: Player) -> None:
        """Take a checkpoint if one is due (audio thread): a copy of bounded size, without new memory."""
        if not self._rooms or not player.settled:
            return
        room = self._rooms[-1]
        if not room.memories or room.patch is not player.program.patch:
            return
        self.give(player)
        newest = max((max(old.positions, default=-1) for old in self._rooms), default=-1)
        if newest >= 0 and player.position < newest + self._spacing:
            return
        if room.wanting:
            return
        if room.full:
            self._thin(room)
        place = room.positions.index(-1)
        room.memories[place].restore(player.program.memory)
        room.positions[place] = player.position

    def give(self, player: Player) -> None:
        """Take the one that is wanted (audio thread)."""
        if self._wanted is None or not player.settled:
            return
        room, memory, path = self._wanted
        if room is self._rooms[-1] and room.patch is player.program.patch:
            memory.restore(player.program.memory)
            self._taken = Checkpoint(player.position, room.patch, room.rate, room.probed, memory), path
        self._wanted = None

    def nearest(self, position: int) -> Checkpoint | None:
        """The last checkpoint at or before a sample, copied; or None."""
        best: tuple[int, Room, int] | None = None
        for room in self._rooms:
            for place, at in enumerate(room.positions):
                if 0 <= at <= position and (best is None or at > best[0]):
                    best = (at, room, place)
        if best is None:
            return None
        at, room, place = best
        memory = room.memories[place].copy()
        if room.positions[place] != at:  # written over meanwhile
            return self.nearest(position)
        return Checkpoint(at, room.patch, room.rate, room.probed, memory)

    def _thin(self, room: Room) -> None:
        """Every second one goes, and from now on they are twice as far apart."""
        self._spacing *= 2
        order = sorted(range(len(room.positions)), key=lambda place: room.positions[place])
        for place in order[1::2]:
            room.positions[place] = -1
