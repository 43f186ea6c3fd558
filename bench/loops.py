"""`python -m bench.loops [SECONDS]`: every sound module in a delay's way back, at the ends of the feedback's range.

Prints the loudest sample of each before the limiter; ten simulated minutes each by default.
"""

from __future__ import annotations

import sys

import numpy as np

from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import ModuleSpec
from dunefall.compiler.build import compile_patch
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from dunefall.render.player import Player

__all__ = ["FEEDBACKS", "HIGHEST", "loudest", "ways_back"]

RATE, PIECE = 48000, 48000
FEEDBACKS = (1.1, -1.1)
HIGHEST = 4.0
"""+12 dBFS."""


def ways_back() -> list[ModuleSpec]:
    """All modules that sound can go through."""
    return [spec for spec in catalogue().values() if spec.passes and spec.outputs[0].role == "audio"]


def loudest(spec: ModuleSpec, feedback: float, seconds: float) -> float:
    """Loudest sample of a layer in which a module stands in a delay's way back; noise strikes it now and then."""
    params = {"dry": 0.0, "wet": 1.0} if any(p.id == "dry" for p in spec.params) else {}
    modules = (
        Module("noise", "noise", "Noise"), Module("clock", "clock", "Clock", {"period_beats": 2.0}),
        Module("gate", "envelope", "Gate"), Module("amp", "amplifier", "Amplifier", {"gain": 0.0}),
        Module("delay", "delay", "Delay", {"time_s": 0.11, "feedback": feedback, "high_cut_hz": 20000.0, "wet": 1.0}),
        Module("way", spec.id, "Way", params), Module("a-output", "output", "Out", {"level_db": 3.0}),
    )  # fmt: skip
    ways = (
        ("clock.gate", "gate.trigger"), ("gate.out", "amp.gain"), ("noise.out", "amp.audio"),
        ("amp.out", "delay.audio"), ("delay.send", f"way.{spec.passes}"), (f"way.{spec.outputs[0].id}", "delay.back"),
        ("delay.out", "a-output.audio"),
    )  # fmt: skip
    links = tuple(Link(f"x{k}", Place(*a.split(".")), Place(*b.split("."))) for k, (a, b) in enumerate(ways))
    player = Player(
        compile_patch(Patch(layers=(Layer("shared", "S"), Layer("a", "A", modules)), links=links), rate=RATE)
    )
    out, most = np.zeros((PIECE, 2)), 0.0
    for _ in range(max(1, round(seconds))):
        player.fill(out)
        if not np.isfinite(out).all():
            return float("inf")
        most = max(most, float(np.abs(out).max()))
    return most


if __name__ == "__main__":
    length = float(sys.argv[1]) if len(sys.argv) > 1 else 600.0
    for way in ways_back():
        print(way.id, *(f"{loudest(way, feedback, length):.2f}" for feedback in FEEDBACKS), flush=True)
