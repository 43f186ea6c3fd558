"""Broken files of every kind, thrown at what reads them.

`python -m bench.fuzz [--kind patch …] [--seconds 60] [--count N] [--seed 1]` makes files from whole ones (see
`bench.mutate`) and has them read and used as the program would. Anything but success or one of the project's errors is
a find, and so are more than 5 s, more than 1 GiB, a mix above +24 dBFS before the limiter, or a patch that does not
come back as it was saved. Every find is written to `tests/corpus/KIND/`, whose files `tests/test_corpus.py` tries again
for ever. `bench.guided` searches by coverage.
"""

from __future__ import annotations

import argparse
import faulthandler
import hashlib
import multiprocessing
import random
import resource
import signal
import socket
import struct
import tempfile
import time
import traceback
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from pathlib import Path
from types import FrameType
from typing import Any, TypeVar

import numpy as np
import soundfile
from numpy.typing import NDArray

from bench.mutate import broken_bytes, broken_json, broken_text
from dunefall.base.door import parse_json
from dunefall.base.errors import DunefallError
from dunefall.base.preferences import Preferences
from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.doubts import doubts, doubts_of_take
from dunefall.catalogue.repeats import repeat_of_patch
from dunefall.catalogue.story import patch_story
from dunefall.catalogue.validate import check_patch
from dunefall.compiler import sounds
from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import LOUDEST, run
from dunefall.compiler.traces import no_traces
from dunefall.compiler.warmup import prepare
from dunefall.deliver.jobfiles import parse_job, raw_job_file
from dunefall.deliver.jobfiles import presets as job_presets
from dunefall.deliver.ogg import set_serial
from dunefall.engine.devices.osc import OscInput
from dunefall.patch.changes import LinkGone, ParamSet, TempoSet
from dunefall.patch.document import Document
from dunefall.patch.entryfiles import only_sound
from dunefall.patch.files import dump_patch, parse_patch, raw_patch
from dunefall.patch.library import DEMO, find_patch, load_patch, starters
from dunefall.patch.model import Patch
from dunefall.patch.recovery import Recovery
from dunefall.patch.states import recalled
from dunefall.patch.take import Clear, Edit, Entry, Note, Press, Take
from dunefall.patch.takefiles import raw_take
from dunefall.patch.tuning import parse_tuning
from dunefall.patch.userlibrary import UserLibrary
from dunefall.render.performance import Performance
from dunefall.session.edits.family import fill_board, keep_snapshot
from dunefall.session.edits.takes import keep_take
from dunefall.session.lanes import Lanes, compared
from dunefall.session.opening import check_take, open_take
from dunefall.vary.states import checked_patch_of

__all__ = ["CORPUS", "KINDS", "Find", "fuzzed", "kept", "packets", "tried"]

CORPUS = Path(__file__).parent.parent / "tests" / "corpus"
T = TypeVar("T")
SharedNumber = Any
"""Numbers in memory that two processes share: the file in use, and how many finds there were."""
LONGEST_S, MOST_MEMORY = 5, 1 << 30
QUANTUMS, RATE = 8, 48000.0
SCALE = "! a scale\nfifths\n 5\n!\n100.0\n9/8\n3/2\n700. cents\n2/1\n"


@dataclass(frozen=True)
class Find:
    """Something that should not have happened.

    Attributes
    ----------
    kind : str
        One of ``KINDS``.
    data : bytes
        The file.
    told : str
        What happened.
    """

    kind: str
    data: bytes
    told: str


class _TooLongError(Exception):
    pass


@contextmanager
def _within(seconds: int) -> Iterator[None]:
    def over(number: int, frame: FrameType | None) -> None:
        raise _TooLongError

    before = [(kind, signal.signal(kind, over)) for kind in (signal.SIGPROF, signal.SIGALRM)]
    signal.setitimer(signal.ITIMER_PROF, seconds)  # of work: other programs may want the machine
    signal.alarm(20 * seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)
        signal.alarm(0)
        for kind, handler in before:
            signal.signal(kind, handler)


# -- what is done with a file of each kind ----------------------------------------------------------------------------


def _use_patch(data: bytes, folder: Path) -> None:
    patch = parse_patch(data)
    again = parse_patch(dump_patch(patch).encode())
    assert again == patch, "what is saved is not what is read"
    check_patch(patch)
    assert doubts(patch) is not None
    assert patch_story(patch)
    repeat_of_patch(patch).told(patch.tempo_bpm)
    for kept in patch.takes:
        with suppress(DunefallError):
            check_take(kept.take)
            Lanes().of(kept.take)
            compared(kept.take, Take(only_sound(patch), kept.take.rate_hz))
    for state in patch.family.states:
        with suppress(DunefallError):
            compile_patch(recalled(patch, checked_patch_of(patch.family, state), state.part), rate=RATE)
    program = compile_patch(patch, rate=RATE)
    out = np.zeros((64 * QUANTUMS, 6))
    run(program.plan, program.memory, no_traces(), out)
    _hear(out)


def _use_take(data: bytes, folder: Path) -> None:
    path = folder / "x.dunetake"
    path.write_bytes(data)
    take = open_take(path)
    doubts_of_take(take)
    performance = Performance(take.at_rate(RATE))
    out = np.zeros((64 * QUANTUMS, performance.channels))
    performance.fill(out)
    _hear(out)


def _hear(out: NDArray[np.float64]) -> None:
    assert np.isfinite(out).all(), "the sound is no number"
    assert np.abs(out).max() <= LOUDEST, "the mix is louder than +24 dBFS"


def _use_compound(data: bytes, folder: Path) -> None:
    (folder / "x.dunecompound").write_bytes(data)
    library = UserLibrary(folder)
    for name in library.files():
        library.load(name)


def _use_scale(data: bytes, folder: Path) -> None:
    _, cents = parse_tuning(data.decode("utf-8", errors="replace"))
    assert np.isfinite(cents).all()
    assert cents[-1] > 0


def _use_sound(data: bytes, folder: Path) -> None:
    path = folder / f"x{SOUND_SUFFIX.get(data[:4], '.raw')}"
    path.write_bytes(data)
    sound = sounds.mapped(sounds.take_in(path))
    assert np.isfinite(sound.samples).all()


def _use_preferences(data: bytes, folder: Path) -> None:
    path = folder / "preferences.json"
    path.write_bytes(data)
    Preferences.load(path).save(path)
    assert Preferences.load(path) == Preferences.load(path)


def _use_recovery(data: bytes, folder: Path) -> None:
    for name in ("999999999", random.Random(data).choice(("0", "-1", "9" * 30, "²", "x"))):
        (folder / f"{name}.recovery").write_bytes(data)
    for found in Recovery(folder).left_behind():
        check_patch(found.patch)
    for file in folder.glob("*.recovery"):
        file.unlink()


def _use_job(data: bytes, folder: Path) -> None:
    parse_job(parse_json(data))


def _use_osc(data: bytes, folder: Path) -> None:
    listener = _listener()
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sender:
        sender.sendto(data[:60_000], ("127.0.0.1", listener.port))
    for value in listener.taken().values():
        assert 0.0 <= value <= 1.0
    assert len(listener.told()) < 300


_listeners: list[OscInput] = []


def _listener() -> OscInput:
    if not _listeners:
        _listeners.append(OscInput(0))
    return _listeners[0]


# -- whole files ------------------------------------------------------------------------------------------------------


def _patches() -> list[object]:
    prepare(catalogue())  # code is compiled before anything is timed
    return [
        raw_patch(_with_family(find_patch(DEMO)[0])),
        *(raw_patch(load_patch(path)) for path in starters().values()),
    ]


def _with_family(patch: Patch) -> Patch:
    """A patch that keeps a snapshot, one that is built differently, a board, and a take."""
    document = Document(patch)
    keep_snapshot(document, "Calm")
    document.edit("Change", patch.without_module("drip-line-echo").with_param("fog-air-band", "cutoff_hz", 300.0))
    keep_snapshot(document, "Storm")
    fill_board(document, ["fog-air-band"], 0.4, ("tone", "pitch"), seed=1, count=3)
    take = _take(patch)
    keep_take(document, take.with_entry_replaced(3, replace(take.entries[3], muted=True)))
    return document.patch


def _takes() -> list[object]:
    """A take of the demo and of each starter: a change of each kind."""
    return [raw_take(_take(patch)) for patch in (find_patch(DEMO)[0], *map(load_patch, starters().values()))]


def _take(patch: Patch) -> Take:
    whats: list[Edit | Note | Press | Clear] = [Edit((TempoSet(100.0),)), Edit((LinkGone(patch.links[0].id),)), Clear()]
    for module in patch.modules():
        spec = spec_of(module.type)
        if spec is None:
            continue
        whats += [Edit((ParamSet(module.id, param.id, param.default),)) for param in spec.params[:1]]
        whats += [Press(module.id, port.id, True) for port in spec.inputs if port.role == "gate"]
        whats += [Note(module.id, 60.0, 0.5)] * spec.keys
    return Take(patch, RATE, tuple(Entry(64 * (k % QUANTUMS), what) for k, what in enumerate(whats[:QUANTUMS])))


def _jobs() -> list[object]:
    return [raw_job_file(file) for file in job_presets()]


def _recoveries() -> list[object]:
    return [{"path": "/home/x/Night.dunefall", "patch": patch} for patch in _patches()[:4]]


def _compounds() -> list[object]:
    return [patch for patch in _patches() if isinstance(patch, dict) and patch.get("compounds")] or _patches()[:2]


SOUND_SUFFIX = {
    b"RIFF": ".wav",
    b"fLaC": ".flac",
    b"OggS": ".ogg",
    b"FORM": ".aiff",
    b".snd": ".au",
    b"\xff\xfb\x94\xc4": ".mp3",
}


def _sounds() -> list[bytes]:
    made = []
    noise = 0.1 * np.random.default_rng(1).standard_normal((4000, 2))
    with tempfile.TemporaryDirectory() as folder:
        for suffix in ("wav", "flac", "ogg", "aiff", "au", "caf", "w64", "mp3"):
            path = Path(folder) / f"x.{suffix}"
            soundfile.write(path, noise, 48000)
            if suffix == "ogg":
                set_serial(path, 1)  # it is random otherwise
            made.append(path.read_bytes())
    return made


def packets() -> list[bytes]:
    def text(value: str) -> bytes:
        data = value.encode() + b"\x00"
        return data + bytes(-len(data) % 4)

    plain = text("/dunefall/fog-depth") + text(",f") + struct.pack(">f", 0.4)
    bundle = b"#bundle\x00" + bytes(8) + struct.pack(">i", len(plain)) + plain
    nested = b"#bundle\x00" + bytes(8) + struct.pack(">i", len(bundle)) + bundle
    odd = text("/dunefall/" + "x" * 3000) + text(",fsib") + struct.pack(">f", float("nan"))
    return [plain, bundle, nested, odd]


def _from(
    whole: Callable[[], list[T]], broken: Callable[[T, random.Random], bytes]
) -> Callable[[], Callable[[random.Random], bytes]]:
    """Files of a kind: whole ones, made when they are first wanted, and how one of them is broken."""

    def ready() -> Callable[[random.Random], bytes]:
        kept = whole()
        return lambda dice: broken(dice.choice(kept), dice)

    return ready


KINDS: dict[
    str, tuple[Callable[[], Callable[[random.Random], bytes]], Callable[[bytes, Path], None]]
] = {
    "patch": (_from(_patches, broken_json), _use_patch),
    "take": (_from(_takes, broken_json), _use_take),
    "compound": (_from(_compounds, broken_json), _use_compound),
    "scale": (_from(lambda: [SCALE], broken_text), _use_scale),
    "sound": (_from(_sounds, broken_bytes), _use_sound),
    "preferences": (_from(lambda: [_some_preferences()], broken_json), _use_preferences),
    "recovery": (_from(_recoveries, broken_json), _use_recovery),
    "job": (_from(_jobs, broken_json), _use_job),
    "osc": (_from(packets, broken_bytes), _use_osc),
}  # fmt: skip
"""How broken files of a kind are made, and what is done with one."""


def _some_preferences() -> dict[str, object]:
    return {"theme": "dusk", "scale": 1.25, "recent": ["/a"], "shortcuts": {"undo": "Ctrl+Z"}, "frames": 256}


def tried(kind: str, data: bytes, folder: Path) -> str:
    """Use a file; what went wrong, if anything did.

    Parameters
    ----------
    kind : str
        One of ``KINDS``.
    data : bytes
        The file.
    folder : Path
        Where it may be written.

    Returns
    -------
    str
    """
    before = _memory()
    try:
        with _within(LONGEST_S):
            KINDS[kind][1](data, folder)
    except DunefallError as error:
        return "an error of several lines" if "\n" in str(error) or len(str(error)) > 1000 else ""
    except _TooLongError:
        return f"more than {LONGEST_S} s"
    except Exception:
        return traceback.format_exc()
    return "more than 1 GiB" if _memory() - before > MOST_MEMORY else ""


def _memory() -> int:
    """The most bytes that this process has had."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024


def fuzzed(
    kind: str, seed: int, *, count: int = 10**9, seconds: float = 1e9, first: int = 0,
    begin: Callable[[int], None] = lambda number: None,
) -> Iterator[Find | None]:  # fmt: skip
    """Broken files of a kind, one after the other: a find, or None.

    Parameters
    ----------
    kind : str
        One of ``KINDS``.
    seed : int
        Where chance begins.
    count, seconds : float
        When it ends.
    first : int
        Number of the first one.
    begin : function of int
        Is told the number of each before it is used.

    Yields
    ------
    Find or None
    """
    make, until = KINDS[kind][0](), time.monotonic() + seconds
    with tempfile.TemporaryDirectory() as folder:
        for k in range(first, count):
            if time.monotonic() > until:
                return
            begin(k)
            data = make(random.Random(f"{kind}/{seed}/{k}"))
            told = tried(kind, data, Path(folder))
            yield Find(kind, data, told) if told else None


def kept(find: Find) -> Path:
    """Write a find into the corpus.

    Parameters
    ----------
    find : Find
        What was found.

    Returns
    -------
    Path
    """
    file = CORPUS / find.kind / hashlib.blake2b(find.data, digest_size=6).hexdigest()
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_bytes(find.data)
    return file


def _worker(kind: str, seed: int, first: int, count: int, seconds: float, at: SharedNumber) -> None:
    """Use files until the last one, or until one ends this process; prints each new find, and keeps it."""
    faulthandler.enable()
    seen = set[str]()

    def begin(number: int) -> None:
        at[0] = number

    for find in fuzzed(kind, seed, count=count, seconds=seconds, first=first, begin=begin):
        if find is None:
            continue
        at[1] += 1
        last = find.told.strip().splitlines()[-1]
        where = [line for line in find.told.splitlines() if "dunefall" in line][-1:]
        if (key := f"{where}{last[:60]}") not in seen:
            seen.add(key)
            print(f"{kind}: {find.told}", flush=True)
            kept(find)
    at[0] += 1


def _in_processes(kind: str, seed: int, first: int, count: int, seconds: float) -> int:
    """Use files in a process of their own, and in another one behind what ended it; the number of finds."""
    context, begun = multiprocessing.get_context("spawn"), time.monotonic()
    at: SharedNumber = context.Array("q", [first, 0], lock=False)
    while True:
        left = seconds - (time.monotonic() - begun)
        process = context.Process(target=_worker, args=(kind, seed, at[0], count, left, at))
        process.start()
        process.join()
        if process.exitcode == 0:
            break
        data = KINDS[kind][0]()(random.Random(f"{kind}/{seed}/{at[0]}"))
        find = Find(kind, data, f"the process ended with {process.exitcode} at file {at[0]}")
        print(f"{kind}: {find.told}, {kept(find)}", flush=True)
        at[0] += 1
        at[1] += 1
    took = time.monotonic() - begun
    print(f"{kind}: {at[0] - first} files in {took:.0f} s from seed {seed}, {at[1]} finds", flush=True)
    return int(at[1])


def main() -> int:
    """Look for finds."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kind", choices=list(KINDS), action="append")
    parser.add_argument("--seconds", type=float, help="for each kind; 60 where no count is given")
    parser.add_argument("--count", type=int, default=10**9, help="of each kind")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--first", type=int, default=0, help="number of the first file")
    options = parser.parse_args()
    seconds = options.seconds or (60.0 if options.count == 10**9 else 1e9)
    found = 0
    for kind in options.kind or KINDS:
        found += _in_processes(kind, options.seed, options.first, options.count, seconds)
    return min(found, 1)


if __name__ == "__main__":
    raise SystemExit(main())
