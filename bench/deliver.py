"""`python -m bench.deliver [speed] [many] [loops] [large]`: what deliveries cost, and whether they hold what they say.

``speed``: 100 variations of two seconds by one worker and by two, and what one costs against the engine alone.
``many``: 1,000 variations through a real Dask scheduler with two workers, one of them killed in the middle.
``loops``: loops of the demo and of every starter by each way that applies, three times round.
``large``: an RF64 file with more than 2^32 bytes, written and read back.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile

from dunefall.analysis.loudness import loudness_of
from dunefall.catalogue import catalogue
from dunefall.compiler.sounds import import_sounds
from dunefall.compiler.warmup import prepare
from dunefall.deliver.job import Job, Source
from dunefall.deliver.making import Task, make
from dunefall.deliver.plan import tasks_of
from dunefall.deliver.rendering import compiled
from dunefall.deliver.workers import Batch, Workers
from dunefall.patch.library import starters
from dunefall.render.performance import Performance
from dunefall.session import open_patch

__all__ = ["cluster_here", "large", "loops", "many", "speed"]

MADE = "2026-11-29T12:00:00"


def source_of(name: str) -> Source:
    patch, _ = open_patch(name)
    import_sounds(patch)
    return Source.of(patch)


def variations(folder: Path, count: int, name: str = "demo:", seconds: float = 2.0) -> list[Task]:
    job = Job(seconds=seconds, name="v_{n:04}", variations=count, folder=str(folder), checks=True)
    return tasks_of(job, source_of(name), MADE)


def finish(batch: Batch, seconds: float = 3600.0) -> float:
    begun = time.monotonic()
    while batch.step() and time.monotonic() - begun < seconds:
        time.sleep(0.01)
    assert not batch.failed, batch.failed
    return time.monotonic() - begun


def speed() -> dict[str, float]:
    """Two workers against one, in turns; and a file's cost against the engine's own time for it."""
    figures: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as folder:
        crews = {count: Workers(count) for count in (1, 2)}
        for count, crew in crews.items():
            finish(Batch(variations(Path(folder) / f"warm{count}", 2 * count), crew))
        times: dict[int, list[float]] = {1: [], 2: []}
        for turn in range(3):
            for count, crew in crews.items():
                times[count].append(finish(Batch(variations(Path(folder) / f"{count}{turn}", 100), crew)))
        for crew in crews.values():
            crew.close()
        figures["one_worker_s"], figures["two_workers_s"] = min(times[1]), min(times[2])
        figures["faster"] = statistics.median(a / b for a, b in zip(times[1], times[2], strict=True))
        for name in ("demo:", "starter:hull-groan", "starter:fog-air", "starter:drip-line"):
            figures[f"file_by_engine {name}"], figures[f"own_ms {name}"] = beside_engine(
                Path(folder) / name.partition(":")[2] / "here", name
            )
    return figures


def beside_engine(folder: Path, name: str) -> tuple[float, float]:
    """A variation after the first against the engine's own time for its two seconds, and what it takes beside that
    in ms."""
    engine, whole = [], []
    for task in variations(folder, 40, name)[1:]:
        performance = Performance(task.source.take, compiled=compiled)
        out = np.zeros((96_000, performance.channels))
        begun = time.perf_counter()
        for at in range(0, len(out), task.block):
            performance.fill(out[at : at + task.block])
        engine.append(time.perf_counter() - begun)
        begun = time.perf_counter()
        make(task)
        whole.append(time.perf_counter() - begun)
    pairs = list(zip(engine, whole, strict=True))
    return statistics.median(b / a for a, b in pairs), 1e3 * statistics.median(b - a for a, b in pairs)


@contextlib.contextmanager
def cluster_here(folder: Path) -> Iterator[tuple[str, list[subprocess.Popen[bytes]]]]:
    """A real scheduler of Dask with two real workers on this machine: its address, and the workers."""
    file = folder / "scheduler.json"
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "cwd": folder}
    begun = [
        subprocess.Popen([sys.executable, "-m", "distributed.cli.dask_scheduler", "--port", "0", "--host", "127.0.0.1",
                          "--no-dashboard", "--scheduler-file", str(file)], **quiet)
    ]  # fmt: skip
    end = time.monotonic() + 60
    while not file.exists() and time.monotonic() < end:
        time.sleep(0.1)
    for _ in range(2):
        begun.append(subprocess.Popen([
            sys.executable, "-m", "distributed.cli.dask_worker", "--scheduler-file", str(file), "--nthreads", "1",
            "--nworkers", "1", "--no-dashboard", "--host", "127.0.0.1", "--no-nanny",
        ], **quiet))  # fmt: skip
    try:
        yield json.loads(file.read_text())["address"], begun[1:]
    finally:
        for process in reversed(begun):
            process.kill()
            process.wait()


def many(count: int = 1000) -> dict[str, object]:
    """Files of a cluster that loses a worker, against those of this machine, by their digests."""
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        here, there = root / "here", root / "there"
        crew = Workers(2)
        local_s = finish(Batch(variations(here, count, "starter:drip-line"), crew))
        crew.close()
        with cluster_here(root) as (address, workers):
            far = Workers(2, address)
            batch, killed, begun = Batch(variations(there, count, "starter:drip-line"), far), False, time.monotonic()
            while batch.step():
                if not killed and batch.done >= count // 2:
                    workers[0].kill()
                    killed = True
                time.sleep(0.02)
            far.close()
            far_s = time.monotonic() - begun
        assert killed
        digests = [{path.name: hashlib.sha256(path.read_bytes()).hexdigest() for path in sorted(at.iterdir())}
                   for at in (here, there)]  # fmt: skip
        same = sum(digests[0][name] == digests[1].get(name) for name in digests[0])
        return {"files": len(digests[1]), "same": same, "failed": len(batch.failed), "local_s": local_s, "far_s": far_s}


def loops() -> list[dict[str, object]]:
    """Each way on the demo and every starter, as the preset has it (60 s, give or take 4, faded over 2); three times
    round, the seam against what the sound does elsewhere."""
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        for name in ("demo:", *(f"starter:{starter}" for starter in starters())):
            for way in ("period", "fold", "crossfade"):
                job = Job(seconds=60.0, ends="loop", loop=way, fold_s=2.0, search_s=4.0, depth="32f", folder=folder,
                          name="loop", existing="replace")  # fmt: skip
                (file,) = make(tasks_of(job, source_of(name), MADE)[0])
                sound, rate = soundfile.read(Path(folder) / "loop.wav", always_2d=True)
                assert file.seam is not None
                rows.append({"patch": name, "way": way, "told": file.told, "verdict": file.seam.verdict,
                             **thrice(sound, rate)})  # fmt: skip
    return rows


def thrice(sound: np.ndarray, rate: int) -> dict[str, float]:
    """The largest step at the seams of three rounds against the largest elsewhere, and how loudness changes there."""
    three, n = np.concatenate([sound] * 3), len(sound)
    steps = np.abs(np.diff(three, axis=0)).max(axis=1)
    seams = np.concatenate([steps[k * n - 2 : k * n + 1] for k in (1, 2)])
    inside = np.sort(steps[: n - 2])
    half = round(0.4 * rate)
    jumps = [abs(loudness_of(three[k * n - half : k * n], rate) - loudness_of(three[k * n : k * n + half], rate))
             for k in (1, 2)]  # fmt: skip
    dice = np.random.default_rng(1)
    usual = [abs(loudness_of(sound[at - half : at], rate) - loudness_of(sound[at : at + half], rate))
             for at in dice.integers(half, n - half, 200)]  # fmt: skip
    return {
        "step_share": float(np.searchsorted(inside, seams.max()) / len(inside)), "jump_lu": max(jumps),
        "usual_jump_lu": float(np.quantile(usual, 0.975)),
    }  # fmt: skip


def large() -> dict[str, object]:
    """More than 2^32 bytes: six channels of 32-bit floats for an hour and five minutes, read back at its end."""
    seconds = 3900.0
    need = seconds * 48000 * 6 * (8 + 4) * 1.1
    if shutil.disk_usage(tempfile.gettempdir()).free < need:
        return {"skipped": f"{need / 1e9:.0f} GB are needed"}
    with tempfile.TemporaryDirectory() as folder:
        job = Job(seconds=seconds, layout="5.1", depth="32f", folder=folder, name="large")
        begun = time.monotonic()
        (file,) = make(tasks_of(job, source_of("starter:fog-air"), MADE)[0])
        path = Path(folder) / "large.wav"
        size = path.stat().st_size
        with path.open("rb") as raw:
            head = raw.read(4)
        with soundfile.SoundFile(path) as read:
            frames = read.frames
            read.seek(frames - 4800)
            last = read.read(4800, always_2d=True)
        return {"bytes": size, "above": size > 1 << 32, "head": head.decode(), "frames": frames,
                "right": frames == round(seconds * 48000), "last_peak": float(np.abs(last).max()),
                "measured_s": file.measures.seconds, "took_s": time.monotonic() - begun}  # fmt: skip


def main() -> None:
    """Print what was asked for, or all of it."""
    prepare(catalogue())
    wanted = sys.argv[1:] or ["speed", "many", "loops", "large"]
    if "speed" in wanted:
        print(json.dumps(speed(), indent=1), flush=True)
    if "loops" in wanted:
        for row in loops():
            print(json.dumps(row), flush=True)
    if "many" in wanted:
        print(json.dumps(many(), indent=1), flush=True)
    if "large" in wanted:
        print(json.dumps(large(), indent=1), flush=True)


if __name__ == "__main__":
    main()
