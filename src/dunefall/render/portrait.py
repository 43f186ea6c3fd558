"""What a module does, as curves made by the module itself."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dunefall.catalogue.declare import ModuleSpec
from dunefall.catalogue.ports import RESETS
from dunefall.compiler.build import compile_patch
from dunefall.compiler.loop import run
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.patch.model import Layer, Link, Module, Patch, Place, SoundRef

__all__ = ["Portrait", "portrait"]

RATE = 48000.0
SECONDS = {"response": 1.0, "spectrum": 1.0, "wave": 0.02, "course": 4.0}
LOWEST_HZ, HIGHEST_HZ, POINTS = 20.0, 20000.0, 240
FEEDERS = {
    "gate": Module("gate-in", "clock", "Clock"),
    "control": Module("control-in", "smooth-random", "Wander", {"rate_hz": 2.0}),
    "pitch": Module("pitch-in", "smooth-random", "Wander", {"rate_hz": 2.0}),
    "tone": Module("tone-in", "oscillator", "Tone", {"pitch_note": 57.0, "level": 0.8}),
    "impulse": Module("impulse-in", "impulse", "Impulse", {"rate_hz": 0.01, "level": 1.0}),
}
PORTS = {"clock": "gate"}


@dataclass(frozen=True)
class Portrait:
    """Curves of a module's outputs.

    Attributes
    ----------
    kind : "response", "spectrum", "wave" or "course"
        Level in dB over frequency in Hz; the same below the strongest partial; samples over 20 ms; samples over 4 s.
    across : ndarray
        Hz or seconds.
    curves : dict of str to ndarray
        By the output's id.
    """

    kind: str
    across: NDArray[np.float64]
    curves: dict[str, NDArray[np.float64]]


def portrait(
    spec: ModuleSpec,
    params: Mapping[str, float] | None = None,
    sound: SoundRef | None = None,
    seconds: float | None = None,
    series: Mapping[str, tuple[float, ...]] | None = None,
) -> Portrait:
    """A module's curves at 48 kHz with these values and series, all others at their defaults.

    A response is that to an impulse; in the other kinds gates are fed with a clock, sounds with a sine of A3, controls
    with something that wanders. Sources get gates only. ``seconds`` of sound are made, by default as
    many as the kind needs; fewer blur a response.

    Parameters
    ----------
    spec : ModuleSpec
        Declaration of the module.
    params : mapping of str to float
        Values by parameter.
    sound : SoundRef
        The sound file of the module.
    seconds : float
        Length of the sound that is made.
    series : mapping of str to tuple of float
        Numbers by the id of the series.

    Returns
    -------
    Portrait
    """
    patch = _patch_of(spec, Module("m", spec.id, spec.name, params or {}, sound=sound, series=series or {}))
    watched = [Place("m", output.id) for output in spec.outputs]
    program = compile_patch(patch, rate=RATE, probed=watched)
    count = round((seconds or SECONDS[spec.shows_as]) * RATE) // QUANTUM * QUANTUM
    signals = {output.id: np.zeros(count) for output in spec.outputs}
    out = np.zeros((QUANTUM, 2))
    for at in range(0, count, QUANTUM):
        run(program.plan, program.memory, no_traces(), out)
        for port, signal in signals.items():
            row = program.row_at[("m", port)]
            signal[at : at + QUANTUM] = program.memory.rows[row : row + QUANTUM]
    across = np.geomspace(LOWEST_HZ, HIGHEST_HZ, POINTS)
    if spec.shows_as == "spectrum":
        return Portrait("spectrum", across, {port: _partials(signal, across) for port, signal in signals.items()})
    if spec.shows_as != "response":
        return Portrait(spec.shows_as, np.arange(count) / RATE, signals)
    levels = {port: _levels(signal, across) for port, signal in signals.items()}
    return Portrait("response", across, levels)


def _levels(impulse_response: NDArray[np.float64], across: NDArray[np.float64]) -> NDArray[np.float64]:
    amplitudes = np.abs(np.fft.rfft(impulse_response))
    hz = np.fft.rfftfreq(len(impulse_response), 1 / RATE)
    return np.asarray(20.0 * np.log10(np.interp(across, hz, amplitudes) + 1e-6))


def _partials(signal: NDArray[np.float64], across: NDArray[np.float64]) -> NDArray[np.float64]:
    """The strongest bin around each frequency."""
    amplitudes = np.abs(np.fft.rfft(signal * np.hanning(len(signal))))
    edges = np.sqrt(across[1:] * across[:-1])
    at = np.searchsorted(np.fft.rfftfreq(len(signal), 1 / RATE), np.concatenate(([across[0]], edges)))
    strongest = np.maximum.reduceat(amplitudes, at)
    return np.asarray(20.0 * np.log10(strongest / max(float(strongest.max()), 1e-9) + 1e-6))


def _patch_of(spec: ModuleSpec, module: Module) -> Patch:
    links: list[Link] = []
    used: dict[str, Module] = {}
    for k, port in enumerate(spec.inputs):
        if port.id in RESETS or (spec.stage == "source" and port.role != "gate"):
            continue
        role = port.role if port.role != "audio" else "impulse" if spec.shows_as == "response" else "tone"
        feeder = used.setdefault(role, FEEDERS[role])
        links.append(Link(f"link-{k}", Place(feeder.id, PORTS.get(feeder.type, "out")), Place("m", port.id), 1.0))
    layers = (Layer("shared", "Shared"), Layer("a", "A", (*used.values(), module)))
    return Patch(seed=1, layers=layers, links=tuple(links))
