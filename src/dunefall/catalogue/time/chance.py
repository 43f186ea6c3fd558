"""Chance: each trigger passes with a probability."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key, Row, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import unchanged

__all__ = ["MODULE"]

LAST, OPEN, DRAWS, RUN, DEALT, GOOD = range(6)
INDEPENDENT, IN_A_ROW, DECK = range(3)


def kernel(
    trigger: Row, probability: Row, mode: Row, most: Row, deck: Row, passed: Row, refused: Row, state: State, key: Key
) -> None:
    """State: last trigger, 1 while the present gate passes, number of draws, how many were alike in a row (negative:
    refused), how many of the deck are dealt, how many of them passed."""
    last, is_open, draws = state[LAST], state[OPEN], state[DRAWS]
    if unchanged(trigger, last):
        high = last > 0.5
        for i in range(passed.size):
            passed[i], refused[i] = is_open if high else 0.0, 1.0 - is_open if high else 0.0
        state[LAST] = trigger[passed.size - 1]
        return
    for i in range(passed.size):
        high = trigger[i] > 0.5
        if high and last <= 0.5:
            chance = _chance(probability[i], mode[i], most[i], deck[i], state)
            is_open = 1.0 if uniform(key, draws, 0) < chance else 0.0
            draws += 1.0
            run = state[RUN]
            state[RUN] = (max(run, 0.0) + 1.0) if is_open > 0.5 else (min(run, 0.0) - 1.0)
            state[DEALT] += 1.0
            state[GOOD] += is_open
        last = trigger[i]
        passed[i] = is_open if high else 0.0
        refused[i] = 1.0 - is_open if high else 0.0
    state[LAST], state[OPEN], state[DRAWS] = last, is_open, draws


@njit(error_model="numpy", forceinline=True)
def _chance(probability: float, mode: float, most: float, deck: float, state: State) -> float:
    """Probability of the next one after what went before."""
    way = int(mode + 0.5)
    if way == IN_A_ROW:
        if state[RUN] >= int(most + 0.5):
            return 0.0
        return 1.0 if -state[RUN] >= int(most + 0.5) else probability
    if way == DECK:
        size = float(int(deck + 0.5))
        if state[DEALT] >= size:
            state[DEALT], state[GOOD] = 0.0, 0.0
        wanted = float(int(probability * size + 0.5))
        return (wanted - state[GOOD]) / (size - state[DEALT])
    return probability


MODULE = ModuleSpec(
    id="chance",
    name="Chance",
    stage="time",
    sentence="Lets each trigger pass with a given probability; refused triggers go to a second output.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "Each rising edge is one draw.", listens=True),),
    params=(
        Param("probability", "Probability", "ratio", 0, 1, 0.5, "Share of the triggers that pass.", amount=0.3),
        Param("mode", "Memory", "choice", 0, 2, 0, "How much each draw depends on those before it.",
              ("independent", "limit in a row", "shuffled deck")),
        Param("most", "In a row", "none", 1, 16, 3, "Most triggers that pass, or are refused, in a row.",
              amount=1.0, whole=True, shown_when=("mode", (1,))),
        Param("deck", "Deck", "none", 2, 64, 8, "Exactly the set share of this many triggers passes, in random order.",
              amount=2.0, whole=True, shown_when=("mode", (2,))),
    ),
    outputs=(Output("passed", "Passed", "gate", 0, 1), Output("refused", "Refused", "gate", 0, 1, seen=True)),
    cycle=Cycle(lambda g: 0 < g.values["probability"] < 1 or "probability" in g.linked),
    state=6,
    face="probability",
    passes="trigger",
    words=("probability", "random gate", "skip", "coin", "sparse", "deck", "bernoulli"),
    presets=(
        Preset("Rarely", "Lets one trigger in seven pass.",
               {"probability": 0.15}, ("seldom", "sparse")),
        Preset("Mostly", "Drops one trigger in five.",
               {"probability": 0.8}, ("drop-outs", "often")),
    ),
    sources=("Bernoulli trials; drawing without replacement (definition)",),
)  # fmt: skip
