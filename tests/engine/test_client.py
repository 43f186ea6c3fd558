"""The engine's process: sounds, follows edits, comes back after being killed, leaves nothing behind."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from dataclasses import replace
from multiprocessing.shared_memory import SharedMemory
from pathlib import Path

import numpy as np
import pytest

from dunefall.base.errors import DeviceError
from dunefall.base.layouts import MOST_CHANNELS
from dunefall.compiler.build import compile_patch
from dunefall.engine import messages as say
from dunefall.engine.client import EngineClient
from dunefall.engine.devices.outlet import Outlet
from dunefall.engine.devices.output import SimulatedOutput, open_output
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import SharedState, Status
from dunefall.engine.sounding import Sounding
from dunefall.engine.standstill import threads_of
from dunefall.patch.model import Link, Module, Place
from dunefall.patch.take import Clear, Take
from dunefall.render.performance import Performance
from dunefall.render.player import Player
from rig import demo, kept_state, least_of, slowness, until


def test_plays_and_shows_what_it_does(engine: EngineClient) -> None:
    engine.set_probe(0, Place("fog-air-noise", "out"))
    engine.play()
    assert until(lambda: engine.status[Status.PEAKS] > 0.01)
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


def faults(engine: EngineClient) -> int:
    """Pages that the threads beside the main one had to wait for so far (proc(5): field 10, minor faults)."""
    tasks = Path(f"/proc/{engine.process_id}/task")
    stats = [(task / "stat").read_text().rpartition(")")[2].split() for task in tasks.iterdir()
             if task.name != str(engine.process_id)]  # fmt: skip
    return sum(int(stat[7]) for stat in stats)


def test_the_thread_that_sounds_waits_for_no_page_of_a_new_program(engine: EngineClient) -> None:
    """A delay of up to 20 s writes to two new pages a hundred times a second; all are there before it sounds."""
    engine.play()
    long = Module("long", "delay", "Long", {"span": 2.0, "long_s": 20.0})
    patch = demo().with_new_module("fog-air", long)
    for k, (source, target) in enumerate([("fog-air-noise.out", "long.audio"), ("long.out", "fog-air-output.audio")]):
        patch = patch.with_link(Link(f"new-{k}", Place(*source.split(".")), Place(*target.split("."))))
    engine.set_patch(patch)
    engine.wait_for(say.ProgramRuns)
    time.sleep(1.0)
    before = faults(engine)
    time.sleep(3.0)
    assert faults(engine) - before < 30


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


def test_a_killed_engine_comes_back(own_engine: EngineClient) -> None:
    own_engine.play()
    assert until(lambda: own_engine.status[Status.BLOCKS] > 5)
    first = own_engine.process_id
    os.kill(first, signal.SIGKILL)
    time.sleep(0.1)
    heard: list[object] = []
    assert until(lambda: heard.extend(own_engine.poll()) or any(isinstance(m, say.Trouble) for m in heard))
    assert own_engine.process_id != first
    assert until(lambda: own_engine.poll() is not None and own_engine.status[Status.PEAKS] > 0.01)


def test_an_engine_that_keeps_dying_is_not_started_for_ever() -> None:
    client = EngineClient(EngineOptions(audio="simulated"))
    heard: list[object] = []
    for _ in range(4):
        os.kill(client.process_id, signal.SIGKILL)
        client._engine.process.join(5)
        heard += client.poll()
    told = [message.text for message in heard if isinstance(message, say.Trouble)]
    assert len(told) == 4
    assert "keeps stopping" in told[-1]
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
    assert "Using the simulated output instead" in chosen.note
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


def test_the_journal_notes_what_is_done_by_hand_and_when(engine: EngineClient) -> None:
    engine.play()
    assert until(lambda: engine.status[Status.POSITION] > 9600)
    quieter = demo().with_param("fog-air-output", "level_db", -20.0)
    engine.set_patch(quieter)
    engine.act(Clear("drip-line-echo"))
    engine.set_patch(quieter.with_new_module("shared", Module("new", "lfo", "New")))
    assert until(lambda: engine.poll() is not None and len(engine.take.entries) == 3)
    times = [entry.at for entry in engine.take.entries]
    assert times == sorted(times)
    assert times[0] > 9600
    assert engine.take.patch_at(1 << 60).module("new").type == "lfo"
    engine.rewind()
    assert engine.take.entries == ()
    assert engine.take.start.module("new").type == "lfo"


def test_seeking_goes_to_the_true_state_of_that_moment(engine: EngineClient) -> None:
    """After a seek the memories are those of a run up to there: held values and random draws agree."""
    engine.play()
    assert until(lambda: engine.poll() is not None and engine.status[Status.POSITION] > 5 * 48000, 20)
    engine.set_patch(demo().with_param("tide-1", "rate_hz", 0.5))
    assert until(lambda: engine.poll() is not None and engine.take.entries)
    engine.stop()
    patch = engine.seek(3 * 48000)
    assert patch == demo()
    sought = engine.wait_for(say.Sought)
    assert isinstance(sought, say.Sought)
    assert sought.at == 3 * 48000
    assert until(lambda: engine.status[Status.POSITION] == 3 * 48000)
    assert len(engine.take.entries) == 1, "it is still to come"
    performance = Performance(Take(demo()))
    performance.fill(np.zeros((3 * 48000, 2)))
    program = performance.player.program
    for module, port in (("drip-line-droplet", "pitch_note"), ("fog-air-band", "cutoff_hz")):
        there = program.memory.now[program.input_at[(module, port)]]
        assert until(lambda m=module, p=port, v=there: engine.value_now(m, p) == pytest.approx(v, rel=1e-9))


def test_an_engine_in_reserve_takes_over_within_a_second_at_the_same_place(own_engine: EngineClient) -> None:
    own_engine.play()
    most_s = 1.0 * slowness()
    assert least_of(lambda: takeover_s(own_engine), most_s) < most_s


def takeover_s(engine: EngineClient) -> float:
    """How long the sound of a killed engine is away; it goes on at its place, with the last edit, and in its state."""
    assert until(lambda: engine.poll() is not None and engine._reserve is not None, 20)
    engine._reserve.pipe.poll(60)  # its answer: everything is loaded
    first, position = engine.process_id, engine.status[Status.POSITION]
    engine.set_patch(demo().with_param("tide-1", "rate_hz", 0.5))
    os.kill(first, signal.SIGKILL)
    begun = time.monotonic()
    assert until(lambda: any(isinstance(m, say.Trouble) for m in engine.poll()), 2)
    assert until(lambda: engine.poll() is not None and engine.status[Status.BLOCKS] > 2, 5)
    silent_s = time.monotonic() - begun
    assert engine.process_id != first
    assert until(lambda: engine.poll() is not None and engine.status[Status.POSITION] > position, 2)
    assert until(lambda: engine.value_now("tide-1", "rate_hz") == pytest.approx(0.5))
    assert until(lambda: any(isinstance(m, say.Sought) for m in engine.poll()), 20)  # its own state again
    return silent_s


def test_a_hung_engine_is_replaced(own_engine: EngineClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dunefall.engine.client.NO_BEAT_S", 0.6)
    first = own_engine.process_id
    os.kill(first, signal.SIGSTOP)
    assert until(lambda: any(isinstance(m, say.Trouble) for m in own_engine.poll()), 8)
    assert own_engine.process_id != first


def test_an_engine_that_gets_no_processor_is_not_replaced(
    own_engine: EngineClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As on a machine whose host takes the processors away: another engine would get none either."""
    monkeypatch.setattr("dunefall.engine.client.NO_BEAT_S", 0.6)
    monkeypatch.setattr("dunefall.engine.client.STUCK_S", 0.6)
    first, processor = own_engine.process_id, min(os.sched_getaffinity(0))
    own_engine.play()
    assert until(lambda: own_engine.status[Status.POSITION] > 24000)
    for thread in threads_of(first):
        os.sched_setaffinity(thread, {processor})
        os.sched_setscheduler(thread, os.SCHED_IDLE, os.sched_param(0))
    busy = subprocess.Popen([sys.executable, "-c", "while True: pass"])
    try:
        os.sched_setaffinity(busy.pid, {processor})
        assert not until(lambda: any(isinstance(m, say.Trouble) for m in own_engine.poll()), 4)
    finally:
        busy.kill()
        busy.wait()
    position = own_engine.status[Status.POSITION]
    assert until(lambda: own_engine.poll() is not None and own_engine.status[Status.POSITION] > position + 24000, 20)
    assert own_engine.process_id == first


@pytest.mark.parametrize(("rate", "frames"), [(44100.0, 64), (96000.0, 2048), (88200.0, 128)])
def test_rate_and_block_change_while_it_plays(own_engine: EngineClient, rate: float, frames: int) -> None:
    own_engine.play()
    assert until(lambda: own_engine.status[Status.POSITION] > 24000)
    before = own_engine.status[Status.POSITION] / 48000
    own_engine.set_device(EngineOptions("simulated", rate, frames))
    chosen = own_engine.wait_for(say.DeviceChosen)
    assert isinstance(chosen, say.DeviceChosen)
    assert (chosen.rate, chosen.frames) == (rate, frames)
    assert until(lambda: own_engine.status[Status.RATE] == rate and own_engine.status[Status.POSITION] / rate > before)
    assert own_engine.status[Status.POSITION] / rate - before < 3.0
    assert until(lambda: own_engine.status[Status.PEAKS] > 0.01)
    assert own_engine.take.rate_hz == rate


def test_another_device_leaves_no_thread_of_the_last_one_behind(own_engine: EngineClient) -> None:
    """The helpers of the audio thread belong to the engine: each new device brought some of its own."""

    def threads() -> int:
        return len(list(Path(f"/proc/{own_engine.process_id}/task").iterdir()))

    own_engine.play()
    assert until(lambda: own_engine.status[Status.POSITION] > 24000)
    before = threads()
    for frames in (256, 512, 256):
        own_engine.set_device(EngineOptions("simulated", 48000.0, frames))
        own_engine.wait_for(say.DeviceChosen)
        assert until(lambda: threads() == before)


def test_the_limiter_holds_and_can_be_taken_out(engine: EngineClient) -> None:
    loud = demo()
    for layer in loud.layers[1:]:
        loud = loud.with_param(layer.output_id, "level_db", 12.0)
    engine.set_patch(loud)
    engine.play()
    assert until(lambda: engine.status[Status.REDUCTION] < 0.9)
    time.sleep(0.3)
    assert engine.status[Status.TRUE_PEAK] < 10 ** (-0.8 / 20)
    engine.set_monitor(say.Monitor(limited=False))
    assert until(lambda: engine.status[Status.TRUE_PEAK] > 1.0)


def test_a_silenced_module_is_named_and_cured_by_a_reset(engine: EngineClient) -> None:
    broken = demo()
    link = next(x for x in broken.links if x.target == Place("fog-air-swell", "audio"))
    engine.set_patch(broken.with_link(replace(link, amount=1e9)))
    engine.play()
    told: list[object] = []
    assert until(lambda: told.extend(engine.poll()) or any(isinstance(m, say.Faults) for m in told))
    assert say.Faults(("fog-air-swell",)) in told
    engine.set_patch(demo())
    time.sleep(0.3)
    engine.act(Clear("fog-air-swell"))
    assert until(lambda: told.extend(engine.poll()) or told[-1] == say.Faults(()) or say.Faults(()) in told)
    assert until(lambda: np.abs(engine.trace("fog-air-swell")[-5:]).max() > 0.01)


def test_silence_everything_clears_the_echoes(engine: EngineClient) -> None:
    ringing = demo().with_param("drip-line-echo", "feedback", 1.0)
    engine.set_patch(ringing)
    engine.play()
    assert until(lambda: engine.status[Status.POSITION] > 4 * 48000)
    engine.set_patch(ringing.with_param("drip-line-skip", "probability", 0.0))
    time.sleep(0.8)
    assert np.abs(engine.trace("drip-line-echo")[-60:]).max() > 1e-3
    engine.act(Clear())
    assert until(lambda: np.abs(engine.trace("drip-line-echo")[-20:]).max() < 1e-6)


def test_its_state_is_written_where_one_wants_it(engine: EngineClient, tmp_path: Path) -> None:
    engine.play()
    assert until(lambda: engine.poll() is not None and engine.status[Status.POSITION] > 48000, 20)
    playing = kept_state(engine)
    assert playing.program().memory.position[0] == playing.position > 48000
    engine.stop()
    assert until(lambda: engine.poll() is not None and not engine.status[Status.PLAYING])
    time.sleep(0.2)
    resting = kept_state(engine)
    assert resting.position == engine.position > playing.position
    nowhere = tmp_path / "not there" / "state"
    engine.keep_checkpoint(nowhere)
    assert engine.wait_for(say.CheckpointKept) == say.CheckpointKept(nowhere)


class Unplugged:
    """A device that stops asking for sound after some blocks, as one that was pulled out."""

    name, simulated, underruns = "Card that goes", False, 0

    def __init__(self) -> None:
        self.blocks = 0

    def start(self, fill: object) -> None:
        for _ in range(10):
            fill(np.zeros((512, 2)))  # type: ignore[operator]
            self.blocks += 1

    def abandon(self) -> None:
        pass

    @property
    def alive(self) -> bool:
        return False


def test_an_unplugged_device_is_replaced_at_the_same_place(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dunefall.engine.devices.outlet.open_output", lambda *_: Unplugged())
    shared, told = SharedState(), []
    sounding = Sounding(shared, 48000.0, 512)
    sounding.later(lambda: sounding.sound(Player(compile_patch(demo(), rate=48000), channels=MOST_CHANNELS)))
    sounding.later(lambda: sounding.set_playing(True))
    outlet = Outlet(told.append)
    outlet.open(EngineOptions(), sounding, 2)
    position = shared.status[Status.POSITION]
    assert position == 10 * 512
    outlet.maintain(sounding, shared)
    assert until(lambda: shared.status[Status.POSITION] > position)
    assert "Card that goes is gone" in told[-1].note
    assert told[-1].simulated
    outlet.close()
    sounding.let_go()
    shared.close()
