"""Phase-locked loop: an oscillator that runs after a sound."""

from __future__ import annotations

from math import inf

from numba import njit

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.maths import fma, nearest
from dunefall.dsp.onepole import one_pole_share

__all__ = ["MODULE"]

PHASE, BEFORE, EDGES, VOLTAGE, RISEN, PLACE, SINCE, RUNS, DRIFT, RATIO, CALM, STATE = range(12)
CUTOFF = 0b1000
JUDGE_S = 0.2
"""Time over which the loop is judged."""
DRIFTS, MISSES = 0.002, 0.2
"""Locked is no more than this share of the centre apart, and a rise for each of the sound's, give or take."""
PERIODS = 3.0
"""After so many periods without a rise there is nothing to be locked to."""


def kernel(
    audio: Row, centre_hz: Row, range_hz: Row, cutoff_hz: Row, detector: Row, out: Row, voltage: Row, compare: Row,
    locked: Row, state: State, rate: Scalar, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: phase in cycles, the oscillator's sign before, the edge detector's memory (-1..1, or -2..2), the loop's
    voltage, the sound's sign before; the phase at its last rise, seconds since then, the oscillator's rises since
    then; how far both drift apart in Hz, how many rises too many there are for each of the sound's, and for how long
    neither has been too much.

    Exclusive or: both signs multiplied. Edges: set by a rise of the sound, reset by a rise of the oscillator.
    Frequency: counts rises up and down; one in reserve on either side keeps the voltage at its end while one of both
    is faster, so that any sound within the range is caught.
    """
    phase, mine, edges, held = state[PHASE], state[BEFORE], state[EDGES], state[VOLTAGE]
    theirs, since, runs, calm, per = state[RISEN], state[SINCE], state[RUNS], state[CALM], 1.0 / rate
    shares = scratch[: out.size]
    if moving & CUTOFF:
        for i in range(out.size):
            shares[i] = one_pole_share(cutoff_hz[i], rate)
    else:
        shares[:] = one_pole_share(cutoff_hz[0], rate)
    for i in range(out.size):
        sign = 1.0 if audio[i] > 0.0 else -1.0
        own = 1.0 if phase < 0.5 else -1.0
        heard, ran = sign > 0.0 and theirs <= 0.0, own > 0.0 and mine <= 0.0
        theirs, mine = sign, own
        if detector[i] < 0.5:
            found = sign * own
        elif detector[i] < 1.5:
            edges = 1.0 if heard else (-1.0 if ran else edges)
            found = edges
        else:
            edges = min(max(edges + (1.0 if heard else 0.0) - (1.0 if ran else 0.0), -2.0), 2.0)
            found = min(max(edges, -1.0), 1.0)
        held = fma(found - held, shares[i], held)
        since += per
        runs += 1.0 if ran else 0.0
        if heard:
            _judge(phase, since, runs, state)
            since = runs = 0.0
        apart = abs(state[DRIFT]) > DRIFTS * centre_hz[i] or abs(state[RATIO]) > MISSES
        calm = 0.0 if apart or since > max(JUDGE_S, PERIODS / centre_hz[i]) else calm + per
        phase += min(max(fma(range_hz[i] * per, held, centre_hz[i] * per), 0.0), 0.5)
        phase = phase - 1.0 if phase >= 1.0 else phase
        out[i], voltage[i], compare[i] = own, held, found
        locked[i] = 1.0 if calm > JUDGE_S else 0.0
    state[PHASE], state[BEFORE], state[EDGES], state[VOLTAGE] = phase, mine, edges, held
    state[RISEN], state[SINCE], state[RUNS], state[CALM] = theirs, since, runs, calm


@njit(error_model="numpy", forceinline=True)
def _judge(phase: float, since: float, runs: float, state: State) -> None:
    """At a rise of the sound: how far the oscillator has moved against it, and how often it has risen."""
    moved = phase - state[PLACE]
    moved -= nearest(moved)
    share = since / (JUDGE_S + since)
    state[DRIFT] = fma(moved / since - state[DRIFT], share, state[DRIFT])
    state[RATIO] = fma(runs - 1.0 - state[RATIO], share, state[RATIO])
    state[PLACE] = phase


MODULE = ModuleSpec(
    id="phase-locked-loop",
    name="Phase-locked loop",
    stage="shape",
    sentence="An oscillator that chases the pitch of a sound, overshoots, hunts and locks.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", "The sound it follows."),),
    params=(
        Param("centre_hz", "Centre", "hz", 1, 8000, 220, "Frequency with no voltage.", taper="octaves", amount=1.0),
        Param("range_hz", "Range", "shift", 0, 8000, 150, "How far above and below the centre it holds a sound.",
              amount=50.0),
        Param("cutoff_hz", "Loop low-pass", "hz", 0.1, 8000, 12, "Speed of the loop filter: low values hunt slowly "
              "and catch only what is near the centre; the frequency detector catches all.", taper="octaves",
              amount=1.0),
        Param("detector", "Detector", "choice", 0, 2, 0, "How both are compared.",
              ("exclusive or", "edges", "frequency")),
    ),
    outputs=(
        Output("out", "Tone", "audio"),
        Output("voltage", "Voltage", "control"),
        Output("compare", "Detector", "audio"),
        Output("locked", "Locked", "gate"),
    ),
    state=STATE,
    cycle=Cycle(memory_s=lambda g: inf),
    face="centre_hz",
    shows="course",
    words=("pll", "tracking", "chase", "lock", "glitch", "sync"),
    sources=("Gardner, Phaselock Techniques; Best, Phase-Locked Loops (detectors, lock range; from memory)",),
)  # fmt: skip
