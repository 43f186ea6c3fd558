"""A module whose output has not changed for half a minute is marked quiet, with the reason."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dunefall.patch.model import Link, Module, Patch, Place
from dunefall.session.quietwatch import QUIET_S, QuietWatch, quiet_reason
from rig import patch_of

RATE = 48000.0
PATCH = patch_of(
    Module("lfo", "lfo", "Wave"), Module("body", "struck-body", "Bell"), Module("amp", "amplifier", "Swell"),
    Module("a-output", "output", "A"),
    links=(("body.out", "amp.audio", 1.0), ("amp.out", "a-output.audio", 1.0)),
)  # fmt: skip


class Bins:
    """Traces in which some modules move and others stand still."""

    def __init__(self, moving: set[str]) -> None:
        self.moving = moving

    def trace(self, module: str, port: str = "") -> np.ndarray:
        still = np.full((1024, 2), 0.25, np.float32)
        return still + np.float32(module in self.moving) * np.random.default_rng(1).random((1024, 2)).astype(np.float32)


def after(seconds: float, traces: Bins, watch: QuietWatch, begin: float = 0.0) -> QuietWatch:
    for step in range(int(seconds * 30)):
        watch.look(PATCH, traces, round((begin + step / 30) * RATE), RATE)
    return watch


def test_what_stands_still_for_half_a_minute_is_quiet() -> None:
    traces = Bins({"lfo"})
    assert after(QUIET_S - 2, traces, QuietWatch()).quiet == frozenset()
    watch = after(QUIET_S + 7, traces, QuietWatch())
    assert watch.quiet == {"body", "amp", "a-output"}
    traces.moving = {"lfo", "body", "amp", "a-output"}
    assert after(7, traces, watch, QUIET_S + 7).quiet == frozenset(), "it moves again"


def test_time_in_which_nothing_sounds_does_not_count() -> None:
    watch = QuietWatch()
    for _ in range(1000):
        watch.look(PATCH, Bins(set()), 4800, RATE)
    assert watch.quiet == frozenset()
    watch.look(PATCH, Bins(set()), round(500 * RATE), RATE)
    assert watch.quiet == frozenset(), "a jump is not time that was heard"


def quiet(patch: Patch, module: str, *names: str) -> str:
    return quiet_reason(patch, patch.module(module), frozenset(names))


def test_reasons() -> None:
    assert quiet(PATCH, "body", "body") == "nothing is linked to trigger"
    assert quiet(PATCH, "amp", "body", "amp") == "Bell, which it takes, gives nothing new either"
    bypassed = PATCH.with_module(replace(PATCH.module("amp"), bypassed=True))
    assert quiet(bypassed, "amp", "amp") == "it is bypassed"
    assert quiet(PATCH.with_param("a-output", "mute", 1.0), "a-output", "a-output") == "its layer is muted"
    none = PATCH.with_link(Link(PATCH.links[0].id, Place("body", "out"), Place("amp", "audio"), 0.0))
    assert "an amount of 0" in quiet(none, "amp", "amp")
    assert quiet(PATCH, "lfo", "lfo") == ""


@pytest.mark.parametrize("on", [True, False])
def test_a_link_that_is_off_brings_nothing(on: bool) -> None:
    patch = PATCH.with_link(replace(PATCH.links[0], on=on))
    assert ("nothing is linked" in quiet(patch, "amp", "amp")) == (not on)
