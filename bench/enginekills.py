"""The engine killed amid edits, again and again: the sound is back within a second, at its place, with every edit.

`python -m bench.enginekills [--count 200] [--seed 1]`. Values and the structure change twenty times a second. It is
ended, by one signal or another, once the one in reserve is ready.
"""

from __future__ import annotations

import argparse
import os
import random
import signal
import statistics
import time
from dataclasses import replace
from pathlib import Path

from bench.machine import stolen_s
from dunefall.engine import messages as say
from dunefall.engine.client import EngineClient
from dunefall.engine.messages import EngineOptions
from dunefall.engine.shared import FOLDER, PREFIX, Status
from dunefall.patch.library import find_patch
from dunefall.patch.model import Module, Patch

__all__ = ["main"]

EDIT_S = 0.05
MOST_S, MOST_SKIPPED = 1.0, 9600
READY_S = 20.0
"""After so long an engine in reserve is ready."""
SIGNALS = (signal.SIGKILL, signal.SIGKILL, signal.SIGTERM, signal.SIGSEGV)


def _edited(patch: Patch, dice: random.Random, number: int) -> Patch:
    """A value, or sometimes the structure; the tempo counts the edits."""
    patch = replace(patch, tempo_bpm=60.0 + (number % 4096) / 64.0)
    if dice.random() < 0.1:
        if patch.has("new"):
            return patch.without_module("new")
        return patch.with_new_module("shared", Module("new", "lfo", "New"))
    return patch.with_param("drip-line-low-pass", "cutoff_hz", dice.uniform(200.0, 4000.0))


def _until_reserve(client: EngineClient) -> int:
    """Wait until the engine in reserve is ready: it says so, and may have said so before, which the client passes over.
    Gives the number of open handles."""
    while client._reserve is None:
        client.poll()
        time.sleep(0.01)
    while not client._reserve.pipe.poll(0.1) and time.monotonic() - client._reserve.started < READY_S:
        pass
    return len(os.listdir("/proc/self/fd"))


def main() -> int:
    """Kill it so many times; 1 if it was away for too long, at another place or with another patch."""
    parser = argparse.ArgumentParser(prog="python -m bench.enginekills", description=__doc__)
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    dice, number, wrong, away = random.Random(options.seed), 0, 0, []
    patch = find_patch("demo:")[0]
    client = EngineClient(EngineOptions(audio="simulated"))
    client.set_patch(patch)
    client.wait_for(say.Prepared)
    client.play()
    handles = _until_reserve(client)
    for k in range(options.count):
        more = _until_reserve(client) - handles
        first, edit, lives = client.process_id, time.monotonic(), dice.uniform(0.1, 1.5)
        killed = stolen = 0.0
        assert first is not None
        kill_at, position = time.monotonic() + lives, 0.0
        while not killed or client.status[Status.POSITION] <= position or client.process_id == first:
            now = time.monotonic()
            if now >= edit:
                number, edit = number + 1, edit + EDIT_S
                patch = _edited(patch, dice, number)
                client.set_patch(patch)
            if not killed and now >= kill_at:
                position = client.status[Status.POSITION]
                os.kill(first, dice.choice(SIGNALS))
                killed, stolen = time.monotonic(), stolen_s()
            client.poll()
            time.sleep(0.002)
        away.append(time.monotonic() - killed)
        stolen = stolen_s() - stolen
        skipped = client.status[Status.POSITION] - position
        while client._pending:
            client.poll()
            time.sleep(0.01)
        same = client.take.patch_at(1 << 60) == patch
        if away[-1] > MOST_S or skipped > MOST_SKIPPED or not same:
            wrong += 1
            print(f"kill {k}: away for {away[-1]:.2f} s, the host took {stolen:.2f} s of the processors meanwhile, "
                  f"{skipped:.0f} samples skipped, same patch: {same}", flush=True)  # fmt: skip
        if k % 20 == 19:
            usual = statistics.median(away)
            print(f"{k + 1} kills, {number} edits, away for {usual:.2f} s, at most {max(away):.2f} s, "
                  f"{more} handles more", flush=True)  # fmt: skip
    client.close()
    left = [path.name for path in FOLDER.glob(f"{PREFIX}{os.getpid()}-*")]
    children = Path(f"/proc/self/task/{os.getpid()}/children").read_text().split()
    print(f"left behind: {len(left)} pieces of shared memory, {max(0, len(children) - 1)} processes")
    return min(wrong + len(left), 1)


if __name__ == "__main__":
    raise SystemExit(main())
