"""The graphs that are timed against hand-written C; ``reference.c`` holds the same."""

from __future__ import annotations

from pathlib import Path

from dunefall.patch.files import load_patch
from dunefall.patch.model import Layer, Link, Module, Patch, Place

__all__ = ["COPIES", "GRAPHS", "KEYED"]

COPIES = 16


def _copies(one: Patch) -> Patch:
    """Sixteen layers like the first one; "+n" in a parameter's name adds the copy's number to it."""
    layers, links = [Layer("shared", "Shared")], []
    (layer,) = one.layers
    for c in range(COPIES):
        modules = []
        for module in layer.modules:
            params = {name.removesuffix("+n"): value + c * name.endswith("+n") for name, value in module.params.items()}
            modules.append(Module(f"{module.id}-{c}", module.type, module.name, params))
        layers.append(Layer(f"layer-{c}", f"Copy {c}", tuple(modules)))
        for k, x in enumerate(one.links):
            source, target = (
                Place(f"{x.source.module}-{c}", x.source.port),
                Place(f"{x.target.module}-{c}", x.target.port),
            )
            links.append(Link(f"link-{c}-{k}", source, target, x.amount, x.offset + c * (x.curve == "+n")))
    return Patch(layers=tuple(layers), links=tuple(links))


def _graph(modules: list[tuple[str, str, dict[str, float]]], links: list[tuple[str, str, float]]) -> Patch:
    made = tuple(Module(id_, type_, id_, params) for id_, type_, params in modules)
    wired = tuple(Link("", Place(*a.split(".")), Place(*b.split(".")), amount) for a, b, amount in links)
    return Patch(layers=(Layer("one", "One", made),), links=wired)


OUT = ("out", "output", {"level_db": -24.0})


def wind() -> Patch:
    """(a) noise, two filters with moving cutoffs, amplifier."""
    return _copies(_graph(
        [("noise", "noise", {"colour": 0}), ("sway", "lfo", {"rate_hz": 0.3}),
         ("drift", "smooth-random", {"rate_hz": 0.7}), ("low", "filter", {"cutoff_hz": 950, "resonance": 0.3}),
         ("high", "filter", {"cutoff_hz": 120, "resonance": 0.1}),
         ("amp", "amplifier", {"gain": 0.8}), OUT],
        [("noise.out", "low.audio", 1), ("sway.out", "low.cutoff_hz", 2), ("low.low", "high.audio", 1),
         ("drift.out", "high.cutoff_hz", 1.5), ("high.high", "amp.audio", 1), ("amp.out", "out.audio", 1)],
    ))  # fmt: skip


def bell() -> Patch:
    """(b) FM pair with feedback, folder, delay."""
    return _copies(_graph(
        [("mod", "operator", {"pitch_note+n": 48, "ratio": 1.41, "feedback": 0.8, "level": 1}),
         ("car", "operator", {"pitch_note+n": 48, "index": 3}), ("fold", "folder", {"drive": 3}),
         ("echo", "delay", {"time_s": 0.3, "feedback": 0.5, "high_cut_hz": 12300.0, "dry": 0.65, "wet": 0.35}), OUT],
        [("mod.out", "car.phase_in", 1), ("car.out", "fold.audio", 1), ("fold.out", "echo.audio", 1),
         ("echo.out", "out.audio", 1)],
    ))  # fmt: skip


def ear() -> Patch:
    """(c) a control loop: quantiser, oscillator, detector, low-pass, slew and back."""
    graph = _graph(
        [("scale", "quantiser", {}), ("tone", "oscillator", {}),
         ("hear", "follower", {"rise_s": 0.002, "fall_s": 0.05}),
         ("calm", "filter", {"cutoff_hz": 40}), ("slew", "slew", {"rise_s": 0.03, "fall_s": 0.03}), OUT],
        [("tone.out", "hear.audio", 1), ("hear.out", "calm.audio", 1), ("calm.low", "slew.signal", 1),
         ("tone.out", "out.audio", 1)],
    )  # fmt: skip
    back = Link("", Place("slew", "out"), Place("scale", "pitch"), 40.0, 40.0, curve="+n")
    tune = Link("", Place("scale", "out"), Place("tone", "pitch_note"), 1.0, -48.0)
    return _copies(Patch(layers=graph.layers, links=(*graph.links, back, tune)))


GRAPHS = {
    "a": ("noise, two moving filters, amplifier, x16", wind()),
    "b": ("FM pair with feedback, folder, delay, x16", bell()),
    "c": ("control loop of single samples, x16", ear()),
    "d": ("the demo as it was with four layers", load_patch(Path(__file__).parent / "first-demo.dunefall")),
}
KEYED = {
    "a": [f"{name}-{c}" for c in range(COPIES) for name in ("noise", "drift")],
    "b": [],
    "c": [],
    "d": ["gusts-1", "turbine-bed-load", "fog-air-noise", "fog-air-drift", "drip-line-skip", "drip-line-hold"],
}
"""Modules whose random numbers the C side must share, in the order in which it takes their keys."""
