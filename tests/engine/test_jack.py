"""A real sound server that is stopped, killed and started again: the sound goes on, at the same place."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Iterator

import numpy as np
import pytest

from dunefall.engine import messages as say
from dunefall.engine.client import EngineClient
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from jackserver import Server, there_is_jack
from rig import demo, least_of, slowness

pytestmark = pytest.mark.skipif(not there_is_jack(), reason="needs jackd (Debian jackd2)")


@pytest.fixture
def server(monkeypatch: pytest.MonkeyPatch) -> Iterator[Server]:
    made = Server()
    for name, value in made.environment.items():
        monkeypatch.setenv(name, value)
    yield made
    made.signal(signal.SIGKILL)


@pytest.fixture
def engine(server: Server) -> Iterator[EngineClient]:
    client = EngineClient(EngineOptions(frames=1024))
    client.set_patch(demo())
    client.wait_for(say.Prepared)
    client.play()
    until(client, lambda: client.status[Status.POSITION] > 24000)
    yield client
    client.close()


def until(client: EngineClient, condition: object, seconds: float = 60.0) -> list[object]:
    heard, end = list[object](), time.monotonic() + seconds
    while not condition():  # type: ignore[operator]
        assert time.monotonic() < end, heard
        heard += client.poll()
        time.sleep(0.01)
    return heard + client.poll()


def goes_on(client: EngineClient) -> list[object]:
    """What was said until half a second more had sounded."""
    position = client.status[Status.POSITION]
    return until(client, lambda: client.status[Status.POSITION] > position + client.status[Status.RATE] / 2)


def test_it_sounds_there_under_its_own_name(server: Server, engine: EngineClient) -> None:
    ports = server.ports()
    assert {"Dunefall:out_0", "Dunefall:out_1"} <= set(ports)
    assert np.isfinite(engine.status[Status.LUFS])


def test_a_killed_server_costs_less_than_a_second_and_its_return_is_seen(server: Server, engine: EngineClient) -> None:
    most_s = 1.0 * slowness()
    assert least_of(lambda: outage_s(server, engine), most_s) < most_s


def outage_s(server: Server, engine: EngineClient) -> float:
    """How long a killed server silences the sound, which comes back to it."""
    until(engine, lambda: engine._reserve is not None, 20)
    engine._reserve.pipe.poll(60)
    server.signal(signal.SIGKILL)
    killed, position = time.monotonic(), engine.status[Status.POSITION]
    heard = until(engine, lambda: engine.status[Status.POSITION] > position + 4800)
    silent_s = time.monotonic() - killed
    heard += goes_on(engine)
    (told,) = [message for message in heard if isinstance(message, say.DeviceChosen)]
    assert told.simulated
    assert "is gone; the simulated output continues from the same position" in told.note
    assert engine.status[Status.POSITION] - position < 48000 * (time.monotonic() - killed) + 9600, "the same place"
    server.start()
    heard = until(engine, lambda: "Dunefall:out_0" in server.ports(), 30)
    heard += goes_on(engine)
    assert any(isinstance(m, say.Trouble) and m.text.startswith("The sound device is back") for m in heard)
    assert not [m for m in heard if isinstance(m, say.DeviceChosen)][-1].simulated
    assert engine.status[Status.POSITION] > position
    return silent_s


def test_a_server_that_comes_back_at_another_rate_is_followed(server: Server, engine: EngineClient) -> None:
    server.signal(signal.SIGTERM)
    goes_on(engine)
    seconds = engine.status[Status.POSITION] / 48000
    server.start(44100)
    heard = until(engine, lambda: engine.status[Status.RATE] == 44100.0, 30)
    heard += goes_on(engine)
    chosen = [message for message in heard if isinstance(message, say.DeviceChosen)][-1]
    assert (chosen.rate, chosen.simulated) == (44100.0, False)
    assert chosen.note == "The sound device runs at 44.1 kHz, and so does Dunefall now."
    assert engine.options.rate == engine.take.rate_hz == 44100.0
    assert engine.status[Status.POSITION] / 44100 > seconds


def test_a_server_that_stands_still_is_gone(server: Server, engine: EngineClient) -> None:
    server.signal(signal.SIGSTOP)
    engine.wait_for(say.DeviceChosen)
    goes_on(engine)
    server.signal(signal.SIGCONT)


def test_another_block_of_the_server_is_taken(server: Server, engine: EngineClient) -> None:
    server.use_block(256)
    heard = goes_on(engine)
    assert not any(isinstance(m, say.Trouble | say.DeviceChosen) for m in heard)


def test_nothing_is_left_when_the_server_died_first(server: Server, engine: EngineClient) -> None:
    """PortAudio does not let go of a dead server: the process would stay for ever."""
    server.signal(signal.SIGKILL)
    engine.wait_for(say.DeviceChosen)
    process = engine.process_id
    begun = time.monotonic()
    engine.close()
    assert time.monotonic() - begun < 4.0
    with pytest.raises(ProcessLookupError):
        os.kill(process, 0)
