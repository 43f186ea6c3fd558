"""Keyboard."""

from __future__ import annotations

import pytest

from rig import Rig, pulses


def test_a_keyboard_plays_a_note_for_each_trigger() -> None:
    gate = pulses([0.01, 0.05], 0.1, width_s=0.02)
    out = Rig("keyboard", notes=64.0, force=0.5).run(len(gate), trigger=gate)
    assert (out["gate"] == gate).all()
    assert set(out["pitch"][gate > 0.5]) == {64.0}
    assert set(out["velocity"][gate > 0.5]) == {0.5}


@pytest.mark.parametrize(
    ("priority", "expected"), [(1, [60, 67, 64, 67, 67]), (2, [60, 67, 67, 67, 67]), (3, [60, 60, 60, 64, 67])]
)
def test_one_voice_for_all_keys(priority: int, expected: list[int]) -> None:
    """Press 60, 67, 64, let go of 60 and 64: which one sounds after each."""
    from dunefall.render.player import play_note

    rig, heard = Rig("keyboard", priority=priority), []
    for note, force in ((60, 1.0), (67, 1.0), (64, 1.0), (60, 0.0), (64, 0.0)):
        play_note(rig.program, "m", float(note), force)
        out = rig.run(64)
        heard.append(out["pitch"][-1])
        assert out["gate"][-1] == 1.0
    if priority == 1:
        expected = [60, 67, 64, 64, 67]
    assert heard == expected
    play_note(rig.program, "m", 67.0, 0.0)
    assert rig.run(64)["gate"][-1] == 0.0
