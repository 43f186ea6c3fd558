"""In time with a MIDI clock: the tempo is that of the clock, the triggers are where its ticks are, and its changes are
followed. The clocks here are made by arithmetic, so that the truth is known."""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace

import numpy as np
import pytest

from dunefall.engine.devices.clockout import TICKS
from dunefall.engine.messages import EngineOptions, Ticked
from dunefall.patch.changes import difference
from dunefall.patch.journal import Journal
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from dunefall.patch.take import Edit, Entry, Take
from dunefall.render.offline import render_to_array
from dunefall.session.clockin import ClockFollower, TickFilter

RATE, BLOCK = 48000, 512
BPM, JITTER_S = 87.3, 3e-3
CLICKS = Patch(tempo_bpm=120.0, layers=(Layer("a", "Clicks", (
    Module("clock", "clock", "Clock", {"period_beats": 0.25}),
    Module("output", "output", "Output", {"level_db": 0.0}),
)),), links=(Link("l", Place("clock", "gate"), Place("output", "audio")),))  # fmt: skip


@dataclass
class Engine:
    """Does what it is told at the start of the next block, as the real one does."""

    start: Patch = CLICKS
    journal: Journal = field(init=False)
    options: EngineOptions = field(default_factory=EngineOptions)
    moved_on: bool = False
    heard_again: bool = False
    position: int = 0

    def __post_init__(self) -> None:
        self.patch, self.journal = self.start, Journal(Take(self.start, float(RATE)))

    def set_patch(self, patch: Patch) -> None:
        at = (self.position // BLOCK + 1) * BLOCK
        self.journal.note(Entry(at, Edit(difference(self.patch, patch))))
        self.patch = patch


Come = list[tuple[float, float]]


def ticks(bpm_at: Callable[[float], float], seconds: float, jitter_s: float, seed: int = 1) -> Come:
    """When each tick of a clock is due, and when it comes."""
    dice, due, found = random.Random(seed), 0.0, Come()
    while due < seconds:
        found.append((due, due + dice.uniform(-jitter_s, jitter_s)))
        due += 60.0 / (TICKS * bpm_at(due))
    return found


def followed(come: Iterable[tuple[float, float]], late_s: float = 0.0) -> tuple[Engine, ClockFollower]:
    """A follower after a clock that started with the sound, or as much earlier."""
    engine = Engine()
    follower = ClockFollower(engine)
    follower.on = True
    follower.take(Ticked("start", -1.0), playing=False)
    for _, at in come:
        place = at - late_s
        engine.position = max(round(place * RATE), 0)
        follower.take(Ticked("tick", at, place), playing=place > 0.0)
    return engine, follower


def trigger_times_s(take: Take, seconds: float) -> np.ndarray:
    sound = render_to_array(take, seconds=seconds)[:, 0]
    return (np.flatnonzero((sound[1:] > 0.1) & (sound[:-1] <= 0.1)) + 1) / RATE


@pytest.mark.parametrize("seed", range(10))
def test_after_four_bars_the_tempo_is_right_within_two_in_ten_thousand(seed: int) -> None:
    filtered = TickFilter()
    for _, at in ticks(lambda t: BPM, 16 * 60.0 / BPM, JITTER_S, seed):
        filtered.take(at)
    bpm = 60.0 / (TICKS * filtered.period_s)
    assert abs(bpm / BPM - 1.0) < 2e-4


@pytest.mark.parametrize(("seed", "late_s"), [(1, 0.0), (2, 0.11), (3, -0.2)])
def test_no_trigger_is_a_millisecond_from_the_beats_of_the_clock(seed: int, late_s: float) -> None:
    """Also where the sound began a tenth of a second too late: it catches up first."""
    seconds = 60.0
    engine, follower = followed(ticks(lambda t: BPM, seconds, JITTER_S, seed), late_s)
    assert abs(follower.bpm / BPM - 1.0) < 2e-4
    times = trigger_times_s(engine.journal.take, seconds - 1.0)
    quarter = 60.0 / BPM / 4.0
    settled = times[times > 16 * 60.0 / BPM + 50.0 * abs(late_s)] + late_s
    off = (settled + 0.5 * quarter) % quarter - 0.5 * quarter
    assert len(settled) > 100
    assert np.abs(off).max() < 1e-3, off
    assert len(engine.journal) < 4 * seconds, "it is not set anew at every tick"


def test_a_ramp_is_followed_within_a_beat() -> None:
    def bpm_at(t: float) -> float:
        return 87.3 + 2.0 * min(max(t - 20.0, 0.0), 10.0)  # 20 BPM in ten seconds

    filtered, worst = TickFilter(), 0.0
    for due, at in ticks(bpm_at, 40.0, JITTER_S):
        filtered.take(at)
        if due > 12.0:
            bpm = 60.0 / (TICKS * filtered.period_s)
            beat = 60.0 / bpm
            least, most = min(bpm_at(due - beat), bpm_at(due)), max(bpm_at(due - beat), bpm_at(due))
            worst = max(worst, least / bpm - 1.0, bpm / most - 1.0)
    assert worst < 0.01
    assert abs(60.0 / (TICKS * filtered.period_s) / 107.3 - 1.0) < 5e-4


def test_lost_ticks_are_bridged_and_a_silence_begins_anew() -> None:
    filtered = TickFilter()
    come = ticks(lambda t: BPM, 20.0, JITTER_S)
    for k, (_, at) in enumerate(come):
        if not 300 <= k < 320:
            filtered.take(at)
    assert filtered.count == len(come), "those that were lost count, too"
    assert abs(filtered.at_s - come[-1][0]) < 1e-3
    filtered.take(come[-1][0] + 30.0)
    assert not filtered.settled


def test_a_clock_that_nobody_wants_moves_nothing() -> None:
    engine = Engine()
    follower = ClockFollower(engine)
    for _, at in ticks(lambda t: BPM, 10.0, 0.0):
        follower.take(Ticked("tick", at, at), playing=True)
    assert len(engine.journal) == 0
    follower.on, engine.heard_again = True, True
    for _, at in ticks(lambda t: BPM, 10.0, 0.0):
        follower.take(Ticked("tick", at + 10.0, at + 10.0), playing=True)
    assert len(engine.journal) == 0, "a take that is heard again has its own tempo"


def test_a_hasty_or_mad_clock_stays_in_the_range_of_tempos() -> None:
    for period_s in (1e-6, 1e-3, 0.3, 1.9):
        engine, _ = followed([(k * period_s, k * period_s) for k in range(200)])
        assert 10.0 <= engine.patch.tempo_bpm <= 400.0
    engine, follower = followed([(0.0, math.sin(k) * 5.0) for k in range(500)])
    assert 10.0 <= engine.patch.tempo_bpm <= 400.0
    assert math.isfinite(follower.bpm)


def test_a_song_position_says_which_beat_the_next_tick_is() -> None:
    """Six ticks are a sixteenth: at position 2 the next tick is half a beat on."""
    engine = Engine(start=replace(CLICKS, tempo_bpm=BPM))
    follower = ClockFollower(engine)
    follower.on = True
    follower.take(Ticked("place", -1.0, sixteenths=2), playing=False)
    half = 30.0 / BPM
    for due, at in ticks(lambda t: BPM, 30.0, 0.0):
        engine.position = round((at + half) * RATE)
        follower.take(Ticked("tick", at, due + half), playing=True)
    assert abs(engine.patch.tempo_bpm / BPM - 1.0) < 1e-3, "it was in time from the start"
    assert len(engine.journal) < 10
