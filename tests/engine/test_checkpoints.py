"""Room for checkpoints is made and freed bit by bit, never by the audio thread."""

from __future__ import annotations

import gc

import numpy as np

from dunefall.base.collector import freeze_loaded_objects
from dunefall.compiler.build import compile_patch
from dunefall.engine.checkpoints import BUDGET_BYTES, MOST, Checkpoints, Room
from dunefall.render.player import Player
from rig import demo


def test_room_grows_only_when_it_is_looked_after_and_then_takes_the_next_checkpoint() -> None:
    player = Player(compile_patch(demo(), rate=4800.0))
    kept, room = Checkpoints(4800.0), Room(player.program, ())
    kept.begin(room)
    out = np.zeros((9600, 2))
    kept.offer(player)
    assert room.positions == [0]
    player.fill(out)
    kept.offer(player)  # due, but there is no room yet: the audio thread makes none
    assert room.positions == [0]
    kept.maintain()
    kept.maintain()
    assert len(room.memories) == 2
    kept.offer(player)
    assert sorted(room.positions) == [0, 9600]
    assert kept.nearest(9600).position == 9600


def test_what_is_not_wanted_any_more_is_freed_a_memory_at_a_time() -> None:
    program = compile_patch(demo(), rate=4800.0)
    kept, room = Checkpoints(4800.0), Room(program, ())
    for _ in range(3):
        room.grow()
    kept.begin(room)
    kept.forget()
    assert kept.nearest(1 << 40) is None
    for left in (3, 2, 1, 0):
        assert len(room.memories) == left + 1
        kept.maintain()
    assert not room.memories


def test_the_oldest_rooms_go_when_all_are_too_large_together() -> None:
    program = compile_patch(demo(), rate=48000.0)
    kept = Checkpoints(48000.0)
    rooms = []
    while sum(room.bytes for room in rooms) <= BUDGET_BYTES:
        rooms.append(Room(program, ()))
        rooms[-1]._size = BUDGET_BYTES // 8  # as if the patch remembered so much
        kept.begin(rooms[-1])
    kept.maintain()
    assert not rooms[0].memories
    assert rooms[1].memories
    assert rooms[-1].most <= MOST


def test_small_rooms_all_stay() -> None:
    kept = Checkpoints(4800.0)
    rooms = [Room(compile_patch(demo(), rate=4800.0), ()) for _ in range(3)]
    for room in rooms:
        room.grow()
        kept.begin(room)
    kept.maintain()
    assert all(room.memories for room in rooms)


def test_what_is_loaded_is_not_looked_through_again_and_what_is_lost_later_is_still_found() -> None:
    freeze_loaded_objects()
    assert gc.get_freeze_count() > 10_000
    lost: list[object] = []
    lost.append(lost)
    del lost
    assert gc.collect() >= 1
    assert len(gc.get_objects()) < 1000
