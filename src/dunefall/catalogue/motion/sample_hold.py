"""Sample & hold: takes a value at each trigger and keeps it; or follows while a gate is high."""

from __future__ import annotations

from dunefall.base.arrays import Key, Mask, Row, Scalar, State
from dunefall.catalogue.declare import Cycle, Input, ModuleSpec, Output, Param
from dunefall.dsp.random import uniform
from dunefall.dsp.triggers import unchanged

__all__ = ["MODULE"]

HELD, LAST, PHASE, DRAWS = range(4)
SIGNAL_BIT, TRIGGER_BIT, MODE = 0b1, 0b10, 0b1000


def kernel(
    signal: Row, trigger: Row, rate_hz: Row, mode: Row, out: Row, tick: Row, state: State, key: Key, rate: Scalar,
    linked: Mask, moving: Mask,
) -> None:  # fmt: skip
    """State: held value, last trigger, phase of the internal clock, number of samples taken."""
    held, last, phase, draws = state[HELD], state[LAST], state[PHASE], state[DRAWS]
    outside_trigger = (linked & TRIGGER_BIT) != 0
    outside_signal = (linked & SIGNAL_BIT) != 0
    samples = moving & MODE == 0 and mode[0] < 0.5
    if outside_trigger and samples and draws > 0.0 and unchanged(trigger, last):
        for i in range(out.size):
            out[i], tick[i] = held, 1.0 if last > 0.5 else 0.0
        state[LAST] = trigger[out.size - 1]
        return
    for i in range(out.size):
        if outside_trigger:
            take = trigger[i] > 0.5 and last <= 0.5
            last = trigger[i]
            tick[i] = 1.0 if trigger[i] > 0.5 else 0.0
        else:
            take = phase >= 1.0 or draws == 0.0
            phase -= 1.0 if phase >= 1.0 else 0.0
            tick[i] = 1.0 if phase < 0.5 else 0.0
            phase += min(rate_hz[i] / rate, 1.0)
        take = take or (mode[i] >= 0.5 and tick[i] > 0.5)
        if take or draws == 0.0:
            held = signal[i] if outside_signal else 2.0 * uniform(key, draws, 0) - 1.0
            draws += 1.0
        out[i] = held
    state[HELD], state[LAST], state[PHASE], state[DRAWS] = held, last, phase, draws


MODULE = ModuleSpec(
    id="sample-hold",
    name="Sample & hold",
    stage="motion",
    sentence="Samples its input at each trigger and holds the value until the next; with nothing linked the "
             "values are random.",
    kernel=kernel,
    inputs=(
        Input("signal", "Signal", "control", "What is sampled; uniform noise when nothing is linked."),
        Input("trigger", "Trigger", "gate", "When to sample; with nothing linked it runs at its own rate."),
    ),
    params=(
        Param("rate_hz", "Own rate", "hz", 1 / 3600, 200, 2.0, "Values per second when no trigger is linked.",
              taper="octaves", amount=1.0, idle_with="trigger"),
        Param("mode", "Mode", "choice", 0, 1, 0, "Sample and hold, or track while the trigger is high and then hold.",
              ("sample", "track")),
    ),
    outputs=(Output("out", "Held value", "control"), Output("tick", "Clock", "gate", 0, 1)),
    state=4,
    cycle=Cycle(lambda g: "signal" not in g.linked,
                lambda g: 0.0 if "trigger" in g.linked else 1.0 / g.values["rate_hz"], ("rate_hz",)),
    face="rate_hz",
    words=("stepped random", "random notes", "stairs", "hold", "track", "s&h"),
    sources=("definition",),
)  # fmt: skip
