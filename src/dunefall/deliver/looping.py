"""Which way a loop is made, chosen by what the patch is, and said in words."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from dunefall.base.language import tr
from dunefall.catalogue.repeats import repeat_of_patch
from dunefall.deliver.job import Job, Source
from dunefall.deliver.levels import level_of
from dunefall.deliver.loops import best_length, crossfaded, folded, measure_seam
from dunefall.deliver.rendering import Disk, Ear, Rendered, rendered

__all__ = ["looped"]

Sound = NDArray[np.float64]
LONGEST_PERIOD = 4.0
"""A patch's own period is taken where it is no longer than so many times the length that was asked for."""
SAME_DB = -60.0
SAME_S = 0.5
SETTLE_S = 1.0
DIES_DB, DIES_PART = -50.0, 10
"""A tail has died away if its last tenth is so far below the loudest of the loop."""


def looped(job: Job, source: Source, stems: Sequence[str], disk: Disk, ear: Ear) -> tuple[Rendered, str]:
    """A sound, and all its stems alike, as a seamless loop; and how it was made.

    Parameters
    ----------
    job : Job
        What is asked for.
    source : Source
        What is rendered.
    stems : sequence of str
        Ids of layers that are wanted apart.
    disk : Disk
        Where the sound goes.
    ear : Ear
        Is told how far it is.

    Returns
    -------
    (Rendered, str)
    """
    rate, seconds = job.rate_hz, job.length_s(source.patch.tempo_bpm)
    if job.loop in ("best", "period") and not source.take.entries:
        found = _by_period(job, source, stems, disk, ear, seconds)
        if found is not None:
            return found
    why = tr("The patch has no period that can be used.") if job.loop == "period" else ""
    fade = min(round(job.fold_s * rate), round(0.5 * seconds * rate))
    length = round(seconds * rate)
    around = round(min(job.search_s, 0.5 * seconds) * rate)
    start = job.start_s + (SETTLE_S if job.start_s == 0.0 else 0.0)
    raw = rendered(
        source, disk, rate=rate, seconds=(length + around + fade) / rate, start_s=start, stems=stems, ear=ear
    )
    whole = _whole(raw)
    if job.loop in ("best", "fold") and _dies(whole, length, fade):
        found = _folded(job, source, stems, disk, ear, length, fade)
        if found is not None:
            return found
    if job.loop == "fold":
        why = tr("A fold of {fold_s:g} s would be heard.", fold_s=job.fold_s)
    best = best_length(whole, length, around, fade, rate)
    told = tr("Crossfaded over {fade_s:.2g} s at {at_s:.2f} s, where it is most like its start.", fade_s=fade / rate,
              at_s=best / rate)  # fmt: skip
    return _all(raw, lambda sound: crossfaded(sound, best, fade)), " ".join(filter(None, (why, told)))


def _whole(raw: Rendered) -> Sound:
    """What is heard: the mix, or all that is rendered apart."""
    return np.asarray(sum(raw.stems.values(), np.zeros(raw.mix.shape)) if raw.stems else raw.mix)


def _dies(whole: Sound, length: int, fade: int) -> bool:
    """Whether what sounds behind the end has died away where the tail ends: a fold of anything else is heard."""
    last = whole[length + fade - max(1, fade // DIES_PART) : length + fade]
    return float(np.abs(last).max(initial=0.0)) <= level_of(DIES_DB) * float(np.abs(whole[:length]).max(initial=0.0))


def _folded(
    job: Job, source: Source, stems: Sequence[str], disk: Disk, ear: Ear, length: int, fade: int
) -> tuple[Rendered, str] | None:
    """From the very start, with the tail over it; None where it does not die away, or would be heard all the same."""
    rate = job.rate_hz
    raw = rendered(source, disk, rate=rate, seconds=(length + fade) / rate, start_s=job.start_s, stems=stems, ear=ear)
    if not _dies(_whole(raw), length, fade):
        return None
    loop = _all(raw, lambda sound: folded(sound, length))
    if not measure_seam(_whole(loop), rate, source.patch.seed).clean:
        return None
    return loop, tr("{rate:.2g} s behind the end are folded over the start.", rate=fade / rate)


def _all(raw: Rendered, change: Callable[[Sound], Sound]) -> Rendered:
    return Rendered(change(raw.mix), {name: change(stem) for name, stem in raw.stems.items()}, raw.clicks, True)


def _by_period(
    job: Job, source: Source, stems: Sequence[str], disk: Disk, ear: Ear, seconds: float
) -> tuple[Rendered, str] | None:
    """As many whole periods as fit best; the second time round, when all that was started has settled. None where the
    patch does not repeat, or does not sound the same when it does."""
    period = repeat_of_patch(source.patch)
    if not period.seconds or period.noises or float(period.seconds) > LONGEST_PERIOD * seconds:
        return None
    count = max(1, round(seconds / float(period.seconds)))
    exact, rate = float(period.seconds) * count, job.rate_hz
    length = round(exact * rate)
    settle = exact * max(1, round(SETTLE_S / exact + 0.5))
    raw = rendered(
        source, disk, rate=rate, seconds=(length + round(SAME_S * rate)) / rate, start_s=job.start_s + settle,
        stems=stems, ear=ear,
    )  # fmt: skip
    again, first = np.asarray(raw.mix[length:]), np.asarray(raw.mix[: len(raw.mix) - length])
    apart = float(np.abs(again - first).max(initial=0.0))
    if apart > level_of(SAME_DB) * max(float(np.abs(raw.mix).max(initial=0.0)), 1e-9):
        return None
    times = tr("its period") if count == 1 else tr("{count} of its periods", count=count)
    return _all(raw, lambda sound: np.array(sound[:length])), tr(
        "The patch repeats: {times}, {exact:.3f} s, exactly.", times=times, exact=exact
    )
