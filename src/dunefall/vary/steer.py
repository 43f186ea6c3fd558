"""Steering: a search for values that make a sound darker, sparser, rougher, and leave the rest of it as it is.

The search is seeded and bounded. First every free value is moved alone, which tells what it does to each descriptor;
then the step that the answers promise is tried, and what came of it corrects them (Gauss and Newton's method within
bounds, with Broyden's update of the slopes: Nocedal and Wright, "Numerical Optimization", chapters 10 and 11, from
memory). How dense a sound is goes in steps, one for each onset, of which slopes tell little: where they lead nowhere,
many places near the best ones are guessed from all that has been heard (see ``vary.guess``), and the one is heard of
which a draw from its guess promises most (Thompson's sampling, 1933, from memory). Loudness needs no search: the
levels of the layers bring it to where it is to be.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from random import Random
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from dunefall.analysis.descriptors import Descriptors, density_in_octaves, most_onsets_per_s
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Param
from dunefall.catalogue.varying import EDGE, is_free, kind_of
from dunefall.patch.model import Patch
from dunefall.vary.guess import Guess
from dunefall.vary.variations import RATE, by_itself, described_patch, seeded
from dunefall.vary.words import DIMENSIONS, LEAST, chance_of, in_units

__all__ = ["MOST_RENDERS", "STEERED_S", "WORDS", "Found", "steered", "steps_between"]

MOST_RENDERS, STEERED_S = 200, 3.0
WORDS = {
    word: (k, sign) for k, dimension in enumerate(DIMENSIONS)
    for word, sign in ((dimension.less, -1.0), (dimension.more, 1.0))
}  # fmt: skip
"""Each word with its dimension and direction."""
WANTED = 2.0
"""Steps of a word at an amount of 1: twice what chance makes."""
PROBE, SLACK, LEAST_STEP = 0.2, 0.8, 1e-3
"""How far a value is moved alone, as a share of its rail; how much of its spread another descriptor may move freely."""
LOUDNESS, MOST_TRIM_DB = WORDS["louder"][0], 18.0
"""Layers are made louder or softer by so much at most, all alike."""
AIM, FURTHER = 1.1, 1.15
"""The search aims so far beyond what is wanted: just short of it with all else in place is not there; each step goes a
little further, as slopes promise too much."""
DAMPING = 0.05
BOTH_SIDES, PATIENCE, SOME = 16, 5, 0.5
"""So many values are tried up and down; so many steps may make nothing better; the share of values of another
attempt."""
GUESSED, NEAR_BEST, MOST_MOVED, FARS, BOLDNESS, ADVENTURE, TRIES = 400, 5, 5, (0.05, 0.15, 0.35), 0.1, 0.2, 8
"""So many places are guessed at a time, near so many of the best ones; values that are moved there at most, how far on
their rails, and how much of a guess's spread is drawn; how often a place is heard whatever the guess is; so often until
slopes are followed again."""
LIKELY, LIKELY_REST = 0.02, 0.3
"""How likely a value is moved there that does nothing by itself, and one that does most, but not of what is wanted,
against one that does most of it."""
AMOUNT_RANGE = 8.0
FEW_FREE, FEW_AMOUNTS = 90, 30
"""So many values, and amounts of links, are tried alone at most; chance chooses them."""

BEYOND = "it has too few onsets in {seconds:g} s, or too many come and go by chance, for a difference to be heard"

Floats = NDArray[np.float64]
Hears = Callable[[Sequence[Patch]], list[Descriptors]]


@dataclass(frozen=True)
class Found:
    """What a search came to.

    Attributes
    ----------
    patch : Patch
        The best patch.
    steps : ndarray [shape=(8,)]
        How far it is from its parent, in spreads of each descriptor.
    reached : bool
        All words as far as wanted, and nothing else moved by more than its spread.
    renders : int
        How many sounds were listened to.
    told : str
        What came of it, in a sentence.
    possible : bool
        Whether a sound of that length can be so at all, and some value that may change moves it that way.
    """

    patch: Patch
    steps: Floats
    reached: bool
    renders: int
    told: str
    possible: bool = True


@dataclass(frozen=True)
class _Value:
    """A value of a module, on its rail."""

    module: str
    param: Param
    start: float

    def moved(self, patch: Patch, place: float) -> Patch:
        """The patch with it at a place of its rail."""
        return patch.with_param(self.module, self.param.id, self.param.from_rail(place))


@dataclass(frozen=True)
class _Amount:
    """How far a link moves a value: from an eighth to eight times what it was, which is the middle of its rail."""

    link: str
    most: float
    start: float = 0.5

    def moved(self, patch: Patch, place: float) -> Patch:
        """The patch with it at a place of its rail."""
        link = patch.link(self.link)
        amount = link.amount * AMOUNT_RANGE ** (2.0 * place - 1.0)
        return patch.with_link(replace(link, amount=min(self.most, max(-self.most, amount))))


_Free: TypeAlias = _Value | _Amount
"""What the search may move."""


def hears_alone(modules: Collection[str], seconds: float) -> Hears:
    """What listens to patches here, one after the other: to the layers of some modules."""
    return lambda patches: [described_patch(by_itself(patch, modules), seconds)[1] for patch in patches]


def steps_between(parent: Descriptors, child: Descriptors, spread: Floats) -> Floats:
    """How far a sound is from another in each dimension, in spreads; what has no value has not moved.

    Parameters
    ----------
    parent, child : Descriptors
        The sounds.
    spread : ndarray [shape=(8,)]
        See ``words.Chance``; no less counts than what is heard.

    Returns
    -------
    ndarray [shape=(8,)]
    """
    return np.asarray(np.clip(in_units(parent.scaled, child.scaled, np.maximum(spread, LEAST)), -20.0, 20.0))


@dataclass(frozen=True)
class _Heard:
    """A place on the rails, how far its sound is from the parent, and what that costs."""

    cost: float
    steps: Floats
    at: Floats
    trim_db: float = 0.0


class _Levels:
    """The levels of the layers that are listened to, which go up and down together; a locked one holds all."""

    def __init__(self, patch: Patch, modules: Collection[str]) -> None:
        self._now_db = dict[str, float]()
        self.low_db, self.high_db = -MOST_TRIM_DB, MOST_TRIM_DB
        for name in sorted({patch.layer_of(module).output_id for module in modules}):
            end = patch.module(name) if patch.has(name) else None
            spec = spec_for(end) if end is not None else None
            if end is None or spec is None:
                continue
            level = spec.param("level_db")
            self._now_db[name] = now = end.params.get(level.id, level.default)
            low, high = (now, now) if level.id in end.locked else (level.low, level.high)
            self.low_db, self.high_db = max(self.low_db, low - now), min(self.high_db, high - now)

    def moved(self, patch: Patch, by_db: float) -> Patch:
        """The patch with its layers so much louder."""
        for name, now in self._now_db.items() if by_db else ():
            patch = patch.with_param(name, "level_db", now + by_db)
        return patch


class _Search:
    """Values on their rails, and what each of them does."""

    def __init__(
        self, patch: Patch, values: Sequence[_Free], levels: _Levels, wanted: Mapping[int, float], hears: Hears
    ) -> None:
        self._patch, self._values, self._levels, self._hears = patch, values, levels, hears
        self._start = np.array([value.start for value in values])
        self._wanted = wanted
        self._goal = np.array([wanted.get(k, 0.0) for k in range(len(DIMENSIONS))])
        self.renders = 0
        heard = self.hear(seeded(patch))
        self._parent, self._spread = heard[0], chance_of(heard).spread
        self.heard = list[_Heard]()
        self.best = _Heard(np.inf, np.zeros(len(DIMENSIONS)), self._start)

    def hear(self, patches: Sequence[Patch]) -> list[Descriptors]:
        self.renders += len(patches)
        return self._hears(patches)

    def patch_at(self, places: Floats, trim_db: float = 0.0) -> Patch:
        """The patch with its values at these places of their rails, and its layers so much louder."""
        patch = self._levels.moved(self._patch, trim_db)
        for value, place, start in zip(self._values, places.tolist(), self._start.tolist(), strict=True):
            if abs(place - start) > 1e-9:
                patch = value.moved(patch, place)
        return patch

    def steps_at(self, places: Sequence[Floats]) -> list[Floats]:
        """How far the sounds at some places are from the parent; the best one is kept."""
        found = []
        for at, sound in zip(places, self.hear([self.patch_at(at) for at in places]), strict=True):
            steps = steps_between(self._parent, sound, self._spread)
            trim_db = self._trim_db(steps)
            steps[LOUDNESS] += trim_db / max(self._spread[LOUDNESS], LEAST[LOUDNESS])
            this = _Heard(float(self.cost(steps)), steps, at, trim_db)
            if trim_db and self.reached(steps):
                this = self.heard_again(this)
            self.heard.append(this)
            if this.cost < self.best.cost:
                self.best = this
            found.append(this.steps)
        return found

    def _trim_db(self, steps: Floats) -> float:
        """By how much the layers are to be louder where the sound is not as loud as it should be."""
        goal, now = AIM * float(self._goal[LOUDNESS]), float(steps[LOUDNESS])
        if (now * goal >= goal * goal) if goal else abs(now) <= SLACK:
            return 0.0
        missing_db = (goal - now) * float(max(self._spread[LOUDNESS], LEAST[LOUDNESS]))
        return min(self._levels.high_db, max(self._levels.low_db, missing_db))

    def heard_again(self, this: _Heard) -> _Heard:
        """A place with its layers as loud as they are to be there: what that promises is heard."""
        (sound,) = self.hear([self.patch_at(this.at, this.trim_db)])
        steps = steps_between(self._parent, sound, self._spread)
        return replace(this, cost=float(self.cost(steps)), steps=steps)

    def errors(self, steps: Floats) -> Floats:
        """What is missing of what is wanted, and what has moved that should not have [shape=(..., 8)]."""
        sign, rest = np.sign(self._goal), np.sign(steps) * np.maximum(0.0, np.abs(steps) - SLACK)
        missing = np.minimum(0.0, steps * sign - AIM * np.abs(self._goal)) * sign
        return np.asarray(np.where(self._goal != 0.0, missing, rest))

    def reached(self, steps: Floats) -> NDArray[np.bool_]:
        """Whether everything is as it should be."""
        wanted = steps * np.sign(self._goal) >= np.abs(self._goal) - 1e-9
        return np.asarray(np.where(self._goal != 0.0, wanted, np.abs(steps) <= 1.0).all(axis=-1))

    def cost(self, steps: Floats) -> Floats:
        """How far it is from that; below 0 where it is reached."""
        return np.where(self.reached(steps), -1.0, (self.errors(steps) ** 2).sum(axis=-1))

    def stuck(self) -> set[int]:
        """The dimensions that nothing heard has moved the way that is wanted: a drone has no onsets, and no value that
        makes some."""
        steps = np.array([heard.steps for heard in self.heard])
        return {k for k, wanted in self._wanted.items() if not np.any(steps[:, k] * wanted > 0.0)}

    def beyond(self, seconds: float) -> bool:
        """Whether a sound of this length cannot be as dense or as sparse as is wanted: it has an onset at least, and
        no more than are told apart."""
        k, onsets = WORDS["denser"][0], self._parent.onsets_per_s
        goal = self._parent.scaled[k] + self._goal[k] * max(self._spread[k], LEAST[k])
        least, most = map(density_in_octaves, (1.0 / seconds, most_onsets_per_s(RATE)))
        return self._goal[k] != 0.0 and (onsets == 0.0 or not least - 1e-9 <= goal <= most)

    def moved(self, at: Floats) -> Floats:
        """How far each value is up from where it began, and how far down [shape=(..., 2 * values)]: what a value does
        on one side of its place tells little about the other side."""
        return np.asarray(np.maximum(np.concatenate([at - self._start, self._start - at], axis=-1), 0.0))

    def slopes(self, which: Sequence[int]) -> Floats:
        """What some values do, moved alone up and down [shape=(8, 2 * values), 0 for the others]; only those that do
        most of what is wanted are tried on both sides."""
        count = len(self._values)
        sides = np.where(self._start + PROBE <= 1.0 - EDGE, 1.0, -1.0)
        first = np.zeros((len(DIMENSIONS), count))
        first[:, which] = self._probed(which, sides)
        found = np.hstack([first * sides, -first * sides])
        if self.reached(self.best.steps):
            return found
        wanted = sum(np.abs(first[k]) for k in self._wanted)
        other = np.where(sides > 0, self._start - PROBE >= EDGE, self._start + PROBE <= 1.0 - EDGE)
        order = np.argsort(-np.asarray(wanted), kind="stable").tolist()
        strongest = [k for k in order if other[k] and k in which][:BOTH_SIDES]
        second = self._probed(strongest, -sides)
        for column, k in enumerate(strongest):
            found[:, k if sides[k] < 0 else count + k] = second[:, column]
        return found

    def _probed(self, which: Sequence[int], sides: Floats) -> Floats:
        """What some values do for each step of their rails, to one side [shape=(8, values)]."""
        places = []
        for k in which:
            at = self._start.copy()
            at[k] += PROBE * sides[k]
            places.append(at)
        return np.asarray(np.array(self.steps_at(places)).reshape(-1, len(DIMENSIONS)).T / PROBE)

    def go(self, most: int, dice: Random) -> None:
        """Search until it is reached, or the sounds are used up: with all values along their slopes first; then
        amounts of links are tried, too, and it goes on by guesses and with some of all along their slopes, in turn."""
        if LOUDNESS in self._wanted:
            self.steps_at([self._start])
        if self.reached(self.best.steps):
            return
        amounts = [k for k, value in enumerate(self._values) if isinstance(value, _Amount)]
        slopes, still = self.slopes(sorted(set(range(len(self._values))) - set(amounts))), np.zeros(len(DIMENSIONS))
        start = _Heard(float(self.cost(still)), still, self._start)
        self._descend(slopes, start, most)
        if amounts and self.renders < most and not self.reached(self.best.steps):
            begin = self.best if np.any(slopes[list(self._wanted)]) else start
            slopes = slopes + self.slopes(amounts)
            self._descend(slopes, begin, most)
        if not np.any(slopes[list(self._wanted)]):
            return
        from_start = True
        while self.renders < most and not self.reached(self.best.steps):
            for _ in range(TRIES):
                if self.renders < most and not self.reached(self.best.steps):
                    self.steps_at([self._promising(slopes, dice)])
            chosen, from_start = np.array([float(dice.random() < SOME) for _ in self._values]), not from_start
            self._descend(slopes * np.tile(chosen, 2), start if from_start else self.best, most)

    def _promising(self, slopes: Floats, dice: Random) -> Floats:
        """A place near the best ones of which most can be hoped."""
        chance, count = np.random.default_rng(dice.randrange(2**32)), len(self._values)
        does = np.abs(slopes).reshape(len(DIMENSIONS), 2, count).max(axis=1)
        wanted, rest = does[list(self._wanted)].sum(axis=0), np.sqrt((does**2).sum(axis=0))
        likely = wanted / wanted.max() + LIKELY_REST * rest / rest.max() + LIKELY
        best = np.array([heard.at for heard in sorted(self.heard, key=lambda heard: heard.cost)[:NEAR_BEST]])
        places = best[np.where(np.arange(GUESSED) % 2, 0, chance.integers(len(best), size=GUESSED))]
        order = np.argsort(-np.log(likely) - chance.gumbel(size=places.shape))
        moves = chance.normal(size=places.shape) * chance.choice(FARS, size=places.shape)
        moved = order.argsort() < chance.integers(1, MOST_MOVED + 1, size=(GUESSED, 1))
        places = np.clip(places + np.where(moved, moves, 0.0), 0.0, 1.0)
        if dice.random() < ADVENTURE:
            return np.asarray(places[0])
        heard_at, heard = (np.array([getattr(heard, name) for heard in self.heard]) for name in ("at", "steps"))
        mean, spread = Guess(slopes, self.moved(heard_at), heard).at(self.moved(places))
        return np.asarray(places[np.argmin(self.cost(mean + BOLDNESS * spread * chance.normal(size=mean.shape)))])

    def _descend(self, slopes: Floats, begin: _Heard, most: int) -> None:
        """Go where the slopes lead, and correct them by what came of it, until nothing gets better."""
        steps, at, cost, trust, left = begin.steps, begin.at, begin.cost, 0.5, PATIENCE
        while left and self.renders < most and not self.reached(self.best.steps):
            to = self._toward(slopes, steps, at, trust)
            if np.abs(to - at).max(initial=0.0) < LEAST_STEP:
                return
            after = self.steps_at([to])[0]
            moved = self.moved(to) - self.moved(at)
            slopes = slopes + np.outer(after - steps - slopes @ moved, moved) / float(moved @ moved)
            if (lower := float(self.cost(after))) < cost:
                steps, at, cost, left, trust = after, to, lower, PATIENCE, min(1.0, 1.5 * trust)
            else:
                left, trust = left - 1, max(0.05, 0.6 * trust)

    def _toward(self, slopes: Floats, steps: Floats, at: Floats, trust: float) -> Floats:
        """Where the slopes promise what is wanted, within the rails, and within what is trusted."""
        from scipy.optimize import lsq_linear  # half a second that only a search needs

        goal = -steps.copy()
        for k, wanted in self._wanted.items():
            goal[k] = FURTHER * wanted - steps[k]
        weight = np.array([2.0 if k in self._wanted else 1.0 for k in range(len(goal))])
        moved, count = self.moved(at), len(at)
        rows = np.vstack([slopes * weight[:, None], DAMPING * np.sqrt(count) * np.eye(2 * count)])
        most = np.maximum(np.concatenate([1.0 - EDGE - self._start, self._start - EDGE]), moved)
        low, high = np.maximum(-moved, -trust) - 1e-9, np.minimum(most - moved, trust) + 1e-9
        found = lsq_linear(rows, np.concatenate([goal * weight, np.zeros(2 * count)]), (low, high), max_iter=50)
        moved = np.clip(moved + found.x, 0.0, most)
        return np.asarray(self._start + moved[:count] - moved[count:])


def _free(patch: Patch, modules: Collection[str], kinds: Collection[str], dice: Random) -> list[_Free]:
    """Values that may be moved and that glide, then how far links move them."""
    values: list[_Free] = []
    amounts: list[_Free] = []
    for name in sorted(modules):
        module = patch.module(name)
        spec = spec_for(module)
        for param in spec.params if spec is not None and not module.bypassed else ():
            free = spec is not None and is_free(spec, param, module.locked, module.params)
            if free and spec is not None and not param.choices and kind_of(spec, param) in kinds:
                values.append(_Value(name, param, param.to_rail(module.params.get(param.id, param.default))))
                width = param.domain[1] - param.domain[0]
                links = [link for link in patch.links_into(name, param.id) if link.on and link.amount]
                amounts += [_Amount(link.id, max(abs(link.amount), width)) for link in links]
    return _some(values, FEW_FREE, dice) + _some(amounts, FEW_AMOUNTS, dice)


def _some(all_of_them: list[_Free], most: int, dice: Random) -> list[_Free]:
    """So many of them at most; chance chooses."""
    return dice.sample(all_of_them, most) if len(all_of_them) > most else all_of_them


def steered(
    patch: Patch, modules: Collection[str], kinds: Collection[str], words: Mapping[str, float], *, seed: int,
    renders: int = MOST_RENDERS, seconds: float = STEERED_S, hears: Hears | None = None,
) -> Found:  # fmt: skip
    """Search for values that move a sound as some words say, and leave the rest of it as it is.

    Parameters
    ----------
    patch : Patch
        The parent; it is not changed.
    modules : collection of str
        Ids of the modules whose values may be moved; the layers of these are listened to, alone.
    kinds : collection of str
        Which kinds of values.
    words : mapping of str to float (0, 4]
        See ``WORDS``; an amount of 1 is twice what chance makes of it.
    seed : int
        The same seed finds the same.
    renders : int
        So many sounds are listened to at most.
    seconds : float
        Each so long.
    hears : function, optional
        What listens to patches, in their order: here, one after the other, if none is given.

    Returns
    -------
    Found

    Raises
    ------
    ParameterError
        If a word is not known, two contradict each other, or nothing may be moved.
    """
    wanted = _wanted(words)
    dice = Random(f"steer {seed}")
    values = _free(patch, modules, kinds, dice)
    if not values:
        raise ParameterError(tr("nothing may change: all values of these kinds are locked, or there are none"))
    search = _Search(patch, values, _Levels(patch, modules), wanted, hears or hears_alone(modules, seconds))
    if search.beyond(seconds):
        still = np.zeros(len(DIMENSIONS))
        return Found(patch, still, False, search.renders, tr(BEYOND, seconds=seconds), possible=False)
    search.go(renders, dice)
    best = search.best
    if best.trim_db and not search.reached(best.steps):
        best = search.heard_again(best)
    reached, found = bool(search.reached(best.steps)), search.patch_at(best.at, best.trim_db)
    stuck = search.stuck() if search.renders < renders else set()  # or there was no time to try all
    told = _told(words, wanted, best.steps, reached, stuck)
    return Found(found, best.steps, reached, search.renders, told, possible=not stuck)


def _wanted(words: Mapping[str, float]) -> dict[int, float]:
    """How far each dimension is to go, by its number."""
    wanted: dict[int, float] = {}
    for word, amount in words.items():
        if word not in WORDS:
            raise ParameterError(
                tr('there is no word "{word}"; there are {listed}', word=word, listed=", ".join(WORDS))
            )
        if not 0.0 < amount <= 4.0:
            raise ParameterError(
                tr("the amount of {word} must be above 0 and at most 4; got {amount:g}", word=word, amount=amount)
            )
        k, sign = WORDS[word]
        if k in wanted:
            raise ParameterError(
                tr("{less} and {more} cannot both be wanted", less=DIMENSIONS[k].less, more=DIMENSIONS[k].more)
            )
        wanted[k] = sign * WANTED * amount
    if not wanted:
        raise ParameterError(tr("choose at least one word: {listed}", listed=", ".join(WORDS)))
    return wanted


def _told(
    words: Mapping[str, float], wanted: Mapping[int, float], steps: Floats, reached: bool, stuck: Collection[int]
) -> str:
    if reached:
        return tr("{words}: found", words=", ".join(map(tr, words)))
    for word in words:
        if WORDS[word][0] in stuck:
            return tr("no value that may change makes it any {word}", word=tr(word))
    shares = [f"{tr(word)} {100 * max(0.0, steps[WORDS[word][0]] / wanted[WORDS[word][0]]):.0f} %" for word in words]
    moved = [
        tr(DIMENSIONS[k].more if step > 0 else DIMENSIONS[k].less)
        for k, step in enumerate(steps.tolist()) if k not in wanted and abs(step) > 1.0
    ]  # fmt: skip
    told = tr("as near as it came: {listed} of what was wanted", listed=", ".join(shares))
    return tr("{told}; also {listed}", told=told, listed=", ".join(moved)) if moved else told
