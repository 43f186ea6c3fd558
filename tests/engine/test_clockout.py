"""MIDI clock out: twenty-four ticks to a beat of the sound, which begin and end with it."""

from __future__ import annotations

import time
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.stats import theilslopes

from dunefall.base.errors import DeviceError
from dunefall.engine.devices import sequencer
from dunefall.engine.devices.clockout import TICKS, BeatLine, Ticker, clock_out, open_clock_out
from dunefall.engine.devices.midiout import SimulatedPort
from rig import until


class Timeless:
    """Notes what is sent at a time that the test sets."""

    def __init__(self) -> None:
        self.now_s, self.sent = 0.0, list[tuple[float, Any]]()

    def send(self, message: Any) -> None:
        self.sent.append((self.now_s, message))

    def close(self) -> None:
        pass

    def words(self) -> list[str]:
        return [message.type for _, message in self.sent if message.type != "clock"]

    def ticks(self) -> list[float]:
        return [at for at, message in self.sent if message.type == "clock"]


def run(ticker: Ticker, port: Timeless, line: BeatLine, seconds: float) -> None:
    """Let time pass, with a new line at each block of 10 ms, as the engine makes them."""
    end = port.now_s + seconds
    while port.now_s < end:
        block = line.at_s + np.floor((port.now_s - line.at_s) / 0.01) * 0.01
        now = BeatLine(block, line.beats + (block - line.at_s) * line.per_s, line.per_s)
        port.now_s += max(ticker.step(now, port.now_s), 1e-5)


def test_there_are_twenty_four_ticks_to_a_beat() -> None:
    port = Timeless()
    ticker = Ticker(port)
    run(ticker, port, BeatLine(0.0, 0.0, 1.5), 4.0)
    assert port.words() == ["start"]
    ticks = port.ticks()
    assert len(ticks) in (144, 145)
    assert max(abs(at - k / (TICKS * 1.5)) for k, at in enumerate(ticks)) < 1e-3


def test_it_stops_with_the_sound_goes_on_at_the_next_sixteenth_and_begins_anew_with_it() -> None:
    port = Timeless()
    ticker = Ticker(port)
    run(ticker, port, BeatLine(0.0, 0.0, 2.0), 1.05)
    run(ticker, port, BeatLine(1.05, 2.1, 0.0), 0.5)
    run(ticker, port, BeatLine(1.55, 2.1, 2.0), 1.0)
    assert port.words() == ["start", "stop", "songpos", "continue"]
    (place,) = [message.pos for _, message in port.sent if message.type == "songpos"]
    assert place == 9, "2.1 beats are 8.4 sixteenths"
    went_on = port.sent.index(next(entry for entry in port.sent if entry[1].type == "continue"))
    assert abs(port.sent[went_on + 1][0] - (1.55 + (2.25 - 2.1) / 2.0)) < 1e-3
    run(ticker, port, BeatLine(port.now_s, 0.0, 2.0), 0.5)
    assert port.words()[4:] == ["stop", "start"]
    ticker.end()
    ticker.end()
    assert port.words()[6:] == ["stop"]


def test_a_sound_that_hangs_stops_the_others() -> None:
    port = Timeless()
    ticker = Ticker(port)
    for k in range(200):
        port.now_s = 0.01 * k
        ticker.step(BeatLine(0.0, 0.0, 2.0), port.now_s)
    assert port.words() == ["start", "stop"]
    assert port.ticks()[-1] < 0.52


def test_in_real_time_its_ticks_have_the_tempo_of_the_sound() -> None:
    """By the median of all slopes (scipy.stats.theilslopes), as a busy machine may hold some of them up."""
    port, begun = SimulatedPort(), time.monotonic()
    clock = clock_out(port, lambda: BeatLine(now := time.monotonic(), (now - begun) * 1.6, 1.6), lambda text: None)
    assert until(lambda: len(port.sent) > 160)
    clock.close()
    assert port.closed
    assert [message.type for _, message in (port.sent[0], port.sent[-1])] == ["start", "stop"]
    ticks = [at for at, message in port.sent if message.type == "clock"]
    assert all(later >= earlier for earlier, later in pairwise(ticks))
    assert min(at - begun - k / (TICKS * 1.6) for k, at in enumerate(ticks)) > -1e-4, "none too early"
    assert abs(1.0 / (TICKS * theilslopes(ticks).slope) / 1.6 - 1.0) < 0.005


def test_a_port_that_refuses_is_told_of(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    class Refuses(SimulatedPort):
        def send(self, message: Any) -> None:
            raise RuntimeError("unplugged")

    told: list[str] = []
    clock = clock_out(Refuses(), lambda: BeatLine(time.monotonic(), 0.0, 2.0), told.append)
    assert until(lambda: bool(told))
    assert told == ["The MIDI clock no longer goes out: the port refuses (unplugged)."]
    clock.close()

    monkeypatch.setattr(sequencer, "SEQUENCER", tmp_path / "nowhere")
    with pytest.raises(DeviceError, match="no MIDI output “Attic”"):
        open_clock_out("Attic", BeatLine, told.append)
    assert open_clock_out("none", BeatLine, told.append) is None
