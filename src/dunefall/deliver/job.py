"""What is to be delivered, and how: one description for the window, the command line and job files.

Each setting is declared once, with its kind, range and choices: reading, writing, the command line and the window
derive from that.
"""

from __future__ import annotations

import difflib
from collections.abc import Mapping
from dataclasses import Field, dataclass, field, fields, replace
from typing import Any

from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.layouts import LAYOUTS
from dunefall.base.units import range_told
from dunefall.catalogue.varying import KINDS, varied
from dunefall.patch.fields import get, texts
from dunefall.patch.model import Patch
from dunefall.patch.take import Entry, Heard, Take

__all__ = ["RATES_HZ", "Job", "Setting", "Source", "job_from", "raw_job", "settings"]

RATES_HZ = (44100, 48000, 88200, 96000)
MOST_SECONDS = 86_400.0
MOST_FILES = 10_000
FORMATS = ("wav", "flac", "ogg", "opus")


@dataclass(frozen=True)
class Setting:
    """What a setting may be.

    Attributes
    ----------
    words : str
        Its name in the window and in errors.
    low, high : float
        Range of a number.
    choices : tuple
        All that is allowed, where it is chosen.
    unit : str
        Of ``base.units``, or empty.
    may_be_none : bool
        Whether it can be left off (``null`` in a file).
    """

    words: str
    low: float = 0.0
    high: float = 0.0
    choices: tuple[Any, ...] = ()
    unit: str = ""
    may_be_none: bool = False


def _number(default: float, words: str, low: float, high: float, unit: str = "") -> Any:
    return field(default=default, metadata={"setting": Setting(words, low, high, unit=unit)})


def _maybe(default: float | None, words: str, low: float, high: float, unit: str = "") -> Any:
    return field(default=default, metadata={"setting": Setting(words, low, high, unit=unit, may_be_none=True)})


def _choice(default: Any, words: str, *choices: Any) -> Any:
    return field(default=default, metadata={"setting": Setting(words, choices=choices)})


def _text(default: str, words: str) -> Any:
    return field(default=default, metadata={"setting": Setting(words)})


@dataclass(frozen=True)
class Job:
    """Settings of a set of files; every field is declared with what it may be.

    ``of``: in the window, the patch from its start, the take from its start, or the last ``seconds`` of the take.
    ``what``: the whole mix, one layer, every layer apart (stems), or every event of a module. ``effects`` says of a
    layer or of stems whether what they send to the effect lanes is in the file (with), in files of its own (apart), or
    left out (without). ``seeds``: one file each; none: the patch's own and those that follow it, ``variations`` in all.
    ``spread``: above 0, each of the ``seeds`` is the number of a variation that far from the patch, whose own seed
    stays (see ``catalogue.varying``); only values of ``spread_kinds`` in ``spread_modules`` vary; none: all.
    ``start_s`` is where in the take it begins. ``ends``: cut at the length, at silence (the length is then the
    longest), or a seamless loop. ``trim_db``: what is quieter than this at head and tail goes. ``loudness``: as it is,
    each file at ``lufs``, or one gain for the whole set that brings the mix, or the loudest hit, there. ``limit``: a
    limiter keeps true peaks under ``peak_db``; without it, the gain is lowered instead. ``existing``: what to do about
    files that are there. ``events``: notes and triggers in a file beside each sound. ``movements``: outputs and
    parameters (``module.port``) whose values are written beside it ``every_hz`` times a second. ``broadcast``: title,
    seed, date and loudness are written into WAV files. ``checks``: clicks, cut ends, seams, silence and DC are flagged
    beside a loudness and a peak that were missed.
    """

    title: str = _text(tr("Render"), tr("Title"))
    of: str = _choice("patch", tr("Of"), "patch", "take", "range", "last")
    what: str = _choice("mix", tr("What"), "mix", "layer", "stems", "hits")
    layer: str = _text("", tr("Layer"))
    module: str = _text("", tr("Module"))
    effects: str = _choice("with", tr("Effect lanes"), "with", "apart", "without")
    seeds: tuple[int, ...] = ()
    variations: int = _number(1, tr("Variations"), 1, MOST_FILES)
    spread: float = _number(0.0, tr("Spread"), 0.0, 1.0)
    spread_kinds: tuple[str, ...] = ()
    spread_modules: tuple[str, ...] = ()
    start_s: float = _number(0.0, tr("Start"), 0.0, MOST_SECONDS, "s")
    seconds: float = _number(60.0, tr("Length"), 0.001, MOST_SECONDS, "s")
    bars: float = _number(0.0, tr("Length in bars"), 0.0, 10_000.0)
    ends: str = _choice("cut", tr("Ends"), "cut", "silence", "loop")
    loop: str = _choice("best", tr("Loop by"), "best", "period", "fold", "crossfade")
    fold_s: float = _number(0.5, tr("Fold ends"), 0.01, 60.0, "s")
    search_s: float = _number(1.0, tr("Length may differ by"), 0.0, 600.0, "s")
    fade_in_s: float = _number(0.0, tr("Fade in"), 0.0, 600.0, "s")
    fade_out_s: float = _number(0.0, tr("Fade out"), 0.0, 600.0, "s")
    trim_db: float | None = _maybe(None, tr("Trim ends"), -120.0, -20.0, "dB")
    loudness: str = _choice("as it is", tr("Loudness"), "as it is", "each file", "whole set")
    lufs: float = _number(-23.0, tr("Loudness"), -60.0, 0.0, "LUFS")
    peak_db: float = _number(-1.0, tr("Peak"), -24.0, 0.0, "dBTP")
    limit: bool = True
    layout: str = _choice("patch", tr("Channels"), "patch", "mono", *(layout.id for layout in LAYOUTS))
    formats: tuple[str, ...] = ("wav",)
    rate_hz: int = _number(48000, tr("Rate"), 8000, 192_000, "Hz")
    depth: str = _choice("24", tr("Depth"), "16", "24", "32f")
    name: str = _text("{title}", tr("File name"))
    folder: str = _text("", tr("Folder"))
    existing: str = _choice("ask", tr("Existing files"), "ask", "replace", "number", "skip")
    broadcast: bool = False
    events: str = _choice("none", tr("Events"), "none", "mid", "csv")
    movements: tuple[str, ...] = ()
    every_hz: float = _number(50.0, tr("Movements a second"), 0.01, 3000.0, "Hz")
    artist: str = _text("", tr("Made by"))
    comment: str = _text("", tr("Comment"))
    checks: bool = False
    most_clicks: int = _number(0, tr("Clicks"), 0, 1_000_000)
    most_off_lu: float = _number(0.5, tr("Loudness may be off by"), 0.0, 60.0)
    most_silence_s: float = _number(3.0, tr("Silence at the ends"), 0.0, MOST_SECONDS, "s")

    def length_s(self, tempo_bpm: float) -> float:
        """Seconds of the file, of the bars where they are set."""
        return self.bars * 240.0 / tempo_bpm if self.bars else self.seconds

    def seeds_of(self, patch: Patch) -> tuple[int, ...]:
        """The seeds of its files."""
        return self.seeds or tuple((patch.seed + k) % 2**32 for k in range(self.variations))

    def checked(self) -> Job:
        """This job, if it can be done; raises ParameterError with the setting and what it may be."""
        for name, entry in settings().items():
            _check(name, entry, getattr(self, name))
        if len(self.seeds) > MOST_FILES:
            raise ParameterError(tr("a job makes at most {MOST_FILES} files; got {count} seeds",
                                    MOST_FILES=MOST_FILES, count=len(self.seeds)))  # fmt: skip
        bad = [seed for seed in self.seeds if not 0 <= seed < 2**32]
        if bad:
            raise ParameterError(tr("a seed must be 0 to {value}; got {bad}", value=2**32 - 1, bad=bad[0]))
        if len(set(self.seeds)) != len(self.seeds):
            raise ParameterError(tr("a seed appears twice among the seeds of the job"))
        wrong = [kind for kind in self.spread_kinds if kind not in KINDS]
        if wrong:
            raise ParameterError(
                tr("spread_kinds must be some of {listed}; got {wrong}", listed=", ".join(KINDS), wrong=wrong[0])
            )
        if self.spread and self.of != "patch":
            raise ParameterError(tr("values are spread around a patch, not around a take"))
        if not self.formats or any(kind not in FORMATS for kind in self.formats):
            raise ParameterError(tr("formats must be one or more of {listed}; got {listed_2}",
                                    listed=", ".join(FORMATS), listed_2=", ".join(self.formats)))  # fmt: skip
        if "opus" in self.formats and self.rate_hz != 48000:
            raise ParameterError(tr("Opus files have 48000 Hz; got {rate_hz}", rate_hz=self.rate_hz))
        if (self.events != "none" or self.movements) and (self.ends == "loop" or self.what == "hits"):
            raise ParameterError(tr("events and movements are written for whole sounds, not for loops or hits"))
        if self.loudness == "whole set" and self.what not in ("stems", "hits"):
            raise ParameterError(tr('"whole set" is for stems and hits; variations are matched with "each file"'))
        return self


@dataclass(frozen=True)
class Source:
    """What is rendered: a take, or a patch as a take without entries."""

    take: Take

    @staticmethod
    def of(what: Patch | Take) -> Source:
        """Of a patch or a take."""
        return Source(what if isinstance(what, Take) else Take(what))

    @property
    def patch(self) -> Patch:
        """The patch at its start."""
        return self.take.start

    @property
    def hears(self) -> bool:
        """Whether there is a recording of the live input."""
        return any(isinstance(entry.what, Heard) for entry in self.take.sounding)

    def with_live(self, recording: str) -> Source:
        """The same with another live input.

        Parameters
        ----------
        recording : str
            Path of a mono sound file, heard from the start on.

        Returns
        -------
        Source
        """
        others = tuple(entry for entry in self.take.entries if not isinstance(entry.what, Heard))
        return Source(replace(self.take, entries=(Entry(0, Heard(recording)), *others)))

    def for_file(self, job: Job, seed: int) -> Source:
        """What a file of a job is of: the same with another seed, or the variation of this number where values are
        spread.

        Parameters
        ----------
        job : Job
            The settings.
        seed : int
            One of the job's seeds.

        Returns
        -------
        Source
        """
        if not job.spread:
            return self.with_seed(seed)
        patch = self.patch
        modules = [m.id for m in patch.modules() if not job.spread_modules or m.id in job.spread_modules]
        made = varied(patch, modules, job.spread, job.spread_kinds or KINDS, seed=seed)
        return Source(replace(self.take, start=made))

    def with_seed(self, seed: int) -> Source:
        """The same with another seed."""
        return Source(replace(self.take, start=replace(self.patch, seed=seed)))


def settings() -> dict[str, Setting]:
    """What each setting of a job may be, by its field; lists are checked apart."""
    return {entry.name: entry.metadata["setting"] for entry in fields(Job) if "setting" in entry.metadata}


def _check(name: str, entry: Setting, value: object) -> None:
    if value is None and entry.may_be_none:
        return
    if entry.choices and value not in entry.choices:
        raise ParameterError(tr('{name} must be one of {listed}; got "{value}"', name=name, listed=", ".join(map(str,
                                entry.choices)), value=value))  # fmt: skip
    if isinstance(value, int | float) and not entry.choices and not entry.low <= value <= entry.high:
        raise ParameterError(
            tr("{name} must be {allowed}; got {value:g}", name=name, value=max(min(value, 1e300), -1e300),
               allowed=range_told(f"{entry.low:g}", f"{entry.high:g} {entry.unit}".rstrip()))
        )  # fmt: skip
    if isinstance(value, str) and not all(letter.isprintable() for letter in value):
        raise ParameterError(tr("{name} must be text of one line without control characters", name=name))


def raw_job(job: Job) -> dict[str, object]:
    """The settings that differ from the usual ones, as a file has them.

    Parameters
    ----------
    job : Job
        The settings.

    Returns
    -------
    dict of str to object
    """
    values = {entry.name: getattr(job, entry.name) for entry in fields(Job)}
    return {
        entry.name: list(values[entry.name]) if isinstance(values[entry.name], tuple) else values[entry.name]
        for entry in fields(Job)
        if values[entry.name] != entry.default
    }


def job_from(raw: Mapping[str, object], place: str, base: Job | None = None) -> Job:
    """A job of a file's object; what it leaves out stays as in ``base``, or as usual.

    Parameters
    ----------
    raw : mapping
        Settings by name.
    place : str
        Where the object stands in the file.
    base : Job, optional
        A preset.

    Returns
    -------
    Job

    Raises
    ------
    PatchError
        If a setting is of another kind.
    ParameterError
        If there is no such setting, or its value is not allowed.
    """
    known = {entry.name: entry for entry in fields(Job)}
    for name in raw:
        if name not in known:
            close = difflib.get_close_matches(name, known, 1)
            raise ParameterError(
                tr('{place}: there is no setting "{name}"; did you mean "{close}"?', place=place, name=name,
                   close=close[0])
                if close else tr('{place}: there is no setting "{name}"', place=place, name=name)
            )  # fmt: skip
    values = {name: _read(raw, known[name], place) for name in raw}
    return replace(base or Job(), **values).checked()  # type: ignore[arg-type]


def _read(raw: Mapping[str, object], entry: Field[Any], place: str) -> object:
    name, held = entry.name, dict(raw)
    if name == "seeds":
        items = get(held, name, list, place)
        return tuple(get({f"{k}": item}, f"{k}", int, f"{place}.{name}") for k, item in enumerate(items))
    if name in ("formats", "movements", "spread_kinds", "spread_modules"):
        return tuple(texts(held, name, place))
    setting = entry.metadata.get("setting")
    if held[name] is None and setting is not None and setting.may_be_none:
        return None
    kind = float if entry.default is None else type(entry.default)
    return get(held, name, kind, place)
