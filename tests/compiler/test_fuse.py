"""Code made for feedback loops: the same bits as the modules one by one, and in the background."""

from __future__ import annotations

import numpy as np
import pytest

from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.declare import ModuleSpec
from dunefall.compiler import code
from dunefall.compiler.build import compile_patch
from dunefall.compiler.code import LoopCode, use_loop_code
from dunefall.compiler.fuse import fused_text
from dunefall.compiler.kernels import compiled_before, listens
from dunefall.compiler.loop import run
from dunefall.compiler.program import Program
from dunefall.compiler.records import QUANTUM
from dunefall.compiler.traces import no_traces
from dunefall.patch.model import Link, Module, Patch, Place
from rig import demo, patch_of

IN_LOOPS = [
    spec
    for spec in catalogue().values()
    if not (listens(spec) or spec.hears_mix or spec.sound or any(output.per_voice for output in spec.outputs))
]
COUNT = len(IN_LOOPS) // 3
RINGS = [IN_LOOPS[k::COUNT] for k in range(COUNT)]
"""All kinds, three or so at a time: the time to compile grows faster than a loop."""


def ring(kinds: list[ModuleSpec]) -> Patch:
    """These kinds of modules in one loop, each moved by the one before and by an LFO outside; one of them bypassed."""
    modules = [Module("sway", "lfo", "Sway", {"rate_hz": 3.0})]
    modules += [Module(f"m{k}", spec.id, spec.name, bypassed=spec.id == "amplifier") for k, spec in enumerate(kinds)]
    patch = patch_of(*modules, Module("a-output", "output", "A"))
    curves = ("straight", "late", "early", "smooth")
    for k, spec in enumerate(kinds):
        before = kinds[k - 1]
        target = next(port for port in spec.targets if spec.target(port.id))
        source = Place(f"m{(k - 1) % len(kinds)}", before.outputs[0].id)
        patch = patch.with_link(Link(f"r{k}", source, Place(f"m{k}", target.id), 0.7, 0.01, curves[k % 4]))
        if spec.params and spec.target(spec.params[0].id):
            moved = Place(f"m{k}", spec.params[0].id)
            patch = patch.with_link(Link(f"s{k}", Place("sway", "out"), moved, 0.2))
    return patch.with_link(Link("o", Place("m2", kinds[2].outputs[0].id), Place("a-output", "audio")))


def pieces(program: Program, sizes: list[int]) -> np.ndarray:
    out = np.zeros((sum(sizes), 2))
    at = 0
    for size in sizes:
        run(program.plan, program.memory, no_traces(), out[at : at + size])
        at += size
    return out


@pytest.mark.parametrize("patch", [*map(ring, RINGS), demo()], ids=[*map(str, range(COUNT)), "demo"])
def test_loop_code_gives_the_same_bits(patch: Patch) -> None:
    one_by_one, made = (compile_patch(patch, rate=48000) for _ in range(2))
    assert use_loop_code(made, wait=True) == []
    assert made.plan.parts[:, 3].any()
    sizes = [QUANTUM * 200, 7, 1, 56, QUANTUM * 30]
    assert (pieces(one_by_one, sizes) == pieces(made, sizes)).all()
    assert (one_by_one.memory.states == made.memory.states).all()
    first, last = next((a, b) for a, b, loop, *_ in made.plan.parts if loop)
    spans = [(m["input_first"], m["input_last"]) for m in made.plan.modules[first:last]]
    for a, b in spans:
        np.testing.assert_array_equal(one_by_one.memory.now[a:b], made.memory.now[a:b])
    for program in (one_by_one, made):  # where a kernel's short way does not do
        for module in patch.modules():
            spec = spec_of(module.type)
            for param in (p for p in (spec.params if spec else ()) if p.usual is not None):
                if (module.id, param.id) in program.input_at:
                    program.set_base(module.id, param.id, param.to_domain(param.from_rail(0.6)))
    assert (pieces(one_by_one, sizes) == pieces(made, sizes)).all()
    assert (one_by_one.memory.states == made.memory.states).all()


def test_values_glide_in_loops_with_code_as_without() -> None:
    programs = [compile_patch(demo(), rate=48000) for _ in range(2)]
    use_loop_code(programs[1], wait=True)
    found = []
    for program in programs:
        pieces(program, [6400])
        program.set_base("drip-line-echo", "feedback", 0.9)
        program.set_link(next(x.id for x in program.patch.links if x.target.port == "resonance"), -0.3, 0.1)
        found.append(pieces(program, [64 * 100, 64 * 300]))
    assert (found[0] == found[1]).all()


def test_a_fault_in_a_loop_with_code_is_found_as_without() -> None:
    """The code steps back from a value that is too large, and the modules one by one name the offender."""
    modules = (Module("n", "oscillator", "N"), Module("f", "filter", "F"), Module("d", "delay", "D"),
               Module("a-output", "output", "A"))  # fmt: skip
    links = (("n.out", "f.audio", 1.0), ("f.low", "d.audio", 1.0), ("d.out", "f.resonance", 0.1),
             ("d.out", "a-output.audio", 1.0))  # fmt: skip
    found = []
    for coded in (False, True):
        program = compile_patch(patch_of(*modules, links=links), rate=48000)
        if coded:
            use_loop_code(program, wait=True)
        pieces(program, [640])
        at = program.link_at["link-0"][0]
        program.memory.amounts["amount_goal"][at] = 1e9
        found.append(pieces(program, [640]))
        assert [name for name, k in program.module_at.items() if program.memory.faults[k]] == ["f"]
    assert np.isfinite(found[1]).all()
    assert (found[0] == found[1]).all()


def test_code_is_made_in_the_background(monkeypatch: pytest.MonkeyPatch, tmp_path: object) -> None:
    modules = (
        Module("x", "slew", "X"),
        Module("y", "amplifier", "Y", {"gain": 0.5}),
        Module("a-output", "output", "A"),
    )
    links = (("x.out", "y.audio", 0.25), ("y.out", "x.signal", 0.5), ("y.out", "a-output.audio", 1.0))
    program = compile_patch(patch_of(*modules, links=links), rate=48000)
    maker = LoopCode()
    maker.use(program)
    ended = False
    if not program.plan.parts[:, 3].any():
        assert maker._process is not None
        maker._process.wait(120)
        ended = maker.poll(program)
        assert ended
    assert program.plan.parts[:, 3].any()
    assert all(compiled_before(code.fused_path(modules)) for modules in program.loops.values())
    assert not maker.poll(program)
    maker.close()


def test_the_text_tells_loops_apart() -> None:
    a = next(iter(compile_patch(demo(), rate=48000).loops.values()))
    b = next(iter(compile_patch(demo().with_param("drip-line-echo", "mix", 0.9), rate=44100).loops.values()))
    assert fused_text(a) == fused_text(b)
    assert fused_text(a) != fused_text(next(iter(compile_patch(ring(RINGS[0]), rate=48000).loops.values())))
