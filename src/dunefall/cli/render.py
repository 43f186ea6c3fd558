"""``dunefall render`` and ``dunefall remake``: files without a window."""

from __future__ import annotations

import argparse
import os
import sys
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

from dunefall.base.errors import DunefallError, ParameterError, PatchError, StorageError
from dunefall.base.language import tr, tr_count
from dunefall.base.layouts import LAYOUTS
from dunefall.cli.options import PATCH_HELP, layer_named, seconds_of, seeds_of

__all__ = ["add_remake", "add_render", "run_remake", "run_render"]

LAYOUT_IDS = ("patch", "mono", *(layout.id for layout in LAYOUTS))
FLAGGED = 3
EXISTING = ("ask", "replace", "number", "skip")


def add_render(commands: Any) -> None:
    """Declare ``dunefall render``.

    Parameters
    ----------
    commands : argparse subparsers
        Where the command is added.
    """
    parser = commands.add_parser(
        "render", help=tr("render a patch or a take to files"),
        description=tr("Render a patch, a take or a job. Exit status 3: a file missed its limits."),
        epilog="example: dunefall render demo: --seconds 60 --seed 7 --out sluice.wav",
    )  # fmt: skip
    add = parser.add_argument
    add("patch", metavar="PATCH", nargs="?",
        help=tr("{patch}; or a take (.dunetake); a job may hold its own", patch=PATCH_HELP))  # fmt: skip
    add("--out", type=Path, metavar="PATH", help=tr("the file; where there are several, their folder"))
    add("--job", type=Path, metavar="FILE", help=tr("a job file (.dunejob)"))
    add("--preset", metavar="NAME",
        help=tr("a preset, shipped or your own: film-bed, game-variations, seamless-loop, …"))  # fmt: skip
    add("--seconds", type=seconds_of, metavar="S", help=tr("length; with --until-silence the longest"))
    add("--bars", type=float, metavar="N", help=tr("length in bars of four beats"))
    add("--layer", metavar="NAME", help=tr("one layer, by name or id, with what it sends to the effect lanes"))
    add("--effects", choices=("with", "apart", "without"),
        help=tr("effect lanes in the layer's file, apart, or left out"))  # fmt: skip
    add("--stems", action="store_true", help=tr("every layer in a file of its own"))
    add("--hits", metavar="MODULE", help=tr("every event of a module in a file of its own, until silence"))
    add("--live", metavar="FILE",
        help=tr("a recording that the live input hears; simulated: a voice that comes with it"))  # fmt: skip
    add("--seed", type=int, metavar="N", help=tr("a seed other than the patch's"))
    add("--seeds", type=seeds_of, metavar="A..B", help=tr("a file for each of these seeds"))
    add("--variations", type=int, metavar="N", help=tr("a file for each of N seeds, from the patch's on"))
    add("--loop", nargs="?", const="best", choices=("best", "period", "fold", "crossfade"), help=tr("a seamless loop"))
    add("--until-silence", action="store_true", help=tr("end where the sound has ended"))
    add("--trim", type=float, metavar="DB", help=tr("cut off what is quieter than this at both ends"))
    add("--fade-in", type=seconds_of, metavar="S", help=tr("fade in"))
    add("--fade-out", type=seconds_of, metavar="S", help=tr("fade out"))
    add("--lufs", type=float, metavar="LUFS", help=tr("bring each file to this loudness"))
    add("--peak", type=float, metavar="DBTP", help=tr("highest true peak; usually -1"))
    add("--no-limit", action="store_true", help=tr("no limiter: with a target, peaks decide how loud it can be"))
    add("--format", metavar="KIND", help=tr("wav, flac, ogg or opus; several with commas"))
    add("--rate", type=float, metavar="HZ", help=tr("sample rate, 8000 to 192000; usually 48000"))
    add("--depth", choices=("16", "24", "32f"), help=tr("bits of a sample; 32f are floating point"))
    add("--layout", choices=LAYOUT_IDS, help=tr("the loudspeakers; default: the patch's"))
    add("--name", metavar="TEMPLATE", help=tr("names of the files: {title} {layer} {seed} {n:02} {date} {rate}"))
    add("--existing", choices=EXISTING, help=tr("what to do about files that are there; usually it asks"))
    add("--events", type=Path, metavar="FILE", help=tr("write all gates as notes (.mid) or as a table (.csv)"))
    add("--movements", metavar="MODULE.PORT", help=tr("write how outputs or parameters move; several with commas"))
    add("--every", type=float, metavar="HZ", help=tr("how often --movements are written; usually 50 times a second"))
    add("--report", type=Path, metavar="FILE", help=tr("write the measures as .csv or .json"))
    add("--jobs", type=int, default=0, metavar="N", help=tr("worker processes; usually one for each core"))
    add("--scheduler", default="", metavar="tcp://HOST:PORT", help=tr("use the workers of a Dask cluster"))
    add("--block", type=int, default=8192, metavar="N", help=tr("frames at a time; never changes the result"))


def add_remake(commands: Any) -> None:
    """Declare ``dunefall remake``.

    Parameters
    ----------
    commands : argparse subparsers
        Where the command is added.
    """
    parser = commands.add_parser(
        "remake", help=tr("make rendered files again, bit for bit"),
        epilog=tr("example: dunefall remake drips/drip.json drip_07.wav --out again"),
    )  # fmt: skip
    parser.add_argument("set", type=Path, metavar="FILE.json", help=tr("the JSON file beside the rendered files"))
    parser.add_argument("names", nargs="*", metavar="NAME", help=tr("which files; default: all"))
    parser.add_argument("--out", type=Path, default=Path("."), metavar="FOLDER", help=tr("where they go"))


@dataclass(frozen=True)
class _Wanted:
    """What the options ask for: a job, its source, and whether it is one file that was named."""

    job: Any
    source: Any
    one_file: bool


def run_render(options: argparse.Namespace) -> int:
    """Render; returns the exit status.

    Parameters
    ----------
    options : argparse.Namespace
        What was typed.

    Returns
    -------
    int
        0, or 3 where a file missed its limits or could not be made.

    Raises
    ------
    DunefallError
        With one clear sentence.
    """
    from dunefall.catalogue import catalogue
    from dunefall.compiler.sounds import import_sounds
    from dunefall.compiler.warmup import prepare
    from dunefall.deliver.plan import report_path, tasks_of
    from dunefall.deliver.reports import kinds, save_report, save_table

    if not 1 <= options.block <= 1 << 20:
        raise ParameterError(tr("--block must be 1 to {value}; got {block}", value=1 << 20, block=options.block))
    wanted = _wanted(options)
    job, source = wanted.job, wanted.source
    for trouble in {
        *import_sounds(source.patch, alone=True),
        *import_sounds(source.take.patch_at(1 << 62), alone=True),
    }:
        print(trouble, file=sys.stderr)
    made = time.strftime("%Y-%m-%dT%H:%M:%S")
    tasks = [replace(task, block=options.block) for task in _tasks(tasks_of, job, source, made)]
    show = _Bar(len(tasks))
    prepare(catalogue() if source.take.entries else (m.type for m in source.patch.modules()), show.prepared)
    files, failed = _done(tasks, options, show)
    folder = Path(job.folder)
    if files and not wanted.one_file:
        save_report(job, source, made, files, report_path(job, source, folder))
    if options.report is not None:
        save_table(files, options.report)
    if options.events is not None:
        _events(job, source, options.events)
    for file in files:
        _tell(file, folder, job)
    for number, error in failed.items():
        print(tr("dunefall: file {number}: {error}", number=number, error=error), file=sys.stderr)
    if len(kinds(files)) > 1:
        print(tr("Made by processors of different kinds ({kinds}): their last bits may differ.",
                 kinds=", ".join(kinds(files))))  # fmt: skip
    if not tasks:
        print(tr("All files are there already: nothing was rendered."))
    if failed and not files:
        raise StorageError(tr("no file was made"))
    return FLAGGED if failed or any(file.findings for file in files) else 0


def _tasks(tasks_of: Any, job: Any, source: Any, made: str) -> Any:
    """The tasks; where files exist and somebody is there to answer, it asks."""
    try:
        return tasks_of(job, source, made)
    except ParameterError as error:
        if "already exist" not in str(error) or not (sys.stdin.isatty() and sys.stderr.isatty()):
            hint = [tr("use --existing replace, number or skip")] if "already exist" in str(error) else []
            raise ParameterError("; ".join([str(error), *hint])) from error
        print(f"{error}.", file=sys.stderr)
        answer = input(f"{tr('{choices} (anything else stops):', choices='replace, number, skip')} ").strip()
        if answer not in EXISTING[1:]:
            raise ParameterError(tr("nothing was rendered")) from error
        return tasks_of(replace(job, existing=answer), source, made)


def _done(tasks: Sequence[Any], options: argparse.Namespace, show: _Bar) -> tuple[list[Any], dict[int, str]]:
    """Do the tasks: one in this process, more by workers; Ctrl+C keeps what is whole."""
    from dunefall.deliver.making import make
    from dunefall.deliver.workers import Batch, Workers

    if options.jobs < 0:
        raise ParameterError(tr("--jobs must be 1 or more; got {jobs}", jobs=options.jobs))
    count = options.jobs or os.cpu_count() or 1
    if not options.scheduler and (len(tasks) <= 1 or count == 1):
        files, failed = list[Any](), dict[int, str]()
        for k, task in enumerate(tasks):
            try:
                files += make(task, partial(show.part, k, len(tasks)))
            except DunefallError as error:
                failed[task.number] = str(error)
        show.end()
        return files, failed
    workers = Workers(min(count, max(len(tasks), 1)), options.scheduler)
    batch = Batch(tasks, workers)
    try:
        while batch.step():
            show.done(batch.done, batch.share)
            time.sleep(0.02)
    except KeyboardInterrupt:
        batch.stop()
        while batch.step():
            time.sleep(0.02)
        show.end()
        told = tr_count("{count} file is whole", "{count} files are whole", len(batch.files))
        print(tr("dunefall: stopped; {told}", told=told), file=sys.stderr)
        raise
    finally:
        batch.close()
        workers.close()
    show.end()
    return batch.files, batch.failed


def _with_left(told: str, left_s: float) -> str:
    return tr("{told}, {left_s:.0f} s left", told=told, left_s=left_s) if left_s else told


class _Bar:
    """Progress: a bar on a terminal, a line for each tenth elsewhere."""

    def __init__(self, total: int) -> None:
        self._total, self._tty, self._tenth, self._begun = total, sys.stderr.isatty(), 0, time.monotonic()

    def prepared(self, done: int, total: int, name: str) -> None:
        if self._tty and name:
            told = tr("preparing the engine: {done} of {total} ({name})", done=done + 1, total=total, name=name)
            print(f"\r{told}\033[K", end="", file=sys.stderr)

    def done(self, files: int, share: float) -> None:
        passed = time.monotonic() - self._begun
        left = passed / share - passed if share > 0.02 and passed > 1.0 else 0.0
        if self._tty:
            told = f"{'█' * round(24 * share):·<24} {share:4.0%}, {files} / {self._total}"
            print(f"\r{_with_left(told, left)}\033[K", end="", file=sys.stderr)
        elif self._total > 1 and int(10 * share) > self._tenth:
            self._tenth = int(10 * share)
            told = tr("{files} of {total} files", files=files, total=self._total)
            print(f"{share:.0%}: {_with_left(told, left)}", file=sys.stderr)

    def part(self, number: int, count: int, share: float) -> None:
        self.done(number, (number + share) / count)

    def end(self) -> None:
        if self._tty:
            print("\r\033[K", end="", file=sys.stderr)


def _wanted(options: argparse.Namespace) -> _Wanted:
    from dunefall.deliver.job import Source, job_from
    from dunefall.deliver.jobfiles import load_job
    from dunefall.deliver.plan import preview
    from dunefall.engine.live import recorded
    from dunefall.patch.takefiles import TAKE_SUFFIX
    from dunefall.session import open_patch, open_take

    file = load_job(options.job) if options.job is not None else None
    base = _preset(options.preset) if options.preset else file.job if file else None
    if options.patch is not None:
        source = Source.of(
            open_take(Path(options.patch)) if options.patch.endswith(TAKE_SUFFIX) else open_patch(options.patch)[0]
        )
    elif file is not None and file.source is not None:
        source = file.source
    else:
        raise ParameterError(tr("render needs a patch: name a .dunefall file, demo:, a take, or a job that holds one"))
    if options.seed is not None:
        if not 0 <= options.seed < 2**32:
            raise ParameterError(tr("--seed must be 0 to {value}; got {seed}", value=2**32 - 1, seed=options.seed))
        source = source.with_seed(options.seed)
    job = job_from(_settings(options, source), tr("the options"), base)
    if options.live is not None:
        until = job.start_s + job.length_s(source.patch.tempo_bpm) + job.search_s + job.fold_s
        source = source.with_live(str(recorded(options.live, job.rate_hz, until)))
    if base is None and options.seconds is None and options.bars is None:
        raise ParameterError(tr("render needs --seconds or --bars, a --preset or a --job"))
    if options.out is None:
        if not job.folder:
            raise ParameterError(tr("render needs --out: the file, or the folder for several files"))
        return _Wanted(job, source, False)
    if options.out.suffix.lower() in _endings() and options.name is None and not options.out.is_dir():
        named = replace(job, name=_literal(options.out.stem), folder=str(options.out.parent))
        named = named if options.format else replace(named, formats=(_endings()[options.out.suffix.lower()],))
        if preview(replace(named, name="{n}{seed}{layer}"), source).count == 1 and len(named.formats) == 1:
            if not options.out.parent.is_dir():
                raise StorageError(
                    tr("cannot write {out}: there is no folder {parent}", out=options.out, parent=options.out.parent)
                )
            return _Wanted(named.checked(), source, True)
        raise ParameterError(tr("these are several files: --out must be their folder, not {out}", out=options.out))
    name = job.name
    if options.name is None and base is None:
        several = job.what == "hits" or len(job.seeds_of(source.patch)) > 1
        name = "{n:02} {layer}" if job.what == "stems" else "{layer}_{n:02}" if several else "{title}"
    return _Wanted(replace(job, name=name, folder=str(options.out)), source, False)


def _endings() -> dict[str, str]:
    from dunefall.deliver.audiofiles import SUFFIXES

    return {suffix: kind for kind, suffix in SUFFIXES.items()}


def _literal(name: str) -> str:
    if "{" in name or "}" in name:
        raise ParameterError(tr("a file name with { } is a template: give it as --name, and the folder as --out"))
    return name


def _settings(options: argparse.Namespace, source: Any) -> dict[str, object]:
    """The settings that were given as options."""
    given: dict[str, object] = {}
    plain = (
        ("seconds", "seconds"), ("bars", "bars"), ("effects", "effects"), ("variations", "variations"),
        ("trim", "trim_db"), ("fade_in", "fade_in_s"), ("fade_out", "fade_out_s"), ("peak", "peak_db"),
        ("depth", "depth"), ("layout", "layout"), ("name", "name"), ("existing", "existing"),
        ("every", "every_hz"),
    )  # fmt: skip
    for option, setting in plain:
        if (value := getattr(options, option)) is not None:
            given[setting] = value
    if options.seconds is not None and options.bars is None:
        given["bars"] = 0.0
    if options.rate is not None:
        if options.rate != round(options.rate):
            raise ParameterError(tr("--rate must be a whole number of Hz; got {rate:g}", rate=options.rate))
        given["rate_hz"] = round(options.rate)
    if options.seeds is not None:
        given["seeds"] = list(options.seeds)
    if options.format is not None:
        given["formats"] = [kind.strip() for kind in options.format.split(",")]
    if options.lufs is not None:
        given |= {"loudness": "each file", "lufs": options.lufs}
    if options.no_limit:
        given["limit"] = False
    if options.movements is not None:
        given["movements"] = [text.strip() for text in options.movements.split(",")]
    if options.loop:
        given |= {"ends": "loop", "loop": options.loop}
    elif options.until_silence:
        given["ends"] = "silence"
    if options.stems:
        given |= {"what": "stems", "effects": options.effects or "apart"}
        if options.lufs is not None:
            given["loudness"] = "whole set"
    elif options.hits is not None:
        given |= {"what": "hits", "module": _module(options.hits, source)}
    if options.layer is not None:
        given["layer"] = layer_named(source.patch, options.layer).id
        given.setdefault("what", "layer")
    return given


def _module(wanted: str, source: Any) -> str:
    found = [m.id for m in source.patch.modules() if wanted.lower() in (m.id.lower(), m.name.lower())]
    if not found:
        names = ", ".join(module.name for module in source.patch.modules())
        raise PatchError(tr('there is no module "{wanted}"; there are {names}', wanted=wanted, names=names))
    return str(found[0])


def _preset(wanted: str) -> Any:
    from dunefall.deliver.jobfiles import preset_folder, presets

    found = {file.name.lower().replace(" ", "-"): file.job for file in presets(preset_folder())}
    if wanted.lower().replace(" ", "-") not in found:
        raise ParameterError(
            tr('there is no preset "{wanted}"; there are {listed}', wanted=wanted, listed=", ".join(found))
        )
    return found[wanted.lower().replace(" ", "-")]


def _events(job: Any, source: Any, path: Path) -> None:
    from dunefall.deliver.events import gates_of, heard_events, write_events

    seconds = job.length_s(source.patch.tempo_bpm)
    places = gates_of(source.patch)
    events = heard_events(source, places, rate=job.rate_hz, seconds=seconds, start_s=job.start_s)
    write_events(events, source.patch, path)
    outputs = len({event.place for event in events})
    print(tr("{path}: {count} events of {outputs} outputs", path=path, count=len(events), outputs=outputs))


def _tell(file: Any, folder: Path, job: Any) -> None:
    m = file.measures
    figures = tr(
        "{seconds:g} s, {rate_hz} Hz, seed {seed:04d}, {lufs:.1f} LUFS, {true_peak_db:.1f} dBTP",
        seconds=m.seconds,
        rate_hz=job.rate_hz,
        seed=file.seed,
        lufs=m.lufs,
        true_peak_db=m.true_peak_db,
    )
    print(f"{folder / file.names[0]}: {figures}" + (f". {file.told}" if file.told else ""))
    for finding in file.findings:
        print("  " + tr("check: {text}", text=finding.text) + (f" {finding.cure}?" if finding.cure else ""))


def run_remake(options: argparse.Namespace) -> int:
    """Make files again; returns 0, or 3 where one is not the same as before.

    Parameters
    ----------
    options : argparse.Namespace
        What was typed.

    Returns
    -------
    int

    Raises
    ------
    DunefallError
        With one clear sentence.
    """
    from dunefall.catalogue import catalogue
    from dunefall.compiler.warmup import prepare
    from dunefall.deliver.reports import remake

    prepare(catalogue())
    told: list[str] = []

    def tell(text: str) -> None:
        told.append(text)
        print(text)

    remake(options.set, options.names, options.out, tell)
    return 0 if all(text.endswith("bit for bit") for text in told) else FLAGGED
