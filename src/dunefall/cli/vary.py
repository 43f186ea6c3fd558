"""``dunefall vary`` and ``dunefall compare``: a family of a sound, and what makes two of it differ."""

from __future__ import annotations

import argparse
import csv
import sys
from pathlib import Path
from typing import Any

from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.cli.options import PATCH_HELP, layer_named, seconds_of
from dunefall.patch.model import Patch

__all__ = ["add_compare", "add_vary", "run_compare", "run_vary"]

TABLE = "variations.csv"
LISTENED_S = 12.0
FIGURES = (
    "brightness_hz", "onsets_per_s", "lufs", "pitch_note", "decay_s", "flatness", "noisiness", "width_db", "roughness",
)  # fmt: skip


def add_vary(commands: Any) -> None:
    """Declare ``dunefall vary``.

    Parameters
    ----------
    commands : argparse subparsers
        Where the command is added.
    """
    parser = commands.add_parser(
        "vary", help=tr("write variations of a patch, and what each is like; layers that vary are listened to alone"),
        epilog=tr("example: dunefall vary demo: --layer 'Drip line' --count 12 --strength 0.35 --out family"),
    )  # fmt: skip
    parser.add_argument("patch", metavar="PATCH", help=PATCH_HELP)
    parser.add_argument(
        "--layer", metavar="NAME", action="append", help=tr("only this layer; may be given several times")
    )
    parser.add_argument("--count", type=int, default=12, metavar="N", help=tr("how many (12)"))
    parser.add_argument(
        "--strength", type=float, default=0.35, metavar="S", help=tr("how far values go, up to 1 (0.35)")
    )
    parser.add_argument(
        "--kinds", metavar="A,B", help=tr("kinds of values: pitch, rhythm, tone, space, chance, choices")
    )
    parser.add_argument("--seed", type=int, default=1, metavar="N", help=tr("the same seed gives the same files (1)"))
    _add_seconds(parser)
    parser.add_argument("--out", type=Path, required=True, metavar="FOLDER", help=tr("where they are written"))


def add_compare(commands: Any) -> None:
    """Declare ``dunefall compare``.

    Parameters
    ----------
    commands : argparse subparsers
        Where the command is added.
    """
    parser = commands.add_parser(
        "compare", help=tr("say what differs between two patches, by what is heard of it"),
        epilog=tr("example: dunefall compare demo: my.dunefall"),
    )  # fmt: skip
    parser.add_argument("before", metavar="A", help=PATCH_HELP)
    parser.add_argument("after", metavar="B", help=PATCH_HELP)
    _add_seconds(parser)


def _add_seconds(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--seconds", type=seconds_of, default=LISTENED_S, metavar="S", help=tr("listen so long to each (12)")
    )


def _modules_of(patch: Patch, layers: list[str] | None) -> list[str]:
    """Ids of the modules of some layers, or of all."""
    chosen = patch.layers if layers is None else [layer_named(patch, name) for name in layers]
    return [module.id for layer in chosen for module in layer.modules]


def _kinds_of(text: str | None) -> tuple[str, ...]:
    from dunefall.catalogue.varying import KINDS
    from dunefall.vary.variations import USUAL_KINDS

    if text is None:
        return USUAL_KINDS
    kinds = tuple(kind.strip() for kind in text.split(","))
    wrong = [kind for kind in kinds if kind not in KINDS]
    if wrong:
        raise ParameterError(
            tr('there is no kind "{wrong}"; there are {listed}', wrong=wrong[0], listed=", ".join(KINDS))
        )
    return kinds


def run_vary(options: argparse.Namespace) -> int:
    """Write the variations; returns the exit status.

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
    from dunefall.compiler.sounds import import_sounds
    from dunefall.deliver.names import clean
    from dunefall.patch.files import save_patch
    from dunefall.session import open_patch
    from dunefall.vary.variations import listened, variations

    parent, _ = open_patch(options.patch)
    modules, kinds = _modules_of(parent, options.layer), _kinds_of(options.kinds)
    made = list(variations(parent, modules, options.strength, kinds, seed=options.seed, count=options.count))
    files = [options.out / f"{clean(parent.title)} {one.number:04d}.dunefall" for one in made]
    for path in (*files, options.out / TABLE):
        if path.exists():
            raise ParameterError(
                tr("{path} is there already; choose another folder or seed, or move it away", path=path)
            )
    for trouble in import_sounds(parent):
        print(f"dunefall: {trouble}", file=sys.stderr)
    options.out.mkdir(parents=True, exist_ok=True)
    first, others = listened(parent, [one.patch for one in made], options.seconds, modules)
    with whole(options.out / TABLE) as part, part.open("w", newline="", encoding="utf-8") as lines:
        table = csv.writer(lines)
        table.writerow(("file", "number", "words", *FIGURES))
        table.writerow(("", "parent", "", *_figures(first.descriptors)))
        for one, path, heard in zip(made, files, others, strict=True):
            save_patch(one.patch, path)
            table.writerow((path.name, one.number, ", ".join(heard.words), *_figures(heard.descriptors)))
            print(f"{path.name}  {', '.join(heard.words)}", flush=True)
    return 0


def _figures(found: object) -> list[str]:
    return [f"{getattr(found, name):.4g}" for name in FIGURES]


def run_compare(options: argparse.Namespace) -> int:
    """Print what differs, what is heard most first; returns the exit status.

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
    from dunefall.compiler.sounds import import_sounds
    from dunefall.session import open_patch
    from dunefall.vary.differences import differences, effects

    before, after = (open_patch(name)[0] for name in (options.before, options.after))
    for trouble in (*import_sounds(before), *import_sounds(after)):
        print(f"dunefall: {trouble}", file=sys.stderr)
    found = differences(before, after)
    if not found:
        print(tr("nothing that is heard differs"))
        return 0
    heard = sorted(effects(before, found, options.seconds), key=lambda effect: -effect.size_db)
    where = max(len(effect.difference.where) for effect in heard)
    for effect in heard:
        one = effect.difference
        print(f"{one.where:{where}}  {one.before} → {one.after}  {effect.group}")
    return 0
