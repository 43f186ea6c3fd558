"""``dunefall survey``: what a patch will do in the next minutes, and what is wrong with it."""

from __future__ import annotations

import argparse
import csv
import json
import sys
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path
from typing import Any, TypeVar

from dunefall.base.errors import ParameterError, PatchError
from dunefall.base.language import tr, tr_count
from dunefall.cli.options import PATCH_HELP

__all__ = ["add_survey", "run_survey"]

FLAGGED = 3
USUAL_MINUTES, MOST_MINUTES = 20.0, 120.0
T = TypeVar("T")


class Here:
    """Does at once, in this process, what workers do elsewhere."""

    def submit(self, what: Callable[..., T], *given: Any) -> Future[T]:
        """Do it."""
        done: Future[T] = Future()
        done.set_result(what(*given))
        return done

    def close(self, at_once: bool = False) -> None:
        """Nothing is left to end."""


def add_survey(commands: Any) -> None:
    """Declare ``dunefall survey``.

    Parameters
    ----------
    commands : argparse subparsers
        Where the command is added.
    """
    parser = commands.add_parser(
        "survey", help=tr("say what a patch will do in the next minutes: findings, repeats, numbers"),
        epilog=tr("exit status: 0, or 3 where something was found that should not be handed over. "
               "example: dunefall survey demo: --minutes 20 --lufs -20"),
    )  # fmt: skip
    parser.add_argument("patch", metavar="PATCH", help=tr("{PATCH_HELP}; or a take", PATCH_HELP=PATCH_HELP))
    parser.add_argument(
        "--minutes", type=float, default=USUAL_MINUTES, metavar="M", help=tr("look so far ahead, up to 120 (20)")
    )
    parser.add_argument("--seed", type=int, metavar="N", help=tr("another seed than the patch's"))
    parser.add_argument(
        "--lufs", type=float, metavar="L", help=tr("the loudness that is wanted; off by 2 LU is an error")
    )
    parser.add_argument("--peak", type=float, default=-1.0, metavar="P", help=tr("highest true peak in dBTP (-1)"))
    parser.add_argument(
        "--quiet", type=float, default=28.0, metavar="S", help=tr("longest quiet stretch in seconds (28)")
    )
    parser.add_argument("--json", action="store_true", help=tr("as JSON: findings, repeats, numbers"))
    parser.add_argument("--csv", type=Path, metavar="FILE", help=tr("write the numbers of all layers as a table"))


def _take_of(options: argparse.Namespace) -> Any:
    from dataclasses import replace

    from dunefall.patch.take import Take
    from dunefall.patch.takefiles import TAKE_SUFFIX
    from dunefall.session import open_patch, open_take

    take = open_take(Path(options.patch)) if options.patch.endswith(TAKE_SUFFIX) else Take(open_patch(options.patch)[0])
    if options.seed is not None:
        if not 0 <= options.seed < 2**32:
            raise ParameterError(tr("--seed must be 0 to {value}; got {seed}", value=2**32 - 1, seed=options.seed))
        take = replace(take, start=replace(take.start, seed=options.seed))
    return take


def _check(options: argparse.Namespace) -> None:
    for name, value, low, high in (
        ("--minutes", options.minutes, 0.05, MOST_MINUTES), ("--peak", options.peak, -60.0, 24.0),
        ("--quiet", options.quiet, 1.0, 7200.0), ("--lufs", options.lufs, -60.0, 0.0),
    ):  # fmt: skip
        if value is not None and not low <= value <= high:
            raise ParameterError(
                tr("{name} must be {low:g} to {high:g}; got {value:g}", name=name, low=low, high=high, value=value)
            )


def run_survey(options: argparse.Namespace) -> int:
    """Look ahead and say what was found; returns the exit status.

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
    from dunefall.base.storage import whole
    from dunefall.compiler.team import threads_here
    from dunefall.render.threads import render_with
    from dunefall.survey.findings import Limits, View
    from dunefall.survey.outlook import Outlook
    from dunefall.survey.report import lines_of, raw_report, report_of, table_of

    _check(options)
    take = _take_of(options)
    render_with(threads_here())
    outlook = Outlook(Here(), keeps_sound=False)
    outlook.wait = True
    try:
        outlook.look(take, 60.0 * options.minutes)
        outlook.finish(_show)
        if outlook.trouble:
            raise PatchError(outlook.trouble.rstrip("."))
        view = View(outlook, take.patch_at(1 << 62), Limits(options.lufs, 2.0, options.peak, options.quiet))
        report = report_of(view)
    finally:
        _show(None)
        outlook.close()
        render_with(1)
    if options.csv is not None:
        with whole(options.csv) as part, part.open("w", newline="", encoding="utf-8") as lines:
            csv.writer(lines).writerows(table_of(report.numbers))
    if options.json:
        print(json.dumps(raw_report(report, view), indent=1, ensure_ascii=False))
    else:
        for line in lines_of(report, view):
            print(line)
        if report.errors:
            print(tr_count("{count} error found", "{count} errors found", report.errors), file=sys.stderr)
    return FLAGGED if report.errors else 0


def _show(share: float | None) -> None:
    """Progress, on a terminal only."""
    if sys.stderr.isatty():
        bar = (
            ""
            if share is None
            else tr("{share:·<24} {share_2:4.0%} looked at", share="█" * round(24 * share), share_2=share)
        )
        print(f"\r{bar}\033[K", end="", file=sys.stderr)
