"""``dunefall doctor``: what this machine has of all that Dunefall needs, and what to do where something is missing."""

from __future__ import annotations

import argparse
import json
import os
import platform
import resource
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, Literal, NamedTuple

from dunefall import __version__
from dunefall.base.folders import config_folder, data_folder, errors_file, state_folder
from dunefall.base.language import tr, tr_count
from dunefall.base.packages import packages
from dunefall.base.words import listed

__all__ = ["Finding", "add_doctor", "findings", "run_doctor"]

State = Literal["ok", "note", "wrong"]
LEAST_FREE_BYTES = 500_000_000
"""For compiled code, converted sounds and the last ten minutes."""


class Finding(NamedTuple):
    """What was found of a part.

    Attributes
    ----------
    part : str
        Of what.
    state : str
        "ok"; "note": it works with less; "wrong": something will not work.
    text, cure : str
        What there is, and what to do about it.
    """

    part: str
    state: State
    text: str
    cure: str = ""


def add_doctor(commands: Any) -> None:
    """Declare ``dunefall doctor``.

    Parameters
    ----------
    commands : argparse subparsers
        Where the command is added.
    """
    parser = commands.add_parser(
        "doctor", help=tr("say what this machine has and lacks, and what to do about it"),
        epilog=tr("exit status: 0, or 3 where something will not work. example: dunefall doctor --json"),
    )  # fmt: skip
    parser.add_argument("--json", action="store_true", help=tr("as JSON"))


def run_doctor(options: argparse.Namespace) -> int:
    """Print what was found; 3 where something will not work.

    Parameters
    ----------
    options : argparse.Namespace
        What was typed.

    Returns
    -------
    int
    """
    found = list(findings())
    if options.json:
        print(json.dumps([finding._asdict() for finding in found], indent=1, ensure_ascii=False))
    else:
        state = max(6, *(len(tr(finding.state)) + 2 for finding in found))
        part = max(12, *(len(tr(finding.part)) + 2 for finding in found))
        for finding in found:
            print(f"{tr(finding.state):{state}}{tr(finding.part):{part}}{finding.text}")
            if finding.cure:
                print(" " * (state + part) + finding.cure)
    return 3 if any(finding.state == "wrong" for finding in found) else 0


def findings() -> Iterator[Finding]:
    """Everything that is looked at, in order; whatever cannot be looked at is a finding of its own."""
    parts: tuple[tuple[str, Callable[[], Iterator[Finding]]], ...] = (
        ("versions", _versions), ("sound", _sound), ("MIDI", _midi), ("real time", _real_time), ("code", _code),
        ("files", _files), ("window", _window), ("errors", _errors),
    )  # fmt: skip
    for name, look in parts:
        try:
            yield from look()
        except Exception as error:  # one part must not hide the others
            yield Finding(
                name, "wrong", tr("could not be looked at: {name}: {error}", name=type(error).__name__, error=error)
            )


def _versions() -> Iterator[Finding]:
    yield Finding(
        "versions",
        "ok",
        tr(
            "Dunefall {version}, Python {python_version}, {platform}",
            version=__version__,
            python_version=platform.python_version(),
            platform=platform.platform(),
        ),
    )
    built_on = packages()
    missing = [name for name, version in built_on.items() if not version]
    there = [f"{name} {version}" for name, version in built_on.items() if version]
    yield Finding("packages", "ok", ", ".join(there))
    if missing:
        yield Finding(
            "packages",
            "wrong",
            tr("{missing} missing", missing=listed(missing)),
            f"python -m pip install {' '.join(missing)}",
        )


def _sound() -> Iterator[Finding]:
    from dunefall.engine.devices.ports import portaudio, sound_names

    try:
        library = portaudio()
    except (ImportError, OSError) as error:
        yield Finding(
            "sound",
            "wrong",
            tr("PortAudio cannot be loaded: {error}", error=error),
            tr("Install libportaudio2 (Debian)."),
        )
        return
    servers = [str(api["name"]) for api in library.query_hostapis()]
    outputs, inputs = sound_names("output", 1), sound_names("input", 1)
    yield Finding("sound", "ok", tr("{get_portaudio_version}; speaks to {listed}",
                                    get_portaudio_version=library.get_portaudio_version()[1],
                                    listed=", ".join(servers) or "nothing"))  # fmt: skip
    if outputs:
        yield Finding("outputs", "ok", ", ".join(outputs))
    else:
        yield Finding("outputs", "note", tr("no sound device: Dunefall plays to a simulated one, which cannot "
                                            "be heard"),
                      tr("Start the sound server (PipeWire or JACK), or connect a device."))  # fmt: skip
    yield Finding("inputs", "ok", ", ".join(inputs) or tr("none; a simulated one can be chosen"))


def _midi() -> Iterator[Finding]:
    from dunefall.engine.devices.sequencer import port_names, why_no_midi

    reason, cure = why_no_midi()
    if reason:
        yield Finding("MIDI", "note", tr("none: {reason}", reason=reason), cure)
        return
    yield Finding("MIDI", "ok", ", ".join(port_names(plays=True)) or tr("ready; no keyboard is connected"))


def _real_time() -> Iterator[Finding]:
    most = resource.getrlimit(resource.RLIMIT_RTPRIO)[1]
    if os.geteuid() == 0 or most == resource.RLIM_INFINITY or most >= 10:
        yield Finding("real time", "ok", tr("the sound may go before all else"))
        return
    yield Finding("real time", "note", tr("the sound may not go before all else: it can drop out on a busy machine"),
                  tr("Put “@audio - rtprio 95” into /etc/security/limits.d/audio.conf, add yourself to the group "
                  "(sudo usermod -aG audio $USER), and log in again."))  # fmt: skip


def _code() -> Iterator[Finding]:
    from llvmlite import binding

    from dunefall.catalogue import catalogue
    from dunefall.compiler.kernels import compiled_before, kernel_path

    features = binding.get_host_cpu_features()
    wide = next((name for name in ("avx512f", "avx2", "neon") if features.get(name)), tr("no wide vectors"))
    specs = catalogue().values()
    ready = sum(compiled_before(kernel_path(spec)) for spec in specs)
    cores = tr_count("{count} core", "{count} cores", os.cpu_count() or 1)
    yield Finding("processor", "ok", f"{cores}, {binding.get_host_cpu_name()}, {wide}")
    if ready == len(specs):
        yield Finding("code", "ok", tr("all {count} modules are compiled", count=len(specs)))
    else:
        yield Finding("code", "note", tr("{ready} of {count} modules are compiled; the others follow when they are "
                      "first needed, some seconds each", ready=ready, count=len(specs)), "python -m "
                          "dunefall.compiler.makecode --all")  # fmt: skip


def _files() -> Iterator[Finding]:
    from dunefall.base.caches import cache_folder
    from dunefall.patch.userlibrary import library_folder

    places = {
        "cache": cache_folder(), "preferences": config_folder(), "data": data_folder(), "state": state_folder(),
        "library": library_folder(),
    }  # fmt: skip
    for name, folder in places.items():
        there = _nearest(folder)
        if not os.access(there, os.W_OK | os.X_OK):
            yield Finding(
                name,
                "wrong",
                tr("{folder} cannot be written", folder=folder),
                tr("Give yourself the right to write in {there}.", there=there),
            )
            continue
        free = shutil.disk_usage(there).free
        state: State = "ok" if free >= LEAST_FREE_BYTES else "note"
        yield Finding(
            name,
            state,
            tr("{folder}, {free:.1f} GB free", folder=folder, free=free / 1e9),
            "" if state == "ok" else tr("Make room there."),
        )


def _nearest(folder: Path) -> Path:
    """The folder, or the one that it would be made in."""
    while not folder.exists() and folder != folder.parent:
        folder = folder.parent
    return folder


def _window() -> Iterator[Finding]:
    from dunefall.patch.library import DATA

    shown = os.environ.get("WAYLAND_DISPLAY") or os.environ.get("DISPLAY")
    asked = os.environ.get("QT_QPA_PLATFORM", "")
    if shown or asked in ("offscreen", "minimal", "vnc"):
        yield Finding("window", "ok", tr("on {shown}", shown=shown or asked))
    else:
        yield Finding("window", "note", tr("no display: only commands without a window work here"),
                      tr("Log in to a desktop, or use: xvfb-run dunefall --screenshot FILE"))  # fmt: skip
    try:
        import dunefall.app.controls.theme  # noqa: F401
    except ImportError as error:
        yield Finding(
            "window",
            "wrong",
            tr("Qt cannot be loaded: {error}", error=error),
            tr("Run scripts/system-packages in the checkout."),
        )
    fonts = list((DATA / "fonts").glob("*.ttf")) + list((DATA / "fonts").glob("*.otf"))
    told = tr_count("{count} font of its own", "{count} fonts of its own", len(fonts))
    yield Finding("fonts", "ok" if fonts else "wrong", told,
                  "" if fonts else tr("Install Dunefall again."))  # fmt: skip


def _errors() -> Iterator[Finding]:
    log = errors_file()
    if log.exists() and log.stat().st_size:
        yield Finding("errors", "note", tr("errors that nobody expected are written down in {log}", log=log),
                      tr("Please send that file with a report; it holds no sound and no patch."))  # fmt: skip
    else:
        yield Finding("errors", "ok", tr("none written down"))
