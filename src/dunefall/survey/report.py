"""What was found, as objects for JSON, and as lines for people."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from dunefall.base.language import tr
from dunefall.base.words import time_told
from dunefall.catalogue.repeats import repeat_of_layer, repeat_of_patch
from dunefall.survey.findings import Finding, View
from dunefall.survey.judging import judged
from dunefall.survey.likeness import Alike, Period, alike_stretches, course_of, period_of
from dunefall.survey.numbers import LayerNumbers, Numbers, numbers_of

__all__ = ["Report", "lines_of", "raw_report", "report_of", "table_of"]

MOST_ALIKE = 3


@dataclass(frozen=True)
class Report:
    """All that is said of a patch.

    Attributes
    ----------
    findings : tuple of Finding
    period : Period or None
        Told by the sound.
    alike : tuple of Alike
    exact : dict of str to str
        What the declarations say: of the patch ("") and of each layer by its name.
    numbers : Numbers
    """

    findings: tuple[Finding, ...]
    period: Period | None
    alike: tuple[Alike, ...]
    exact: dict[str, str]
    numbers: Numbers

    @property
    def errors(self) -> int:
        """How many findings are errors."""
        return sum(finding.error for finding in self.findings)


def report_of(view: View) -> Report:
    """Judge what is known.

    Parameters
    ----------
    view : View
        What is known.

    Returns
    -------
    Report
    """
    course, frame_s = course_of(view)
    patch, tempo = view.patch, view.patch.tempo_bpm
    exact = {"": repeat_of_patch(patch).told(tempo, tr("The patch"))}
    exact |= {layer.name: repeat_of_layer(patch, layer.id).told(tempo, layer.name) for layer in view.layers}
    period, alike = period_of(course, frame_s), alike_stretches(course, frame_s, view.time_of(0))
    return Report(tuple(judged(view)), period, tuple(alike), exact, numbers_of(view))


def raw_report(report: Report, view: View) -> dict[str, object]:
    """Objects and lists: ``findings``, ``repeats`` and ``numbers``.

    Parameters
    ----------
    report : Report
        What was found.
    view : View
        Names and rate.

    Returns
    -------
    dict
    """
    rate = view.rate_hz
    return {
        "findings": [
            {
                "kind": one.kind, "text": one.text, "why": one.why, "error": one.error,
                "at_s": [round(at / rate, 3) for at in one.times],
                "until_s": round(one.until / rate, 3) if one.until else None,
                "modules": [view.name(module) for module in one.modules], "ids": list(one.modules),
                "cure": one.cure.text if one.cure else None,
            }
            for one in report.findings
        ],
        "repeats": {
            "exact": report.exact[""],
            "layers": {name: told for name, told in report.exact.items() if name},
            "by_sound_s": round(report.period.seconds, 3) if report.period else None,
            "alike": [
                {"first_s": round(a.first_s, 1), "second_s": round(a.second_s, 1), "likeness": round(a.likeness, 3)}
                for a in report.alike
            ],
        },
        "numbers": {
            "seconds": round(report.numbers.seconds, 3), "lufs": _number(report.numbers.lufs),
            "range_lu": _number(report.numbers.range_lu), "peak_dbtp": _number(report.numbers.peak_db),
            "layers": [_raw_layer(layer) for layer in report.numbers.layers],
        },
    }  # fmt: skip


def _number(value: float) -> float | None:
    """A number with two places, where it is one."""
    return round(value, 2) if abs(value) < 1e9 else None


def _raw_layer(layer: LayerNumbers) -> dict[str, object]:
    return {
        "layer": layer.name, "events": layer.events, "per_minute": round(layer.per_minute, 2), "least": layer.least,
        "most": layer.most, "heard": round(layer.heard, 3), "low_db": _number(layer.low_db),
        "high_db": _number(layer.high_db), "notes": layer.notes,
    }  # fmt: skip


def lines_of(report: Report, view: View) -> Iterator[str]:
    """The same as lines of text.

    Parameters
    ----------
    report : Report
        What was found.
    view : View
        Names and rate.

    Yields
    ------
    str
    """
    rate, numbers = view.rate_hz, report.numbers
    told = time_told(numbers.seconds)
    if not report.findings:
        yield tr("No clicks, no clipping, no long silence in {told}.", told=told)
    for one in report.findings:
        times = ", ".join(time_told(at / rate) for at in one.times) if one.has_time else ""
        line = [f"{tr('error') if one.error else tr('note')}: {one.text}.", one.why]
        line += [tr("At {times}.", times=times)] if times else []
        line += [f"({one.cure.text})"] if one.cure else []
        yield " ".join(line)
    yield report.exact[""]
    if report.period is not None:
        yield tr("By its sound it repeats every {seconds:.1f} s.", seconds=report.period.seconds)
    for pair in report.alike[:MOST_ALIKE]:
        yield tr("{time_told} and {time_told_2} are alike, {likeness:.0f} %.", time_told=time_told(pair.first_s),
                 time_told_2=time_told(pair.second_s), likeness=100 * pair.likeness)  # fmt: skip
    loud = tr("Loudness {lufs:.1f} LUFS, range {range_lu:.1f} LU", lufs=numbers.lufs, range_lu=numbers.range_lu)
    yield tr("{loud}, true peak {peak_db:.1f} dBTP in {told}.", loud=loud if abs(numbers.lufs) < 1e9 else tr("Silence"),
             peak_db=numbers.peak_db, told=told)  # fmt: skip
    for layer in numbers.layers:
        often = tr("{per_minute:.1f} a minute ({least} to {most})", per_minute=layer.per_minute, least=layer.least,
                   most=layer.most)  # fmt: skip
        events = often if layer.triggered else tr("no triggers")
        yield tr(
            "{name}: {events}, heard {heard:.0f} % of the time", name=layer.name, events=events, heard=100 * layer.heard
        )


def table_of(numbers: Numbers) -> list[Sequence[object]]:
    """The numbers as rows of a table, its head first.

    Parameters
    ----------
    numbers : Numbers
        What was counted.

    Returns
    -------
    list of sequence
    """
    head = ("layer", "events", "per_minute", "least", "most", "heard_percent", "low_dbfs", "high_dbfs", "notes")
    rows: list[Sequence[object]] = [head]
    for layer in numbers.layers:
        notes = " ".join(f"{name}:{count}" for name, count in layer.notes.items())
        rows.append((
            layer.name, layer.events, f"{layer.per_minute:.2f}", layer.least, layer.most, f"{100 * layer.heard:.1f}",
            f"{layer.low_db:.1f}", f"{layer.high_db:.1f}", notes,
        ))  # fmt: skip
    return rows
