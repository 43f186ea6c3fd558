"""The family of a patch in its file: ``states``, what is ``now``, what is on the ``board``, and ``back``.

``back`` is the changes that lead from the patch of the file to the one that all states are changes of.

Patches of the states are made when they are first wanted: hundreds of them do not make opening much slower.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from dunefall.base.errors import PatchError
from dunefall.base.language import tr
from dunefall.patch.changefiles import raw_change
from dunefall.patch.family import MARKS, NO_FAMILY, Family, State
from dunefall.patch.fields import get, objects, texts, within
from dunefall.patch.model import Patch
from dunefall.patch.partfiles import MAX_LINKS
from dunefall.patch.states import again

__all__ = ["MAX_STATES", "dump_family", "raw_family"]

MAX_STATES, MAX_NUMBER = 20_000, 9_999
_KINDS: dict[str, type] = {
    "id": str, "name": str, "number": int, "parent": str, "mark": str, "part": str, "made": str, "values": list,
    "changes": list,
}  # fmt: skip


def dump_family(patch: Patch) -> dict[str, object]:
    """The family of a patch as a file's object; empty if there is none.

    Parameters
    ----------
    patch : Patch
        The patch.

    Returns
    -------
    dict[str, object]
    """
    family = patch.family
    if not family.states:
        return {}
    return {
        **({"now": family.now} if family.now else {}),
        **({"board": list(family.board)} if family.board else {}),
        **({"recipe": dict(family.recipe)} if family.recipe else {}),
        "back": list(again(patch)),
        "states": [_dump_state(state) for state in family.states],
    }


def _dump_state(state: State) -> dict[str, object]:
    told = {
        "name": state.name, "number": state.number, "parent": state.parent, "mark": state.mark, "part": state.part,
        "made": state.made, "values": list(state.values),
        "changes": list(state.changes),
    }  # fmt: skip
    return {"id": state.id, **{name: value for name, value in told.items() if value}, **state.extra}


def raw_family(raw: Mapping[str, object], patch: Patch) -> Family:
    """Family of its object.

    Parameters
    ----------
    raw : mapping
        The object's fields in the file.
    patch : Patch
        The patch of the file.

    Returns
    -------
    Family

    Raises
    ------
    PatchError
        If a field is missing, of another kind, or refers to what is not there.
    """
    if not raw:
        return NO_FAMILY
    states = tuple(_raw_state(item, place) for item, place in objects(raw, "states", "family", MAX_STATES))
    known = set[str]()
    for k, state in enumerate(states):
        if state.id in known or not state.id:
            raise PatchError(
                tr('each state needs an id of its own; got "{id}"', id=state.id), place=f"family.states[{k}].id"
            )
        known.add(state.id)
    _check_descent({state.id: state.parent for state in states})
    back = _raw_changes(raw, "back", "family")
    board = tuple(name for name in texts(raw, "board", "family") if name in known)
    now = get(raw, "now", str, "family", "")
    return Family(states, now if now in known else "", board, _raw_recipe(raw), patch, back)


def _raw_recipe(raw: Mapping[str, object]) -> dict[str, object]:
    recipe = get(raw, "recipe", dict, "family", {})
    if not recipe:
        return {}
    strength = within(recipe, "strength", float, "family.recipe", (0.0, 1.0))
    return {"strength": strength, **{name: texts(recipe, name, "family.recipe") for name in ("kinds", "modules")}}


def _raw_state(raw: dict[str, object], place: str) -> State:
    """State of its object: only what is there is looked at, since there may be hundreds."""
    known, extra = dict[str, Any](), dict[str, object]()
    for name, value in raw.items():
        kind = _KINDS.get(name)
        if kind is None:
            extra[name] = value
        elif type(value) is kind and kind is not list:
            known[name] = value
        elif name == "changes":
            known[name] = _raw_changes(raw, name, place)
        elif kind is list:
            known[name] = tuple(texts(raw, name, place))
        else:
            get(raw, name, kind, place)  # which tells what is wrong
    state = State(**{"id": "", **known}, extra=extra)
    if state.mark not in MARKS:
        raise PatchError(
            tr('must be one of {listed} or empty; got "{mark}"', listed=", ".join(MARKS[1:]), mark=state.mark),
            place=f"{place}.mark",
        )
    if state.number:
        within(raw, "number", int, place, (0, MAX_NUMBER))
    return state


def _raw_changes(raw: Mapping[str, object], name: str, place: str) -> tuple[dict[str, object], ...]:
    """Changes, each of which is one, as they stand in the file."""
    found = objects(raw, name, place, MAX_LINKS)
    for item, where in found:
        raw_change(item, where)
    return tuple(item for item, _ in found)


def _check_descent(above: Mapping[str, str]) -> None:
    """Nothing comes from what is not there, or from itself."""
    good = {""}
    for state in above:
        seen, at = list[str](), state
        while at not in good:
            if at in seen:
                raise PatchError(tr('"{state}" comes from itself', state=state), place="family.states")
            if at not in above:
                raise PatchError(tr('there is no state "{at}"', at=at), place="family.states")
            seen.append(at)
            at = above[at]
        good.update(seen)
