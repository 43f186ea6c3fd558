"""Phase-locked loop: an oscillator that runs after a sound."""

from __future__ import annotations

from dunefall.base.arrays import Mask, Row, Scalar, Scratch, State
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.dsp.follow import approach_step
from dunefall.dsp.maths import fma
from dunefall.dsp.onepole import one_pole_share

__all__ = ["MODULE"]

PHASE, BEFORE, EDGES, VOLTAGE, RISEN, MEAN, POWER = range(7)
CUTOFF = 0b1000
JUDGE_S = 0.2
"""Time over which the loop is judged."""


def kernel(
    audio: Row, centre_hz: Row, range_hz: Row, cutoff_hz: Row, detector: Row, out: Row, voltage: Row, compare: Row,
    locked: Row, state: State, rate: Scalar, moving: Mask, scratch: Scratch,
) -> None:  # fmt: skip
    """State: phase in cycles, the oscillator's sign before, the edge detector's memory (-1..1), the loop's voltage, the
    sound's sign before, mean and power of the voltage over some time.

    Exclusive or: both signs multiplied. Edges: set by a rise of the sound, reset by a rise of the oscillator.
    Frequency: counts rises up and down between -1 and 1, so it also knows which of both is faster.
    """
    phase, mine, edges, held = state[PHASE], state[BEFORE], state[EDGES], state[VOLTAGE]
    theirs, mean, power, per = state[RISEN], state[MEAN], state[POWER], 1.0 / rate
    judge, shares = approach_step(JUDGE_S, rate), scratch[: out.size]
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
            edges = min(max(edges + (1.0 if heard else 0.0) - (1.0 if ran else 0.0), -1.0), 1.0)
            found = edges
        held = fma(found - held, shares[i], held)
        phase += min(max(fma(range_hz[i] * per, held, centre_hz[i] * per), 0.0), 0.5)
        phase = phase - 1.0 if phase >= 1.0 else phase
        mean = fma(held - mean, judge, mean)
        power = fma((held - mean) * (held - mean) - power, judge, power)
        out[i], voltage[i], compare[i] = own, held, found
        locked[i] = 1.0 if power < 0.01 and abs(mean) < 0.97 else 0.0
    state[PHASE], state[BEFORE], state[EDGES], state[VOLTAGE] = phase, mine, edges, held
    state[RISEN], state[MEAN], state[POWER] = theirs, mean, power


MODULE = ModuleSpec(
    id="phase-locked-loop",
    name="Phase-locked loop",
    stage="shape",
    sentence="An oscillator that chases the pitch of a sound, overshoots, hunts and locks.",
    kernel=kernel,
    inputs=(Input("audio", "Audio", "audio", "The sound it follows."),),
    params=(
        Param("centre_hz", "Centre", "hz", 1, 8000, 220, "Frequency with no voltage.", taper="octaves", amount=1.0),
        Param("range_hz", "Range", "shift", 0, 8000, 150, "Frequency range in hertz at full control voltage.",
              amount=50.0),
        Param("cutoff_hz", "Loop low-pass", "hz", 0.1, 8000, 12, "Speed of the loop filter: low values hunt slowly.",
              taper="octaves", amount=1.0),
        Param("detector", "Detector", "choice", 0, 2, 0, "How both are compared.",
              ("exclusive or", "edges", "frequency")),
    ),
    outputs=(
        Output("out", "Tone", "audio"),
        Output("voltage", "Voltage", "control"),
        Output("compare", "Detector", "audio"),
        Output("locked", "Locked", "gate"),
    ),
    state=7,
    face="centre_hz",
    shows="course",
    words=("pll", "tracking", "chase", "lock", "glitch", "sync"),
    sources=("Gardner, Phaselock Techniques; Best, Phase-Locked Loops (detectors, lock range; from memory)",),
)  # fmt: skip
