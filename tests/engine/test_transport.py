"""The transport of a sound server: what another program starts, stops, moves and times, happens here, and the other way
round."""

from __future__ import annotations

import signal
import time
from collections.abc import Callable, Iterator
from typing import Any

import pytest

from dunefall.engine.devices.transport import Moment, SimulatedTransport, TransportWatch, open_transport
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import Status
from dunefall.session.session import Session
from jackserver import Server, there_is_jack
from rig import demo, least_of, slowness, until

needs_jack = pytest.mark.skipif(not there_is_jack(), reason="needs jackd (Debian jackd2)")


@pytest.fixture
def server(monkeypatch: pytest.MonkeyPatch) -> Iterator[Server]:
    made = Server(frames=256)
    for name, value in made.environment.items():
        monkeypatch.setenv(name, value)
    yield made
    made.signal(signal.SIGKILL)


@pytest.fixture
def other(server: Server) -> Iterator[Any]:
    """Another program of the studio, which leads."""
    import jack

    client = jack.Client("desk", servername=server.name, no_start_server=True)
    client.activate()
    yield client
    client.transport_stop()
    client.close()


@pytest.fixture
def session(server: Server) -> Iterator[Session]:
    made = Session(demo(), None, EngineOptions(frames=256))
    made.follow_transport(True)
    assert until(polling(made, lambda: made.transport.there and made.engine.status[Status.BLOCKS] > 0), 120.0)
    yield made
    made.close()


def polling(session: Session, condition: Callable[[], Any]) -> Callable[[], bool]:
    def look() -> bool:
        session.poll()
        return bool(condition())

    return look


def place_of(other: Any) -> float:
    return float(other.transport_frame / other.samplerate)


@needs_jack
def test_what_another_program_does_happens_here(other: Any, session: Session) -> None:
    def off() -> float:
        """How far both are from each other, once they roll from the start; what was late before does not count."""
        other.transport_frame = 0
        assert until(polling(session, lambda: session.seconds < 0.02), 60.0)
        other.transport_start()
        assert until(polling(session, lambda: session.playing and session.seconds > 0.5), 60.0)
        offs = []
        for _ in range(30):
            session.poll()
            offs.append(abs(session.seconds - place_of(other)))
            time.sleep(0.01)
        other.transport_stop()
        assert until(polling(session, lambda: not session.playing))
        return sorted(offs)[len(offs) // 2]

    most = 0.05 * slowness()
    assert least_of(off, most, tries=4) < most, "both are at the same time"
    other.transport_frame = round(0.4 * other.samplerate)
    assert until(polling(session, lambda: abs(session.seconds - 0.4) < 0.02), 60.0)
    assert not session.playing


@needs_jack
def test_what_is_done_here_happens_there(other: Any, session: Session) -> None:
    import jack

    session.play()
    assert until(polling(session, lambda: other.transport_state == jack.ROLLING and session.playing))
    assert until(polling(session, lambda: session.seconds > 1.0), 60.0)
    session.seek(0.5)
    assert until(polling(session, lambda: place_of(other) < 0.9))
    session.pause()
    assert until(polling(session, lambda: other.transport_state == jack.STOPPED and not session.playing))
    session.rewind()
    assert until(polling(session, lambda: place_of(other) == 0.0))
    session.follow_transport(False)
    session.play()
    assert session.playing, "at once, by itself"
    time.sleep(0.2)
    assert other.transport_state == jack.STOPPED


@needs_jack
def test_the_tempo_of_the_one_that_leads_is_taken(other: Any, session: Session) -> None:
    def bars(state: Any, frames: int, place: Any, new: bool) -> None:
        place.valid = 0x10  # JackPositionBBT
        place.beats_per_minute, place.beats_per_bar, place.beat_type = 77.5, 4.0, 4.0
        place.ticks_per_beat, place.bar, place.beat, place.tick = 1920.0, 1, 1, 0

    other.set_timebase_callback(bars)
    other.transport_start()
    assert until(polling(session, lambda: session.patch.tempo_bpm == pytest.approx(77.5)))
    entries = session.engine.take.entries
    assert until(polling(session, lambda: any("TempoSet" in str(x.what) for x in session.engine.take.entries))), entries


@needs_jack
def test_a_server_that_dies_takes_nothing_with_it(server: Server, session: Session) -> None:
    session.play()
    assert until(polling(session, lambda: session.playing and session.seconds > 0.5), 60.0)
    server.signal(signal.SIGKILL)
    assert until(polling(session, lambda: not session.transport.there), 60.0)
    session.pause()
    session.play()
    assert session.playing, "by itself again"
    server.start(frames=256)
    assert until(polling(session, lambda: session.transport.there), 120.0), "the engine looks for it anew"


def test_where_there_is_no_server(monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]) -> None:
    monkeypatch.setenv("JACK_DEFAULT_SERVER", "dunefall-test-none")
    monkeypatch.setenv("JACK_NO_START_SERVER", "1")
    assert open_transport("auto") is None
    told = capfd.readouterr()
    assert not told.out + told.err, "the library says nothing on the terminal"


def test_only_what_moved_is_told() -> None:
    transport, rolls, moved = SimulatedTransport(), list[bool](), list[Moment | None]()
    watch = TransportWatch(lambda: transport, rolls.append, moved.append)
    assert until(lambda: len(moved) == 1)
    watch.move(True, 12.5)
    assert until(lambda: rolls == [True])
    time.sleep(0.3)
    assert len(moved) == 2
    assert moved[1] is not None
    assert moved[1][0] is True
    assert abs(moved[1].seconds - 12.5) < 0.1 * slowness()
    transport.bpm = 91.0
    assert until(lambda: len(moved) == 3)
    watch.move(None, 2.0)
    assert until(lambda: len(moved) == 4)
    watch.move(False, None)
    assert until(lambda: rolls == [True, False])
    transport.close()
    assert until(lambda: moved[-1] is None)
    watch.close()


def test_beside_the_simulated_output_there_is_a_simulated_one() -> None:
    made = Session(demo(), None, EngineOptions(audio="simulated"))
    try:
        made.follow_transport(True)
        assert until(polling(made, lambda: made.transport.there), 60.0)
        assert until(polling(made, lambda: made.patch.tempo_bpm == 90.0))
        made.play()
        assert not made.playing, "it comes back from the transport"
        assert until(polling(made, lambda: made.playing and made.seconds > 0.3))
        made.pause()
        assert until(polling(made, lambda: not made.playing))
    finally:
        made.close()
