"""The engine's process: sounds, follows edits, comes back after being killed, leaves nothing behind."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Iterator
from multiprocessing.shared_memory import SharedMemory

import numpy as np
import pytest

from dunefall.base.errors import DeviceError
from dunefall.engine import messages as say
from dunefall.engine.client import EngineClient
from dunefall.engine.devices.output import SimulatedOutput, open_output
from dunefall.engine.host import EngineOptions
from dunefall.engine.shared import Status
from dunefall.patch.model import Module, Place
from rig import demo


@pytest.fixture
def engine() -> Iterator[EngineClient]:
    client = EngineClient(EngineOptions(audio="simulated"))
    client.set_patch(demo())
    client.wait_for(say.Prepared)
    yield client
    client.close()


def until(condition: object, seconds: float = 10.0) -> bool:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():  # type: ignore[operator]
            return True
        time.sleep(0.02)
    return False


def test_plays_and_shows_what_it_does(engine: EngineClient) -> None:
    engine.set_probe(0, Place("fog-air-noise", "out"))
    engine.play()
    assert until(lambda: engine.status[Status.PEAK_LEFT] > 0.01)
    assert until(lambda: engine.status[Status.POSITION] > 48000)
    trace = engine.trace("fog-air-noise")
    assert trace is not None
    assert trace[-1, 0] < -0.1 < 0.1 < trace[-1, 1]
    assert np.abs(engine.probe(0, 4800)).max() > 0.1
    assert engine.trace("nobody") is None
    assert engine.value_now("nobody", "x") is None


def test_values_and_structure_follow(engine: EngineClient) -> None:
    engine.play()
    patch = demo().with_param("drip-line-echo", "time_s", 0.25)
    engine.set_patch(patch)
    assert until(lambda: abs((engine.value_now("drip-line-echo", "time_s") or 0) - 0.25) < 1e-6)
    engine.set_patch(patch.with_new_module("shared", Module("new", "noise", "New")))
    engine.wait_for(say.ProgramRuns)
    assert engine.asleep == {"new"}
    engine.watch(("new",))
    engine.wait_for(say.ProgramRuns)
    assert until(lambda: engine.trace("new") is not None and np.abs(engine.trace("new")[-1]).max() > 0)


def test_pause_holds_the_position_and_rewind_clears_it(engine: EngineClient) -> None:
    engine.play()
    assert until(lambda: engine.status[Status.POSITION] > 20000)
    engine.stop()
    time.sleep(0.3)
    held = engine.status[Status.POSITION]
    time.sleep(0.2)
    assert engine.status[Status.POSITION] == held
    engine.rewind()
    assert until(lambda: engine.status[Status.POSITION] == 0)


def test_a_killed_engine_comes_back(engine: EngineClient) -> None:
    engine.play()
    assert until(lambda: engine.status[Status.BLOCKS] > 5)
    first = engine.process_id
    os.kill(first, signal.SIGKILL)
    time.sleep(0.1)
    heard: list[object] = []
    assert until(lambda: heard.extend(engine.poll()) or any(isinstance(m, say.Trouble) for m in heard))
    assert engine.process_id != first
    assert until(lambda: engine.poll() is not None and engine.status[Status.PEAK_LEFT] > 0.01)


def test_an_engine_that_keeps_dying_is_not_started_for_ever() -> None:
    client = EngineClient(EngineOptions(audio="simulated"))
    heard: list[object] = []
    for _ in range(4):
        os.kill(client.process_id, signal.SIGKILL)
        client._engine.process.join(5)
        heard += client.poll()
    told = [message.text for message in heard if isinstance(message, say.Trouble)]
    assert len(told) == 4
    assert "ends again and again" in told[-1]
    assert client.poll() == []
    client.close()


def test_nothing_is_left_behind() -> None:
    client = EngineClient(EngineOptions(audio="simulated"))
    client.set_patch(demo())
    client.wait_for(say.Prepared)
    process, name = client.process_id, client._shared.name
    client.close()
    with pytest.raises(ProcessLookupError):
        os.kill(process, 0)
    with pytest.raises(FileNotFoundError):
        SharedMemory(name)
    client.close()


def test_a_missing_device_is_told_and_replaced() -> None:
    client = EngineClient(EngineOptions(audio="No Such Card"))
    client.set_patch(demo())
    chosen = client.wait_for(say.DeviceChosen)
    assert isinstance(chosen, say.DeviceChosen)
    assert chosen.simulated
    assert "The simulated output sounds instead" in chosen.note
    client.close()


def test_choice_of_devices() -> None:
    assert open_output("simulated", 48000, 512).simulated
    with pytest.raises(DeviceError, match=r"No Such Card|cannot be used"):
        open_output("No Such Card", 48000, 512)


def test_the_simulated_output_keeps_the_last_minutes() -> None:
    output = SimulatedOutput(48000, 480)
    given: list[np.ndarray] = []

    def fill(out: np.ndarray) -> None:
        out[:] = len(given)
        given.append(out.copy())

    begun = time.monotonic()
    output.start(fill)
    time.sleep(0.3)
    output.stop()
    passed = time.monotonic() - begun
    assert len(given) * 0.01 <= passed + 0.02
    assert len(given) >= 5
    np.testing.assert_array_equal(output.kept, np.concatenate(given).astype(np.float32))
