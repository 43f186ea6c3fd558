"""A take that is heard again: what was done by hand happens again at its sample, until something else is done."""

from __future__ import annotations

import os
import signal
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

import faultyengine
from dunefall.engine import client as client_module
from dunefall.engine import messages as say
from dunefall.engine.client import EngineClient
from dunefall.engine.replay import Replay
from dunefall.engine.shared import Status
from dunefall.patch.changes import ParamSet, difference
from dunefall.patch.model import Module
from dunefall.patch.take import Clear, Edit, Entry, Heard, Press, Take, first_difference
from dunefall.render.known import Ahead, KnownFile, write_known
from dunefall.render.offline import render_to_array
from dunefall.render.performance import Performance
from rig import demo, kept_state, least_of, slowness, until

RATE = 48000
QUIETER = demo().with_param("fog-air-output", "level_db", -20.0)
LONGER = QUIETER.with_new_module("shared", Module("new", "lfo", "New"))
TAKE = Take(demo(), float(RATE), (
    Entry(RATE // 2, Edit(difference(demo(), QUIETER))),
    Entry(RATE, Clear("drip-line-echo")),
    Entry(RATE + 777, Edit(difference(QUIETER, LONGER))),
    Entry(RATE + 900, Edit(difference(LONGER, LONGER.with_param("tide-1", "rate_hz", 0.5)))),
    Entry(2 * RATE, Press("drip-line-hold", "trigger", True)),
    Entry(2 * RATE + 4800, Press("drip-line-hold", "trigger", False)),
))  # fmt: skip


def played_to(engine: EngineClient, position: int) -> bool:
    return until(lambda: engine.poll() is not None and engine.position > position)


def state_is_that_of(engine: EngineClient, take: Take) -> bool:
    """Whether the engine has come, bit for bit, to what a take that is rendered comes to there."""
    engine.stop()
    assert until(lambda: engine.poll() is not None and not engine.status[Status.PLAYING])
    ours = kept_state(engine)
    assert ours.position > take.entries[-1].at, "the checkpoint lies behind all of it"
    performance = Performance(take)
    performance.fill(np.zeros((ours.position, 2)))
    theirs = performance.player.program.memory
    names = ("now", "states", "memories", "amounts", "levels")
    same = all(np.array_equal(getattr(ours.memory, name), getattr(theirs, name)) for name in names)
    return same and all(np.array_equal(ours.memory.bases[name], theirs.bases[name]) for name in ("goal", "left"))


def test_it_sounds_as_the_rendered_take_bit_for_bit(engine: EngineClient) -> None:
    engine.play()
    assert engine.seek(0, take=TAKE) == demo()
    passed = list[int]()
    assert until(lambda: passed.extend(m.at for m in engine.poll() if isinstance(m, say.Replayed)) or len(passed) == 6)
    assert passed == [entry.at for entry in TAKE.entries]
    assert engine.patch == LONGER.with_param("tide-1", "rate_hz", 0.5), "what is shown has followed"
    assert engine.take == TAKE
    assert played_to(engine, 5 * RATE)
    assert state_is_that_of(engine, TAKE)


def test_from_its_middle_what_is_still_to_come_happens(engine: EngineClient) -> None:
    engine.play()
    engine.seek(RATE + 800, take=TAKE)  # in the fade of a change of structure
    assert played_to(engine, 5 * RATE)
    assert state_is_that_of(engine, TAKE)
    engine.play()
    assert engine.seek(RATE // 4) == demo(), "back in the same take"
    engine.wait_for(say.Sought)
    assert played_to(engine, 3 * RATE)
    assert engine.patch.has("new")
    assert engine.take == TAKE


def test_what_is_done_by_hand_takes_over(engine: EngineClient) -> None:
    """The take that was heard is left as it was, the new one goes on with what was done, and replays exactly."""
    engine.play()
    engine.seek(0, take=TAKE)
    assert until(lambda: any(isinstance(m, say.Replayed) for m in engine.poll()))
    assert engine.position < RATE
    engine.set_patch(engine.patch.with_param("fog-air-output", "level_db", -3.0))
    assert played_to(engine, 5 * RATE)
    mine = engine.take
    assert mine.entries[0] == TAKE.entries[0]
    changes = [entry.what.changes for entry in mine.entries if isinstance(entry.what, Edit)]
    assert ParamSet("fog-air-output", "level_db", -3.0) in changes[-1]
    assert not engine.patch.has("new"), "what was to come has not happened"
    assert len(mine.entries) < len(TAKE.entries)
    assert state_is_that_of(engine, mine)
    assert engine.own
    assert list(engine.left) == [], "the other one is kept elsewhere: nothing was done by hand in it"


def test_a_take_of_ones_own_is_not_lost_when_another_is_heard(engine: EngineClient) -> None:
    engine.play()
    assert played_to(engine, RATE // 4)
    engine.set_patch(QUIETER)
    assert until(lambda: engine.poll() is not None and engine.take.entries)
    mine = engine.take
    engine.seek(0, take=TAKE)
    assert list(engine.left) == [mine]
    engine.seek(RATE, take=TAKE.without_entry(0))
    assert list(engine.left) == [mine], "a take that was only heard is not left behind"


def test_a_corrected_take_is_heard_from_a_checkpoint_before(engine: EngineClient) -> None:
    engine.play()
    engine.seek(0, take=TAKE)
    assert played_to(engine, 5 * RATE)
    corrected = TAKE.with_entry_replaced(3, replace(TAKE.entries[3], muted=True))
    assert first_difference(TAKE, corrected) == TAKE.entries[3].at
    engine.seek(5 * RATE, take=corrected)
    assert played_to(engine, 8 * RATE)
    assert state_is_that_of(engine, corrected), "no checkpoint of the take before was used"


def test_it_goes_on_in_another_engine(own_engine: EngineClient) -> None:
    own_engine.play()
    own_engine.seek(0, take=TAKE)
    assert until(lambda: any(isinstance(m, say.Replayed) for m in own_engine.poll()))
    assert own_engine.process_id is not None
    os.kill(own_engine.process_id, signal.SIGKILL)
    assert until(lambda: any(isinstance(m, say.Trouble) for m in own_engine.poll()))
    heard = list[object]()
    assert until(lambda: heard.extend(own_engine.poll()) or own_engine.patch.has("new"))
    assert own_engine.take == TAKE
    reached = any(isinstance(message, say.Sought) for message in heard)
    assert never_goes_back(own_engine, own_engine.position, 6 * RATE, reached=reached)
    assert state_is_that_of(own_engine, TAKE)


def test_it_goes_on_at_another_rate(own_engine: EngineClient) -> None:
    own_engine.play()
    own_engine.seek(0, take=TAKE)
    own_engine.wait_for(say.Sought)
    own_engine.set_device(replace(own_engine.options, rate=44100.0))
    assert until(lambda: own_engine.poll() is not None and own_engine.patch.has("new"))
    assert own_engine.take.rate_hz == 44100.0
    assert [entry.at for entry in own_engine.take.entries] == [entry.at for entry in TAKE.at_rate(44100.0).entries]


def test_what_is_known_is_heard_at_once_and_the_state_follows(engine: EngineClient, tmp_path: Path) -> None:
    """At most 150 ms from a click to the sound, also where the last checkpoint is 4 s before (here: the start)."""
    write_known(render_to_array(TAKE, seconds=8.0), tmp_path / "sound")
    ahead = Ahead(None, (KnownFile(tmp_path / "sound", 0, 2),))
    engine.play()
    assert played_to(engine, RATE // 10)
    goal = 4 * RATE

    def wait_s() -> float:
        engine.seek(RATE // 4, take=TAKE.without_entry(0))
        engine.wait_for(say.Sought)
        assert until(lambda: engine.position < RATE)
        begun = time.perf_counter()
        engine.seek(goal, ahead, TAKE)
        while not goal < engine.position < goal + RATE:
            time.sleep(0.002)
            assert time.perf_counter() - begun < 60.0
        return time.perf_counter() - begun

    assert least_of(wait_s, 0.15) < 0.15 * slowness()
    sought = engine.wait_for(say.Sought)
    assert isinstance(sought, say.Sought)
    assert sought.asked == goal
    assert sought.at > goal, "the state was reached while it sounded"
    assert engine.patch.has("new")
    assert played_to(engine, 9 * RATE)
    assert state_is_that_of(engine, TAKE)


@pytest.fixture
def slow_to_compile(monkeypatch: pytest.MonkeyPatch) -> None:
    """Engines take longer to compile than a seek looks ahead."""
    monkeypatch.setattr(client_module, "run_engine", faultyengine.slow_to_compile)


def never_goes_back(engine: EngineClient, begin: int, end: int, *, reached: bool = False) -> bool:
    """Whether the position rises until it is past the end, and the state has been reached by then."""
    before, limit = begin, time.monotonic() + 120.0
    while not reached or before <= end:
        assert time.monotonic() < limit
        reached |= any(isinstance(message, say.Sought) for message in engine.poll())
        now = engine.position
        if now < before:
            return False
        before = now
        time.sleep(0.002)
    return True


@pytest.mark.usefixtures("slow_to_compile")
def test_a_sound_that_has_run_on_too_far_is_met_further_ahead(own_engine: EngineClient) -> None:
    own_engine.play()
    own_engine.seek(0, take=TAKE)
    assert played_to(own_engine, 3 * RATE)
    assert own_engine.process_id is not None
    os.kill(own_engine.process_id, signal.SIGKILL)
    assert until(lambda: any(isinstance(m, say.Trouble) for m in own_engine.poll()))
    assert never_goes_back(own_engine, own_engine.position, 6 * RATE)
    assert state_is_that_of(own_engine, TAKE)


@pytest.mark.usefixtures("slow_to_compile")
def test_so_is_what_is_known(own_engine: EngineClient, tmp_path: Path) -> None:
    write_known(render_to_array(TAKE, seconds=8.0), tmp_path / "sound")
    own_engine.play()
    own_engine.seek(4 * RATE, Ahead(None, (KnownFile(tmp_path / "sound", 0, 2),)), TAKE)
    assert until(lambda: own_engine.position >= 4 * RATE)
    assert never_goes_back(own_engine, 4 * RATE, 9 * RATE)
    assert state_is_that_of(own_engine, TAKE)


def test_what_is_due_comes_once_and_in_order() -> None:
    replay = Replay()
    replay.begin(TAKE.with_entry(Entry(RATE, Heard("voice.au"))), RATE // 2 + 1)
    assert [entry.at for entry in replay.due(RATE + 778)] == [RATE, RATE + 777]
    assert list(replay.due(RATE + 778)) == []
    replay.end(2 * RATE + 1)
    replay.scale(0.5)
    assert [entry.at for entry in replay.due(1 << 60)] == [RATE // 2 + 450, RATE]
