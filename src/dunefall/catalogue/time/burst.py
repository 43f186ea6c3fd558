"""Burst: a run of triggers from one."""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Key, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param, Preset
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import PULSE_S, held_for, pulsed, unchanged

__all__ = ["MODULE"]

LAST, LEFT, HIT, WAIT, GAP, FORCE, DRAWS, COUNT, ENDED = range(9)
SHORTEST_S = 0.001


def kernel(
    trigger: Row, count: Row, gap_s: Row, acceleration: Row, fall: Row, jitter: Row, out: Row, level: Row, ended: Row,
    state: State, key: Key, rate: Scalar,
) -> None:  # fmt: skip
    """State: last trigger, samples for which the gate stays high, hits so far, samples to the next one, the present
    gap in samples, the last hit's level, number of draws, hits of this burst, samples of the end's pulse."""
    last, left, hit, wait, gap = state[LAST], state[LEFT], state[HIT], state[WAIT], state[GAP]
    force, draws, many, ending = state[FORCE], state[DRAWS], state[COUNT], state[ENDED]
    pulse = held_for(PULSE_S, rate)
    if (hit == 0.0 or hit >= many) and left == 0.0 and ending == 0.0 and unchanged(trigger, last):
        out[:], ended[:], level[:] = 0.0, 0.0, force
        state[LAST] = trigger[out.size - 1]
        return
    for i in range(out.size):
        fires = over = False
        if trigger[i] > 0.5 and last <= 0.5:
            many, hit, fires, force = float(int(count[i] + 0.5)), 1.0, True, 1.0
            gap = max(gap_s[i], SHORTEST_S) * rate
            wait = gap * _shifted(jitter[i], key, draws)
            draws += 1.0
        elif hit > 0.0 and hit < many:
            wait -= 1.0
            if wait <= 0.0:
                hit, fires, force = hit + 1.0, True, force * (1.0 - fall[i])
                gap = max(gap * (1.0 - acceleration[i]), SHORTEST_S * rate)
                wait += gap * _shifted(jitter[i], key, draws)
                draws += 1.0
        if fires and hit >= many:
            over = True
        last = trigger[i]
        out[i], left = pulsed(fires, left, pulse)
        ended[i], ending = pulsed(over, ending, pulse)
        level[i] = force
    state[LAST], state[LEFT], state[HIT], state[WAIT], state[GAP] = last, left, hit, wait, gap
    state[FORCE], state[DRAWS], state[COUNT], state[ENDED] = force, draws, many, ending


@njit(error_model="numpy", forceinline=True)
def _shifted(jitter: float, key: Key, draws: float) -> float:
    """Factor by which chance changes a gap."""
    return 1.0 + jitter * 0.9 * (2.0 * uniform(key, draws, 0) - 1.0)


MODULE = ModuleSpec(
    id="burst",
    name="Burst",
    stage="time",
    sentence="Turns each trigger into a burst: even, speeding up or slowing down, fading, irregular.",
    kernel=kernel,
    inputs=(Input("trigger", "Trigger", "gate", "Each rising edge starts a burst; a new one restarts it.",
                  listens=True),),
    params=(
        Param("count", "Hits", "none", 1, 64, 5, "Number of triggers in the burst.", amount=2.0, whole=True),
        Param("gap_s", "First gap", "s", 0.001, 60, 0.12, "Time to the second hit; note values work too.",
              taper="octaves", amount=1.0),
        Param("acceleration", "Acceleration", "ratio", -0.5, 0.5, 0, "How much shorter each gap is than the one "
              "before.", amount=0.1),
        Param("fall", "Fall", "ratio", 0, 0.9, 0.2, "How much softer each hit is than the one before it.", amount=0.2),
        Param("jitter", "Jitter", "ratio", 0, 1, 0, "Random variation of each gap.", amount=0.3),
    ),
    outputs=(
        Output("out", "Hits", "gate", 0, 1),
        Output("level", "Level", "control", 0, 1),
        Output("ended", "Ended", "gate", 0, 1),
    ),
    state=9,
    cycle=Cycle(lambda g: g.used("jitter"), fires=("out",)),
    face="count",
    words=("ratchet", "roll", "bounce", "flam", "stutter", "run", "ball"),
    presets=(
        Preset("Bouncing ball", "Hits that come closer and softer until they stop.",
               {"count": 14, "gap_s": 0.4, "acceleration": 0.18, "fall": 0.15}, ("bounce", "ball", "ping-pong ball")),
        Preset("Flam", "Two hits close together.",
               {"count": 2, "gap_s": 0.03, "fall": 0.0}, ("grace note", "double hit")),
        Preset("Roll", "Sixteen even hits.",
               {"count": 16, "gap_s": 0.05, "fall": 0.0}, ("drum roll", "buzz")),
    ),
    sources=("geometric series of gaps and levels (definition)",),
)  # fmt: skip
