"""The command line: the window, and everything that works without one."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import NoReturn

from dunefall import __version__
from dunefall.base.errors import DunefallError
from dunefall.base.layouts import LAYOUTS

__all__ = ["main"]

PATCH_HELP = "a .dunefall file, demo: for the shipped demo, or starter:NAME"
LAYOUT_IDS = tuple(layout.id for layout in LAYOUTS)
COMMANDS = ("render", "modules", "starters", "story", "check", "completion")


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        print(f"{self.prog}: {message}; see {self.prog} --help", file=sys.stderr)
        raise SystemExit(2)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit status: 0, or 2 with one clear line on stderr."""
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


def _window_parser() -> _Parser:
    parser = _Parser(
        prog="dunefall",
        description="Soundscapes that keep changing with nobody playing. Without a command it opens the window.",
        epilog=f"Commands without a window: {', '.join(COMMANDS)}. Each has its own --help.",
    )
    parser.add_argument("patch", nargs="?", metavar="PATCH", help=PATCH_HELP)
    parser.add_argument("--demo", action="store_true", help="open the shipped demo")
    parser.add_argument("--theme", choices=("noon", "dusk"), help="light or dark; default: what the desktop asks for")
    parser.add_argument("--audio", metavar="auto|simulated|NAME", help="the sound device")
    parser.add_argument("--live", metavar="auto|simulated|NAME", help="the live input")
    parser.add_argument("--keys", metavar="auto|none|simulated|NAME", help="the MIDI keyboard")
    parser.add_argument("--workspace", metavar="NAME", help="the workspace to open: build, mix")
    parser.add_argument(
        "--osc", type=int, metavar="PORT", help="listen to other programs on this machine (Open Sound Control)"
    )
    parser.add_argument(
        "--screenshot", type=Path, metavar="FILE", help="save a picture of the window once it is stable"
    )
    parser.add_argument(
        "--quit-after", type=_seconds, metavar="SECONDS", help="quit after this many seconds; 0: after the first sound"
    )
    parser.add_argument("--version", action="version", version=f"dunefall {__version__}")
    return parser


def _seconds(text: str) -> float:
    value = float(text)
    if not 0 <= value < 1e7:
        raise ValueError
    return value


def _open_window(words: list[str]) -> int:
    options = _window_parser().parse_args(words)
    from dunefall.app.shell.start import open_window

    return open_window(options)


def _run_command(words: list[str]) -> int:
    parser = _Parser(prog="dunefall")
    _add_commands(parser)
    options = parser.parse_args(words)
    run = {
        "render": _render, "modules": _modules, "starters": _starters, "story": _story, "check": _check,
        "completion": _completion,
    }  # fmt: skip
    return run[options.command](options)


def _add_commands(parser: _Parser) -> None:
    commands = parser.add_subparsers(dest="command", required=True, parser_class=_Parser)
    render = commands.add_parser("render", help="render a patch or a take to a WAV file")
    render.add_argument("patch", metavar="PATCH", help=f"{PATCH_HELP}; or a take (.dunetake)")
    render.add_argument("--seconds", type=_seconds, required=True, help="length of the file")
    render.add_argument("--seed", type=int, help="a seed other than the patch's")
    render.add_argument("--layout", choices=LAYOUT_IDS, help="the loudspeakers; default: the patch's")
    render.add_argument("--rate", type=float, default=48000.0, metavar="HZ", help="sample rate, 8000 to 192000")
    render.add_argument(
        "--block", type=int, default=4096, metavar="N", help="frames at a time; never changes the result"
    )
    render.add_argument("--out", type=Path, required=True, metavar="FILE", help="the WAV file to write")
    for name, what in (("modules", "list the module catalogue"), ("starters", "list the starters")):
        commands.add_parser(name, help=what).add_argument("--json", action="store_true", help="as JSON")
    story = commands.add_parser("story", help="say what a patch does")
    story.add_argument("patch", metavar="PATCH", help=PATCH_HELP)
    story.add_argument("layer", nargs="?", metavar="LAYER", help="only this layer, by name or id")
    check = commands.add_parser("check", help="say what is wrong with a patch, and where")
    check.add_argument("patch", metavar="PATCH", help=PATCH_HELP)
    completion = commands.add_parser("completion", help="print the completion script of a shell")
    completion.add_argument("shell", choices=("bash", "zsh", "tcsh"), help="your shell")


def _render(options: argparse.Namespace) -> int:
    from dunefall.base.errors import ParameterError
    from dunefall.catalogue import catalogue
    from dunefall.compiler.sounds import import_sounds
    from dunefall.compiler.warmup import prepare
    from dunefall.patch.take import Take
    from dunefall.patch.takefiles import TAKE_SUFFIX
    from dunefall.render.offline import render_to_file
    from dunefall.session import open_patch, open_take

    is_take = options.patch.endswith(TAKE_SUFFIX)
    take = open_take(Path(options.patch)) if is_take else Take(open_patch(options.patch)[0])
    patch = take.start
    for trouble in {*import_sounds(patch), *import_sounds(take.patch_at(1 << 62))}:
        print(trouble, file=sys.stderr)
    if options.seed is not None:
        if not 0 <= options.seed < 2**32:
            raise ParameterError(f"--seed must be 0 to {2**32 - 1}; got {options.seed}")
        patch = replace(patch, seed=options.seed)
    if options.layout is not None:
        patch = replace(patch, layout=options.layout)
    take = replace(take, start=patch)
    show = sys.stderr.isatty()

    def prepared(done: int, total: int, name: str) -> None:
        if show and name:
            print(f"\rpreparing the engine: {done + 1} of {total} ({name})\033[K", end="", file=sys.stderr)

    def progress(share: float) -> bool:
        if show:
            print(f"\rrendering: {share:4.0%}\033[K", end="", file=sys.stderr)
        return True

    prepare(catalogue() if is_take else (module.type for module in patch.modules()), prepared)
    render_to_file(
        take, options.out, seconds=options.seconds, rate=options.rate, block=options.block, progress=progress
    )
    start = "\r" if show else ""
    print(f"{start}{options.out}: {options.seconds:g} s, {options.rate:g} Hz, seed {patch.seed:04d}")
    return 0


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
            print(f"{name:15} {patch.title}: {len(list(patch.modules()))} modules")
    return 0


def _story(options: argparse.Namespace) -> int:
    from dunefall.base.errors import PatchError
    from dunefall.catalogue.story import layer_story, patch_story
    from dunefall.session import open_patch

    patch, _ = open_patch(options.patch)
    if options.layer is None:
        print(patch_story(patch))
        return 0
    wanted = options.layer.lower()
    layers = [layer for layer in patch.layers if wanted in (layer.id.lower(), layer.name.lower())]
    if not layers:
        names = ", ".join(layer.name for layer in patch.layers)
        raise PatchError(f'there is no layer "{options.layer}"; there are {names}')
    print(layer_story(patch, layers[0]))
    return 0


def _completion(options: argparse.Namespace) -> int:
    import shtab

    parser = _Parser(prog="dunefall")
    _add_commands(parser)
    print(shtab.complete(parser, options.shell))
    return 0


def _check(options: argparse.Namespace) -> int:
    from dunefall.catalogue.validate import unknown_modules
    from dunefall.compiler.sounds import import_sounds
    from dunefall.session import open_patch

    patch, _ = open_patch(options.patch)
    for trouble in import_sounds(patch):
        print(f"note: {trouble}")
    for module in unknown_modules(patch):
        print(f'note: "{module.name}" is of an unknown kind, "{module.type}": it stays in the file and is silent')
    print(
        f"{patch.title}: good, with {len(patch.layers)} layers, {len(list(patch.modules()))} modules "
        f"and {len(patch.links)} links"
    )
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
