"""Note list."""

from __future__ import annotations

import pytest

from measuring import at_steps
from rig import Rig, ticks

STEP = 100


@pytest.mark.parametrize(
    ("order", "expected"),
    [
        (0, [50, 55, 60, 62, 67, 72]),
        (1, [72, 67, 62, 60, 55, 50]),
        (2, [50, 55, 60, 62, 67, 72, 67, 62]),
        (3, [60, 50, 55, 72]),
    ],
)
def test_note_list_orders(order: int, expected: list[int]) -> None:
    rig = Rig("note-list", order=order, octaves=2, drawn={"notes": (60.0, 50.0, 55.0)})
    out = rig.run(len(expected) * 100, clock=ticks(len(expected), 100))["out"]
    assert at_steps(out) == expected


def test_held_keys_take_the_place_of_the_list() -> None:
    from dunefall.render.player import play_note

    rig = Rig("note-list", octaves=1, drawn={"notes": (40.0,)})
    assert at_steps(rig.run(200, clock=ticks(2, 100))["out"]) == [40, 40]
    for note in (64.0, 60.0, 67.0):
        play_note(rig.program, "m", note, 0.8)
    assert sorted(at_steps(rig.run(320, clock=ticks(3, 100))["out"])[:3]) == [60, 64, 67]
    for note in (64.0, 60.0, 67.0):
        play_note(rig.program, "m", note, 0.0)
    assert at_steps(rig.run(320, clock=ticks(3, 100))["out"])[:3] == [40, 40, 40]
