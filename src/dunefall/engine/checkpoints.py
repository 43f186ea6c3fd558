"""Checkpoints of what sounds, taken by the audio thread into room that was made beforehand."""

from __future__ import annotations

from collections.abc import Collection

from dunefall.compiler.program import Memory, Program
from dunefall.patch.model import Patch, Place
from dunefall.render.player import Checkpoint, Player

__all__ = ["Checkpoints", "Room"]

SPACING_S = 2.0
MOST = 32
BUDGET_BYTES = 256_000_000
LARGEST_BYTES = 32_000_000
"""A patch that remembers more than this takes too long to copy in the audio thread; seeking starts at its start."""


class Room:
    """Memory for the checkpoints of one program."""

    def __init__(self, program: Program, probed: Collection[Place]) -> None:
        size = program.memory.size
        count = 0 if size > LARGEST_BYTES else max(2, min(MOST, BUDGET_BYTES // 2 // max(size, 1)))
        self.patch: Patch = program.patch
        self.probed = tuple(probed)
        self.rate = program.rate
        self.memories: list[Memory] = [program.memory.copy() for _ in range(count)]
        self.positions = [-1] * count
        self.bytes = size * count


class Checkpoints:
    """The checkpoints of a take so far: evenly spread over it, further apart the longer it gets."""

    def __init__(self, rate: float) -> None:
        self._rate = rate
        self._spacing = round(SPACING_S * rate)
        self._rooms: list[Room] = []

    def begin(self, room: Room) -> None:
        """From now on take them of another program; the oldest rooms go where there are too many."""
        self._rooms.append(room)
        while len(self._rooms) > 1 and sum(old.bytes for old in self._rooms) > BUDGET_BYTES:
            del self._rooms[0]

    def forget(self) -> None:
        """Another take begins."""
        self._rooms.clear()
        self._spacing = round(SPACING_S * self._rate)

    def forget_after(self, position: int) -> None:
        """The take goes on from here in another way: what came after is no part of it any more."""
        for room in self._rooms:
            room.positions[:] = [at if at <= position else -1 for at in room.positions]

    def offer(self, player: Player) -> None:
        """Take a checkpoint if one is due (audio thread): a copy of bounded size, without new memory."""
        if not self._rooms or not player.settled:
            return
        room = self._rooms[-1]
        if not room.memories or room.patch is not player.program.patch:
            return
        newest = max((max(old.positions, default=-1) for old in self._rooms), default=-1)
        if newest >= 0 and player.position < newest + self._spacing:
            return
        if -1 not in room.positions:
            self._thin(room)
        place = room.positions.index(-1)
        room.memories[place].restore(player.program.memory)
        room.positions[place] = player.position

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
