"""A program that is used again for another seed is the one that would be compiled anew."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dunefall.compiler import reuse
from dunefall.compiler.reuse import Compiler
from dunefall.patch.changes import ParamSet
from dunefall.patch.model import Patch
from dunefall.patch.take import Edit, Entry, Take
from dunefall.render.performance import Performance
from rig import demo


def sound_of(patch: Patch | Take, compiler: Compiler | None = None, stems: tuple[str, ...] = ()) -> np.ndarray:
    made = {"compiled": compiler} if compiler else {}
    take = Take(patch) if isinstance(patch, Patch) else patch
    performance = Performance(take, stems=stems, **made)  # type: ignore[arg-type]
    out = np.zeros((24_000, performance.player.channels))
    performance.fill(out)
    return out


def test_every_seed_sounds_as_if_compiled_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    made = []
    original = reuse.compile_patch
    monkeypatch.setattr(reuse, "compile_patch", lambda *a, **k: made.append(1) or original(*a, **k))
    compiler, patch = Compiler(), demo()
    for seed in (1, 2, 1, 77):
        seeded = replace(patch, seed=seed)
        np.testing.assert_array_equal(sound_of(seeded, compiler), sound_of(seeded))
    assert len(made) == 1


def test_what_was_edited_while_it_sounded_is_not_in_the_next() -> None:
    """Inputs that are set to the same value share a row until one of them is edited."""
    compiler, patch = Compiler(), demo()
    for module, param, value in (("fog-air-output", "level_db", -20.0), ("drip-line-echo", "feedback", 0.8)):
        take = Take(patch, 48000.0, (Entry(4_000, Edit((ParamSet(module, param, value),))),))
        np.testing.assert_array_equal(sound_of(take, compiler), sound_of(take))
        np.testing.assert_array_equal(sound_of(patch, compiler), sound_of(patch))


def test_what_differs_in_more_than_the_seed_is_compiled() -> None:
    compiler, patch = Compiler(), demo()
    stem = patch.layers[1].id
    sound_of(patch, compiler)
    louder = patch.with_param("drip-line-echo", "wet", 0.9)
    for other, stems in ((louder, ()), (patch, (stem,)), (replace(patch, seed=5), (stem,))):
        np.testing.assert_array_equal(sound_of(other, compiler, stems), sound_of(other, stems=stems))


def test_two_of_one_patch_sound_beside_each_other() -> None:
    compiler, patch = Compiler(), demo()
    sound_of(patch, compiler)
    first, second = (Performance(Take(replace(patch, seed=s)), compiled=compiler) for s in (3, 4))
    pieces = np.zeros((2, 9600, 2))
    for at in range(0, 9600, 480):
        first.fill(pieces[0, at : at + 480])
        second.fill(pieces[1, at : at + 480])
    for piece, seed in zip(pieces, (3, 4), strict=True):
        np.testing.assert_array_equal(piece, sound_of(replace(patch, seed=seed))[:9600])


def test_a_few_are_kept() -> None:
    compiler = Compiler()
    for number in range(reuse.KEPT + 3):
        compiler(replace(demo(), tempo_bpm=60.0 + number), rate=48000)
    assert len(compiler._kept) == reuse.KEPT
