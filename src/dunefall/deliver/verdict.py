"""Whether a file is what the job asked for: what is wrong with it in a sentence, and one cure that can be applied."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from dunefall.base.language import tr
from dunefall.deliver.job import Job
from dunefall.deliver.levels import Reached
from dunefall.deliver.loops import Seam
from dunefall.deliver.measure import Measures
from dunefall.deliver.rendering import Click

__all__ = ["Finding", "Heard", "findings"]

SILENT_DB, DC_DB, CUT_DB, OVER_DB = -90.0, -24.0, -50.0, 0.05
GOES_ON_DB = 30.0
"""What ends less than this below its loudest does not fade away: it goes on."""
LONG_FOLD_S = 4.0
"""A tail that is still heard in the seam when so much is folded does not end: it is no tail."""


@dataclass(frozen=True)
class Finding:
    """What misses the job's limits.

    Attributes
    ----------
    text : str
        A sentence.
    cure : str
        What would be done about it, or empty.
    changes : dict
        The settings that the cure changes.
    """

    text: str
    cure: str = ""
    changes: dict[str, object] = field(default_factory=dict)


@dataclass(frozen=True)
class Heard:
    """What is known of a finished sound beside its figures.

    Attributes
    ----------
    end_db : float
        The loudest sample of the last 10 ms, in dBFS.
    ended : bool
        It had come to silence before the longest length.
    """

    clicks: Sequence[Click]
    reached: Reached
    seam: Seam | None
    end_db: float
    ended: bool


def _time(seconds: float) -> str:
    return f"{int(seconds // 60)}:{seconds % 60:05.2f}"


def findings(job: Job, measures: Measures, heard: Heard) -> tuple[Finding, ...]:
    """All that misses the limits, the worst first.

    Parameters
    ----------
    job : Job
        What was asked for.
    measures : Measures
        Of the file.
    heard : Heard
        What else is known.

    Returns
    -------
    tuple of Finding
    """
    if job.checks and measures.true_peak_db < SILENT_DB:
        return (Finding(tr("It is silent."), tr("Use another seed"), {"seed": "next"}),)
    found = []
    if job.checks and len(heard.clicks) > job.most_clicks:
        first, more = heard.clicks[0], len(heard.clicks) - 1
        text = tr("A click at {time} in {layer}", time=_time(first.at_s), layer=first.layer)
        text = tr("{text} and {count} more", text=text, count=more) if more else text
        text = f"{text}: {first.told}." if first.told else f"{text}."
        found.append(Finding(text, tr("Use another seed"), {"seed": "next"}))
    if job.loudness != "as it is" and heard.reached.missed:
        louder = tr("{lufs:g} LUFS cannot be reached: {missed}. It has {lufs_2:.1f} LUFS.", lufs=job.lufs,
                    missed=heard.reached.missed, lufs_2=heard.reached.lufs)  # fmt: skip
        changes: dict[str, object] = {"limit": True} if not job.limit else {"lufs": round(heard.reached.lufs - 0.5)}
        cure = (
            tr("Use the limiter") if not job.limit else tr("Ask for {lufs} LUFS", lufs=round(heard.reached.lufs - 0.5))
        )
        found.append(Finding(louder, cure, changes))
    elif job.loudness == "each file" and abs(measures.lufs - job.lufs) > job.most_off_lu:
        text = tr("It has {lufs:.1f} LUFS instead of {wanted:g}.", lufs=measures.lufs, wanted=float(job.lufs))
        found.append(Finding(text))
    if measures.true_peak_db > job.peak_db + OVER_DB and (job.limit or job.loudness != "as it is"):
        text = tr("Its true peak is {peak_db:.1f} dBTP; {allowed_db:g} were allowed.",
                  peak_db=measures.true_peak_db, allowed_db=float(job.peak_db))  # fmt: skip
        found.append(Finding(text))
    if job.checks:
        found += _of_the_ends(job, measures, heard)
    if job.checks and measures.dc_db > DC_DB:
        text = tr(
            "It has a DC offset of {dc_db:.0f} dBFS; put a high-pass at 10 Hz into the layer.", dc_db=measures.dc_db
        )
        found.append(Finding(text))
    return tuple(found)


def _of_the_ends(job: Job, measures: Measures, heard: Heard) -> list[Finding]:
    found = []
    if heard.seam is not None and not heard.seam.clean:
        what = tr("step {step_db:.0f} dB, loudness {loudness_lu:.1f} LU", step_db=heard.seam.step_db,
                  loudness_lu=heard.seam.loudness_lu)  # fmt: skip
        text = (
            tr("The seam may be heard ({what}).", what=what)
            if heard.seam.verdict == "check it"
            else tr("The seam is heard ({what}).", what=what)
        )
        twice = min(60.0, round(2.0 * job.fold_s, 2))
        cure = tr("Fold {twice:g} s instead of {fold_s:g} s", twice=twice, fold_s=job.fold_s)
        changes: dict[str, object] = {"fold_s": twice}
        if job.loop == "fold" and job.fold_s >= LONG_FOLD_S:
            cure, changes = tr("Crossfade instead"), {"loop": "crossfade"}
        found.append(Finding(text, cure, changes))
    if job.ends == "silence" and not heard.ended and heard.end_db > CUT_DB:
        text = tr("It still sounds at {end_db:.0f} dBFS when the longest length is over.", end_db=heard.end_db)
        longer: dict[str, object] = {"seconds": min(2 * job.seconds, 86_400.0), "bars": 0.0}
        if heard.end_db > measures.true_peak_db - GOES_ON_DB:
            found.append(Finding(text, tr("Cut it there, with a fade"), {"ends": "cut", "fade_out_s": 0.5}))
        else:
            found.append(Finding(text, tr("Allow {seconds:g} s", seconds=2 * job.seconds), longer))
    elif job.ends == "cut" and job.fade_out_s == 0.0 and heard.end_db > CUT_DB:
        text = tr("The end is cut off at {end_db:.0f} dBFS.", end_db=heard.end_db)
        found.append(Finding(text, tr("Fade out over 0.5 s"), {"fade_out_s": 0.5}))
    silence = max(measures.head_s, measures.tail_s)
    if silence > job.most_silence_s and job.ends != "loop":
        text = (
            tr("It begins with {silence:.1f} s of silence.", silence=silence)
            if measures.head_s == silence
            else tr("It ends with {silence:.1f} s of silence.", silence=silence)
        )
        found.append(Finding(text, tr("Trim ends at -60 dB"), {"trim_db": -60.0}))
    return found
