"""Faults inside the engine: the sound is back soon and at its place, the error is told, nothing is left behind."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

import faultyengine
from dunefall.base.programs import program_name
from dunefall.engine import client as client_module
from dunefall.engine import messages as say
from dunefall.engine.client import KEEPS_STOPPING, EngineClient
from dunefall.engine.host import run_engine
from dunefall.engine.live import recordings_folder
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import FOLDER, PREFIX, Status
from dunefall.patch.take import Clear
from dunefall.render.recordings import SUFFIX
from rig import demo, least_of, slowness


@pytest.fixture
def clients() -> Iterator[list[EngineClient]]:
    """Those that a test starts; they end with it."""
    started = list[EngineClient]()
    yield started
    for client in started:
        client.close()


def begun(fault: object, clients: list[EngineClient], monkeypatch: pytest.MonkeyPatch) -> EngineClient:
    """An engine with a fault."""
    monkeypatch.setattr(client_module, "run_engine", fault)
    clients.append(EngineClient(EngineOptions(audio="simulated")))
    clients[-1].set_patch(demo())
    return clients[-1]


def playing(fault: object, clients: list[EngineClient], monkeypatch: pytest.MonkeyPatch) -> EngineClient:
    """One that plays; the one in reserve is whole."""
    client = begun(fault, clients, monkeypatch)
    client.wait_for(say.Prepared)
    monkeypatch.setattr(client_module, "run_engine", run_engine)
    client._ready_at = 0.0  # the one in reserve is wanted at once
    client.poll()
    assert client._reserve is not None
    assert client._reserve.pipe.poll(60)
    client.play()
    return client


def until(client: EngineClient, condition: object, seconds: float = 60.0) -> list[object]:
    heard, end = list[object](), time.monotonic() + seconds
    while not condition(heard):  # type: ignore[operator]
        assert time.monotonic() < end, heard
        heard += client.poll()
        time.sleep(0.01)
    return heard


def troubles(heard: list[object]) -> list[say.Trouble]:
    return [message for message in heard if isinstance(message, say.Trouble)]


@pytest.mark.parametrize(
    ("fault", "details", "seen_s"),
    [("broken_block", "IndexError: list index out of range", 0.0), ("allocating", "MemoryError", 0.0),
     ("hanging", "", 1.5)],
)  # fmt: skip
def test_the_sound_is_back_within_a_second(
    fault: str, details: str, seen_s: float, clients: list[EngineClient], monkeypatch: pytest.MonkeyPatch
) -> None:
    most_s = seen_s + 1.0 * slowness()
    assert least_of(lambda: silence_s(fault, details, clients, monkeypatch), most_s) < most_s


def silence_s(fault: str, details: str, clients: list[EngineClient], monkeypatch: pytest.MonkeyPatch) -> float:
    """How long the sound was away, whose fault is told, and after which it went on at its place."""
    client = playing(getattr(faultyengine, fault), clients, monkeypatch)
    first, heard, silent_s = client.process_id, list[object](), 0.0
    position, moved, end = client.status[Status.POSITION], time.monotonic(), time.monotonic() + 60.0
    while client.process_id == first or position < 48000 * 3:
        assert time.monotonic() < end, heard
        heard += client.poll()
        now = client.status[Status.POSITION]
        if now != position:
            assert position <= now < position + 48000 * (time.monotonic() - moved + 0.2), "the same place"
            silent_s = max(silent_s, time.monotonic() - moved)
            position, moved = now, time.monotonic()
        time.sleep(0.005)
    (told,) = troubles(heard)
    assert "was started again; nothing is lost" in told.text
    assert details in told.details
    client.close()
    assert first is not None
    with pytest.raises(ProcessLookupError):
        os.kill(first, 0)
    return silent_s


def test_an_error_in_an_answer_is_told_with_its_cause(
    clients: list[EngineClient], monkeypatch: pytest.MonkeyPatch
) -> None:
    client = playing(faultyengine.broken_message, clients, monkeypatch)
    client.act(Clear())
    heard = until(client, troubles)
    assert "ZeroDivisionError: no answer" in troubles(heard)[0].details
    until(client, lambda _: client.status[Status.POSITION] > 4800)
    assert [entry.what for entry in client.take.entries] == [Clear()], "what was done is not forgotten"


def test_one_that_hangs_at_once_again_and_again_is_given_up(
    clients: list[EngineClient], monkeypatch: pytest.MonkeyPatch
) -> None:
    client = begun(faultyengine.hanging, clients, monkeypatch)
    client.play()
    heard = until(client, lambda heard: len(troubles(heard)) == client_module.MOST_DEATHS, 120)
    assert troubles(heard)[-1].text == KEEPS_STOPPING


def test_a_clock_that_jumps_takes_no_recording_of_this_window_away(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DUNEFALL_DATA", str(tmp_path))
    recording = recordings_folder() / f"2026-11-30 12-00-00 {program_name()}-0{SUFFIX}"
    others = recordings_folder() / f"2026-11-30 12-00-00 1{program_name()}-0{SUFFIX}"
    for file in (recording, others):
        file.write_bytes(b"sound")
    year = time.time() + 365 * 86400
    monkeypatch.setattr(time, "time", lambda: year)
    recordings_folder()
    assert recording.exists()
    assert not others.exists()


def test_a_killed_window_leaves_no_process_and_no_memory() -> None:
    code = (
        "import sys, time; from dunefall.engine.client import EngineClient; from dunefall.engine.messages import *\n"
        "from dunefall.engine import messages as say; from rig import demo\n"
        "if __name__ == '__main__':\n"
        "    client = EngineClient(EngineOptions(audio='simulated')); client.set_patch(demo())\n"
        "    client.wait_for(say.Prepared); client.play(); print(client.process_id, client._shared.name, flush=True)\n"
        "    time.sleep(600)\n"
    )
    window = subprocess.Popen(
        [sys.executable, "-c", code], stdout=subprocess.PIPE, text=True, stderr=subprocess.DEVNULL,
        env={**os.environ, "PYTHONPATH": str(Path(__file__).parents[1])},
    )  # fmt: skip
    assert window.stdout is not None
    process, name = window.stdout.readline().split()
    assert name.startswith(PREFIX)
    window.send_signal(signal.SIGKILL)
    window.wait()
    end = time.monotonic() + 5.0
    while (FOLDER / name).exists() or Path(f"/proc/{process}").exists():
        assert time.monotonic() < end
        time.sleep(0.05)
    window.stdout.close()
