"""Edits of what is kept of a patch: snapshots, the board of variations, and which came from which.

Each function is one undo step of a document.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Collection, Mapping
from dataclasses import replace
from datetime import datetime

from dunefall.base.door import clean
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.patch.changes import Change, ParamSet, apply_changes, difference
from dunefall.patch.document import Document
from dunefall.patch.family import DISCARDED, KEPT, Family, State
from dunefall.patch.model import Patch
from dunefall.patch.states import patch_of_state, recalled, rooted, state_of
from dunefall.vary.states import checked_patch_of
from dunefall.vary.variations import variations

__all__ = [
    "are_made",
    "fill_board",
    "keep_snapshot",
    "mark_state",
    "move_snapshot",
    "name_state",
    "put_on_board",
    "recall",
    "remove_state",
    "renew_snapshot",
    "take_over",
]

MOST_SNAPSHOTS = 1000


def _known(document: Document, state_id: str) -> State:
    state = document.patch.family.state(state_id)
    if state is None:
        raise ParameterError(tr("this state is no longer kept"))
    return state


def _keep(document: Document, label: str, family: Family) -> None:
    """Let this be what is kept; what sounds stays."""
    document.edit(label, replace(document.patch, family=family))


def _now() -> str:
    return datetime.now().strftime("%Y-%m-%d %H:%M")


def _free_name(family: Family) -> str:
    names = {state.name for state in family.states}
    numbers = itertools.count(len(family.snapshots) + 1)
    return next(name for k in numbers if (name := tr("Snapshot {number}", number=k)) not in names)


def keep_snapshot(document: Document, name: str = "", part: str = "") -> str:
    """Keep the patch, or a part of it, as it is now; returns the snapshot's id.

    Parameters
    ----------
    document : Document
        The open document.
    name : str
        Its name; "": one that is free.
    part : str
        Layer, module or compound; "": the whole patch.

    Returns
    -------
    str

    Raises
    ------
    ParameterError
        If there are too many.
    """
    patch = rooted(document.patch)
    family = patch.family
    if len(family.snapshots) >= MOST_SNAPSHOTS:
        raise ParameterError(
            tr("there can be {MOST_SNAPSHOTS} snapshots: remove some first", MOST_SNAPSHOTS=MOST_SNAPSHOTS)
        )
    given = State(family.free_id(), clean(name) or _free_name(family), parent=family.now, part=part, made=_now())
    family = family.with_state(state_of(patch, patch, given))
    now = family.now if part else given.id
    _keep(document, tr("Keep {name}", name=given.name), replace(family, now=now))
    return given.id


def recall(document: Document, state_id: str) -> None:
    """Bring back a snapshot or a variation; where the whole patch was kept, what is made next comes from it.

    Parameters
    ----------
    document : Document
        The open document.
    state_id : str
        Id of the state.

    Raises
    ------
    DunefallError
        If it is no longer kept, or its file holds what is no change.
    """
    state, patch = _known(document, state_id), document.patch
    made = recalled(patch, checked_patch_of(patch.family, state), state.part)
    if not state.part:
        made = replace(made, family=replace(made.family, now=state_id))
    document.edit(tr("Recall {title}", title=state.title), made)


def name_state(document: Document, state_id: str, name: str) -> None:
    """Give a snapshot another name; a variation becomes a snapshot by it.

    Parameters
    ----------
    document : Document
        The open document.
    state_id : str
        Id of the state.
    name : str
        The name; an empty one changes nothing.
    """
    state, name = _known(document, state_id), clean(name)
    if name:
        _keep(
            document,
            tr("Rename {title}", title=state.title),
            document.patch.family.with_state(replace(state, name=name)),
        )


def renew_snapshot(document: Document, state_id: str) -> None:
    """Let a snapshot hold the patch as it is now.

    Parameters
    ----------
    document : Document
        The open document.
    state_id : str
        Id of the snapshot.
    """
    state, patch = _known(document, state_id), rooted(document.patch)
    renewed = state_of(patch, patch, replace(state, made=_now()))
    _keep(document, tr("Replace {title}", title=state.title), patch.family.with_state(renewed))


def remove_state(document: Document, state_id: str) -> None:
    """Keep a state no longer; what came from it came from its parent.

    Parameters
    ----------
    document : Document
        The open document.
    state_id : str
        Id of the state.
    """
    state = _known(document, state_id)
    _keep(document, tr("Remove {title}", title=state.title), document.patch.family.without(state_id))


def move_snapshot(document: Document, state_id: str, by: int) -> None:
    """Move a snapshot up or down among the snapshots.

    Parameters
    ----------
    document : Document
        The open document.
    state_id : str
        Id of the snapshot.
    by : int
        How many places, down where positive.
    """
    family = document.patch.family
    order = [state.id for state in family.snapshots]
    at = order.index(state_id)
    to = min(max(at + by, 0), len(order) - 1)
    order.insert(to, order.pop(at))
    named = iter([family.state(one) for one in order])
    states = tuple(next(named) or state if state.name else state for state in family.states)
    _keep(document, tr("Move {title}", title=_known(document, state_id).title), replace(family, states=states))


def mark_state(document: Document, state_id: str, mark: str) -> None:
    """Keep or discard a variation; the same mark again takes it back.

    Parameters
    ----------
    document : Document
        The open document.
    state_id : str
        Id of the state.
    mark : str
        ``KEPT`` or ``DISCARDED``.
    """
    state = _known(document, state_id)
    marked = replace(state, mark="" if state.mark == mark else mark)
    what = {KEPT: tr("Keep"), DISCARDED: tr("Discard")}.get(
        marked.mark, tr("Bring back") if mark == DISCARDED else tr("No longer keep")
    )
    _keep(document, f"{what} {state.title}", document.patch.family.with_state(marked))


def _as_now(patch: Patch) -> Patch:
    """A patch whose family has a state for how it is now."""
    patch = rooted(patch)
    family, last = patch.family, patch.family.state(patch.family.now)
    if last is not None and not last.part and not difference(patch_of_state(family, last), patch):
        return patch
    state = state_of(patch, patch, State(family.free_id(), parent=family.now, made=_now()))
    return replace(patch, family=replace(family.with_state(state), now=state.id))


def fill_board(
    document: Document, modules: Collection[str], strength: float, kinds: Collection[str], *, seed: int, count: int,
    know: Callable[[State, Patch], None] = lambda state, patch: None,
) -> None:  # fmt: skip
    """Fill the board with variations of the patch as it is now. Those that were kept or discarded stay in the family,
    and what others came from; undo brings the board back.

    Parameters
    ----------
    document : Document
        The open document.
    modules : collection of str
        Ids of the modules that may change.
    strength : float (0, 1]
        How far values go.
    kinds : collection of str
        Which kinds of values.
    seed : int
        The same seed gives the same variations.
    count : int
        How many.
    know : function of State and Patch
        Is told each before the board shows it.

    Raises
    ------
    ParameterError
        If there is nothing that may change, or a number is out of range.
    """
    made = list(variations(document.patch, modules, strength, kinds, seed=seed, count=count))
    recipe = {"strength": strength, "kinds": list(kinds), "modules": sorted(modules)}
    put_on_board(
        document, [(one.number, one.patch) for one in made], tr("{count} variations", count=count), recipe, know
    )


def put_on_board(
    document: Document, made: list[tuple[int, Patch]], label: str, recipe: Mapping[str, object] | None = None,
    know: Callable[[State, Patch], None] = lambda state, patch: None,
) -> None:  # fmt: skip
    """Let the board show these patches, with a number each, as children of the patch as it is now.

    Parameters
    ----------
    document : Document
        The open document.
    made : list of (int, Patch)
        Numbers and patches.
    label : str
        How it reads after "Undo".
    recipe : mapping, optional
        See ``Family.recipe``.
    know : function of State and Patch
        Is told each before the board shows it.
    """
    patch = _as_now(document.patch)
    family = before = patch.family
    for state_id in family.board:
        state = family.state(state_id)
        if state and not state.mark and not state.name and state_id != family.now and not family.children(state_id):
            family = family.without(state_id)
    board: list[str] = []
    for number, then in made:
        state = State(family.free_id(before), number=number, parent=family.now, made=_now())
        state = state_of(patch, then, state)
        family = family.with_state(state)
        board.append(state.id)
        know(state, then)
    family = replace(family, board=tuple(board), recipe=dict(recipe or {}))
    _keep(document, label, family)


def are_made(patch: Patch, changes: Collection[Change]) -> bool:
    """Whether a patch is already so that some changes would change nothing.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    changes : collection of Change
        See ``vary.differences``.

    Returns
    -------
    bool
    """
    if all(isinstance(change, ParamSet) for change in changes):  # nearly always
        values = [change for change in changes if isinstance(change, ParamSet)]
        return all(patch.has(v.module) and patch.module(v.module).params.get(v.param) == v.value for v in values)
    return not difference(patch, apply_changes(patch, tuple(changes)))


def take_over(document: Document, changes: Collection[Change], label: str) -> None:
    """Let some changes be made in the patch.

    Parameters
    ----------
    document : Document
        The open document.
    changes : collection of Change
        See ``vary.differences``.
    label : str
        How it reads after "Undo".
    """
    document.edit(label, apply_changes(document.patch, tuple(changes)))
