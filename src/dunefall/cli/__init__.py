"""The command line: the window, and everything that works without one."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from dunefall import __version__
from dunefall.base.caches import trouble_of_caches
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr, tr_count
from dunefall.base.words import listed
from dunefall.cli.desktop import add_desktop, run_desktop
from dunefall.cli.doctor import add_doctor, run_doctor
from dunefall.cli.library import add_library, run_library
from dunefall.cli.options import PATCH_HELP, Parser, layer_named, seconds_of
from dunefall.cli.render import add_remake, add_render, run_remake, run_render
from dunefall.cli.survey import add_survey, run_survey
from dunefall.cli.thumbnail import add_thumbnail, run_thumbnail
from dunefall.cli.vary import add_compare, add_vary, run_compare, run_vary
from dunefall.patch.take import Take
from dunefall.patch.takefiles import TAKE_SUFFIX

__all__ = ["COMMANDS", "main", "manual_parser"]

COMMANDS = (
    "render", "remake", "vary", "compare", "survey", "modules", "starters", "story", "check", "library", "doctor",
    "desktop", "thumbnail", "completion",
)  # fmt: skip


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit status: 0, 2 with one clear line on stderr, or 3 where a file
    missed its limits."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    try:
        if words and words[0] in COMMANDS:
            return _run_command(words)
        return _open_window(words)
    except DunefallError as error:
        print(f"dunefall: {error}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("dunefall: stopped", file=sys.stderr)
        return 130
    except BrokenPipeError:
        sys.stdout = open(os.devnull, "w")  # noqa: SIM115
        return 0


def _window_parser() -> Parser:
    parser = Parser(
        prog="dunefall",
        description=tr("Soundscapes that keep changing with nobody playing. Without a command it opens the window."),
        epilog=tr("Commands without a window: {listed}. Each has its own --help.", listed=", ".join(COMMANDS)),
    )
    parser.add_argument("patch", nargs="?", metavar="PATCH", help=PATCH_HELP)
    parser.add_argument("--demo", action="store_true", help=tr("open the shipped demo"))
    parser.add_argument(
        "--theme", choices=("noon", "dusk"), help=tr("light or dark; default: what the desktop asks for")
    )
    parser.add_argument("--audio", metavar="auto|simulated|NAME", help=tr("the sound device"))
    parser.add_argument("--live", metavar="auto|simulated|NAME", help=tr("the live input"))
    parser.add_argument("--keys", metavar="auto|none|simulated|NAME", help=tr("the MIDI keyboard"))
    parser.add_argument("--midi-out", metavar="none|simulated|NAME", help=tr("where notes and controllers go"))
    parser.add_argument("--osc-out", metavar="HOST:PORT", type=_destination, help=tr("where Open Sound Control goes"))
    parser.add_argument(
        "--workspace", metavar="NAME", help=tr("the workspace to open: build, mix, vary, survey, render")
    )
    parser.add_argument(
        "--osc", type=int, metavar="PORT", help=tr("listen to other programs on this machine (Open Sound Control)")
    )
    parser.add_argument(
        "--screenshot", type=Path, metavar="FILE", help=tr("save a picture of the window once it is stable")
    )
    parser.add_argument(
        "--quit-after",
        type=seconds_of,
        metavar="SECONDS",
        help=tr("quit after this many seconds; 0: after the first sound"),
    )
    parser.add_argument("--version", action="version", version=tr("dunefall {version}", version=__version__))
    return parser


def _destination(text: str) -> str:
    """Where Open Sound Control goes, if it can go there."""
    from dunefall.engine.devices.osc import destination

    destination(text)
    return text


def manual_parser() -> Parser:
    """All of it in one parser, for the manual page: the window's options, and every command."""
    parser = _window_parser()
    parser.epilog = None
    _add_commands(parser)
    return parser


def _open_window(words: list[str]) -> int:
    options = _window_parser().parse_args(words)
    from dunefall.app.shell.start import open_window

    return open_window(options)


def _run_command(words: list[str]) -> int:
    parser = Parser(prog="dunefall")
    _add_commands(parser)
    options = parser.parse_args(words)
    run = {
        "render": run_render, "remake": run_remake, "modules": _modules, "starters": _starters, "story": _story,
        "check": _check, "library": run_library, "completion": _completion, "vary": run_vary, "compare": run_compare,
        "survey": run_survey, "doctor": run_doctor,
        "desktop": run_desktop, "thumbnail": run_thumbnail,
    }  # fmt: skip
    try:
        return run[options.command](options)
    finally:
        if trouble := trouble_of_caches():
            print(f"dunefall: {trouble}", file=sys.stderr)


def _add_commands(parser: Parser) -> None:
    commands = parser.add_subparsers(dest="command", required=True, parser_class=Parser, prog="dunefall")
    add_render(commands)
    add_remake(commands)
    add_vary(commands)
    add_compare(commands)
    add_survey(commands)
    for name, what in (("modules", tr("list the module catalogue")), ("starters", tr("list the starters"))):
        lister = commands.add_parser(name, help=what, epilog=tr("example: dunefall {name} --json", name=name))
        lister.add_argument("--json", action="store_true", help=tr("as JSON"))
    story = commands.add_parser(
        "story", help=tr("say what a patch does"), epilog=tr("example: dunefall story demo: 'Drip line'")
    )
    story.add_argument(
        "patch",
        metavar="PATCH",
        help=tr("{PATCH_HELP}; or a take ({TAKE_SUFFIX})", PATCH_HELP=PATCH_HELP, TAKE_SUFFIX=TAKE_SUFFIX),
    )
    story.add_argument("layer", nargs="?", metavar="LAYER", help=tr("only this layer, by name or id"))
    check = commands.add_parser(
        "check", help=tr("say what is wrong with a patch, and where"), epilog=tr("example: dunefall check my.dunefall")
    )
    check.add_argument(
        "patch",
        metavar="PATCH",
        help=tr("{PATCH_HELP}; or a take ({TAKE_SUFFIX})", PATCH_HELP=PATCH_HELP, TAKE_SUFFIX=TAKE_SUFFIX),
    )
    add_library(commands)
    add_doctor(commands)
    add_desktop(commands)
    add_thumbnail(commands)
    completion = commands.add_parser(
        "completion", help=tr("print the completion script of a shell"), epilog=tr("example: dunefall completion bash")
    )
    completion.add_argument("shell", choices=("bash", "zsh", "tcsh", "fish"), help=tr("your shell"))


def _modules(options: argparse.Namespace) -> int:
    from dunefall.catalogue import catalogue

    specs = catalogue().values()
    if not options.json:
        for spec in specs:
            print(f"{spec.id:15} {spec.stage:7} {spec.name}: {spec.sentence}")
        return 0
    entries: list[dict[str, object]] = [
        {
            "id": spec.id,
            "name": spec.name,
            "stage": spec.stage,
            "sentence": spec.sentence,
            "inputs": [{"id": port.id, "name": port.name, "role": port.role} for port in spec.inputs],
            "outputs": [{"id": port.id, "name": port.name, "role": port.role} for port in spec.outputs],
            "series": [
                {"id": s.id, "name": s.name, "unit": s.unit, "least": s.least, "most": s.most,
                 "range": s.choices or (s.low, s.high)}
                for s in spec.series
            ],
            "parameters": [
                {
                    "id": param.id, "name": param.name, "unit": param.unit, "low": param.low, "high": param.high,
                    "default": param.default, **({"choices": list(param.choices)} if param.choices else {}),
                }
                for param in spec.params if not param.follows
            ],
        }
        for spec in specs
    ]  # fmt: skip
    print(json.dumps(entries, indent=1, ensure_ascii=False))
    return 0


def _starters(options: argparse.Namespace) -> int:
    from dunefall.catalogue.story import patch_story
    from dunefall.patch.files import load_patch
    from dunefall.patch.library import starters

    patches = {name: load_patch(path) for name, path in starters().items()}
    if options.json:
        print(
            json.dumps([{"name": n, "title": p.title, "story": patch_story(p)} for n, p in patches.items()], indent=1)
        )
    else:
        for name, patch in patches.items():
            count = len(list(patch.modules()))
            told = tr_count("{count} module", "{count} modules", count)
            print(f"{name:15} {tr(patch.title)}: {told}")
    return 0


def _story(options: argparse.Namespace) -> int:
    from dunefall.catalogue.story import layer_story, patch_story
    from dunefall.session import open_patch, open_take

    if options.patch.endswith(TAKE_SUFFIX):
        take = open_take(Path(options.patch))
        patch = take.start
        print(_take_told(take))
    else:
        patch, _ = open_patch(options.patch)
    if options.layer is None:
        print(patch_story(patch))
        return 0
    print(layer_story(patch, layer_named(patch, options.layer)))
    return 0


def _take_told(take: Take) -> str:
    """A take in a sentence: how much was done in it, and until when."""
    kinds = Counter(type(entry.what).__name__ for entry in take.entries)
    names = {
        "Edit": tr_count("{count} edit", "{count} edits", kinds["Edit"]),
        "Note": tr_count("{count} note", "{count} notes", kinds["Note"]),
        "Press": tr_count("{count} press", "{count} presses", kinds["Press"]),
        "Clear": tr_count("{count} clearing", "{count} clearings", kinds["Clear"]),
        "Heard": tr_count("{count} recording", "{count} recordings", kinds["Heard"]),
    }
    told = [text for kind, text in names.items() if kinds[kind]]
    if not told:
        return tr("A take in which nothing was done by hand. It begins with this patch:")
    last = take.entries[-1].at / take.rate_hz
    return tr(
        "A take with {listed}, the last at {last:.1f} s. It begins with this patch:", listed=", ".join(told), last=last
    )


def _completion(options: argparse.Namespace) -> int:
    import shtab

    parser = Parser(prog="dunefall")
    _add_commands(parser)
    print(shtab.complete(parser, options.shell))
    return 0


def _check(options: argparse.Namespace) -> int:
    from dunefall.catalogue.doubts import doubts, doubts_of_take
    from dunefall.compiler.sounds import import_sounds
    from dunefall.session import open_patch, open_take

    if options.patch.endswith(TAKE_SUFFIX):
        take = open_take(Path(options.patch))
        patch, found = take.start, doubts_of_take(take)
    else:
        take, (patch, _) = None, open_patch(options.patch)
        found = doubts(patch)
    for trouble in (*import_sounds(patch, alone=True), *found):
        print(tr("note: {trouble}", trouble=trouble))
    parts = [
        tr_count("{count} layer", "{count} layers", len(patch.layers)),
        tr_count("{count} module", "{count} modules", len(list(patch.modules()))),
    ]
    parts.append(tr_count("{count} link", "{count} links", len(patch.links)))
    if take is not None:
        parts.append(tr_count("{count} entry in its journal", "{count} entries in its journal", len(take.entries)))
    told = [tr("{title}: good, with {parts}", title=patch.title, parts=listed(parts))]
    told += [tr_count("{count} note", "{count} notes", len(found))] if found else []
    print("; ".join(told))
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
