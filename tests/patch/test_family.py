"""What is kept of a patch: states that survive saving, edits and the loss of what they came from."""

from __future__ import annotations

import json
import pickle
from dataclasses import replace

import pytest

from dunefall.base.errors import PatchError
from dunefall.patch.family import DISCARDED, Family, State
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.model import Module, Patch
from dunefall.patch.states import patch_of_state, recalled, rooted, state_of
from dunefall.patch.take import Take
from dunefall.patch.takefiles import raw_take
from rig import demo

CUTOFF = ("fog-air-band", "cutoff_hz")


def keeping(patch: Patch, then: Patch, **known: object) -> Patch:
    """A patch that keeps another one as a state."""
    patch = rooted(patch)
    state = state_of(patch, then, State(patch.family.free_id(), **known))  # type: ignore[arg-type]
    return replace(patch, family=patch.family.with_state(state))


def heard(patch: Patch) -> Patch:
    return replace(patch, family=Family(), pins=())


def test_a_state_is_the_patch_of_then_whatever_came_since_and_through_a_file() -> None:
    darker = demo().with_param(*CUTOFF, 200.0)
    patch = keeping(keeping(demo(), darker, name="Darker"), demo(), name="First")
    patch = patch.without_module("fog-air-band").with_new_module("shared", Module("new", "lfo", "New"))
    for _ in range(2):
        patch = parse_patch(dump_patch(patch).encode())
        first, second = patch.family.states
        assert heard(patch_of_state(patch.family, first)) == heard(darker)
        assert heard(recalled(patch, patch_of_state(patch.family, second))) == heard(demo())
        patch = patch.with_param("tide-1", "rate_hz", 0.7)


def test_a_snapshot_of_a_part_leaves_the_rest_alone() -> None:
    then = demo().with_param(*CUTOFF, 200.0).with_param("tide-1", "rate_hz", 0.9)
    patch = keeping(demo(), then, name="Fog", part="fog-air")
    back = recalled(patch.with_param("drip-line-low-pass", "cutoff_hz", 444.0), then, "fog-air")
    assert back.module("fog-air-band").params["cutoff_hz"] == 200.0
    assert back.module("tide-1") == demo().module("tide-1")
    assert back.module("drip-line-low-pass").params["cutoff_hz"] == 444.0
    assert patch.family.states[0].values == ("fog-air-band.cutoff_hz 200.0",)
    assert not patch.family.states[0].changes


def test_what_came_from_a_removed_state_comes_from_its_parent() -> None:
    family = Family((State("a"), State("b", parent="a"), State("c", parent="b")), now="b", board=("b", "c"))
    left = family.without("b")
    assert [(state.id, state.parent) for state in left.states] == [("a", ""), ("c", "a")]
    assert (left.now, left.board) == ("a", ("c",))
    assert left.free_id() not in ("a", "c")


def test_neither_another_process_nor_a_take_is_sent_what_is_kept() -> None:
    patch = keeping(demo(), demo().with_param(*CUTOFF, 200.0), name="Darker")
    assert pickle.loads(pickle.dumps(patch)).family == Family()
    assert "family" not in raw_take(Take(patch))["start"]  # type: ignore[operator]


@pytest.mark.parametrize(
    ("family", "wanted"),
    [
        ({"states": [{"id": "a"}, {"id": "a"}]}, "needs an id of its own"),
        ({"states": [{"id": ""}]}, "needs an id of its own"),
        ({"states": [{"id": "a", "parent": "b"}]}, 'there is no state "b"'),
        ({"states": [{"id": "a", "parent": "b"}, {"id": "b", "parent": "a"}]}, "comes from itself"),
        ({"states": [{"id": "a", "mark": "perhaps"}]}, "must be one of"),
        ({"states": [{"id": "a", "changes": [1]}]}, "needs an object"),
    ],
)
def test_a_file_whose_family_cannot_be_is_refused_with_the_place(family: dict[str, object], wanted: str) -> None:
    raw = json.loads(dump_patch(demo()))
    with pytest.raises(PatchError, match=wanted):
        parse_patch(json.dumps({**raw, "family": family}).encode())


@pytest.mark.parametrize(
    ("wrong", "wanted"),
    [({"changes": [{"jump": 1}]}, r"family.states\[0\].changes\[0\]: this action is not known: jump"),
     ({"values": ["a.b 1; c.d nan"]}, 'family, Calm: needs "module.parameter value"; got "c.d nan"'),
     ({"values": ["a.b 1e999"]}, "got"), ({"values": ["a.b 1; "]}, "got"), ({"values": [""]}, "got"),
     ({"values": ["a 1"]}, "got")],
)  # fmt: skip
def test_a_change_that_is_none_is_told_with_its_place(wrong: dict[str, object], wanted: str) -> None:
    raw = json.loads(dump_patch(demo()))
    raw["family"] = {"states": [{"id": "a", "name": "Calm", "mark": DISCARDED, **wrong}]}

    def first() -> Patch:
        patch = parse_patch(json.dumps(raw).encode())
        return patch_of_state(patch.family, patch.family.states[0])

    with pytest.raises(PatchError, match=wanted):
        first()
