"""Series of numbers: kept in files and takes, checked, heard at once, one undo step for a stroke."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dunefall.base.errors import ParameterError, PatchError
from dunefall.catalogue import catalogue
from dunefall.catalogue.validate import check_patch
from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import same_structure
from dunefall.patch.changes import SeriesSet, apply_changes, difference
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.model import Module
from dunefall.patch.take import Edit, Entry, Take
from dunefall.patch.takefiles import dump_take, parse_take
from dunefall.render.player import Player, Step, glide
from rig import patch_of

MAP = Module("m", "map", "M", {"span": 1.0})
PATCH = patch_of(
    Module("v", "named-control", "V", {"value": 0.5}), MAP, Module("a-output", "output", "O"),
    links=(("v.out", "m.signal", 1.0), ("m.out", "a-output.audio", 1.0)),
)  # fmt: skip
DRAWN = PATCH.with_series("m", {"curve": (0.0, 0.25, 1.0)})


def test_kept_in_a_file() -> None:
    assert parse_patch(dump_patch(DRAWN).encode()) == DRAWN
    assert '"series"' not in dump_patch(PATCH)


def test_a_take_notes_the_stroke() -> None:
    changes = difference(PATCH, DRAWN)
    assert changes == (SeriesSet("m", "curve", (0.0, 0.25, 1.0)),)
    assert apply_changes(PATCH, changes) == DRAWN
    take = Take(PATCH, 48000.0, (Entry(480, Edit(changes)),))
    assert parse_take(dump_take(take).encode()) == take


@pytest.mark.parametrize(
    ("series", "words"),
    [
        ({"curve": (0.0,)}, 'Curve of "M" in layer "A" needs 2 to 64 numbers; got 1'),
        ({"curve": (0.0, 3.0)}, "number 2 of Curve"),
        ({"shape": (0.0, 1.0)}, 'a Map has no series "shape"; it has curve'),
    ],
)
def test_what_does_not_fit_is_told(series: dict[str, tuple[float, ...]], words: str) -> None:
    with pytest.raises(PatchError, match=words.replace('"', ".")) as caught:
        check_patch(PATCH.with_series("m", series))
    assert "layers[1].modules[1].series" in str(caught.value)


def test_no_numbers_no_text_in_a_file() -> None:
    text = dump_patch(DRAWN).replace("0.25", '"high"')
    with pytest.raises(PatchError, match="needs a number"):
        parse_patch(text.encode())


def test_every_default_fits_its_own_rules() -> None:
    for spec in catalogue().values():
        for series in spec.series:
            series.check(series.default, spec.name)
            assert not series.used or spec.param(series.used)
            assert series.help.endswith(".")
    with pytest.raises(ParameterError, match="must be rest to hit"):
        catalogue()["grid-sequencer"].series[1].check((0.5,) * 64, "x")


def test_a_stroke_is_heard_at_its_sample_without_another_program() -> None:
    assert same_structure(PATCH, DRAWN)
    player = Player(compile_patch(PATCH, rate=48000))
    player.steps.append(Step(1000, glide(PATCH, DRAWN)))
    program, out = player.program, np.zeros((4000, 2))
    player.fill(out)
    assert player.program is program
    heard = out[:, 0] / out[0, 0] * 0.2  # the default curve gives 0.2 in its middle
    np.testing.assert_allclose(heard[:1000], 0.2, atol=1e-9)
    np.testing.assert_allclose(heard[1000:], 0.25, atol=1e-9)


def test_in_loop_code_too() -> None:
    """A map within a feedback loop: its series lies where the loop's own code looks for it."""
    from dunefall.compiler.code import use_loop_code

    looped = patch_of(
        MAP, Module("s", "slew", "S", {"rise_s": 0.05, "fall_s": 0.02}),
        Module("k", "control-mix", "K", {"offset": 0.3}), Module("a-output", "output", "O"),
        links=(("m.out", "s.signal", 1.0), ("s.out", "k.a", 0.7), ("k.out", "m.signal", 1.0),
               ("s.out", "a-output.audio", 1.0)),
    ).with_series("m", {"curve": (1.0, -0.5, 0.3)})  # fmt: skip
    results = []
    for code in (False, True):
        program = compile_patch(looped, rate=48000)
        assert len(program.loops) == 1
        if code:
            use_loop_code(program, wait=True)
        player, out = Player(program), np.zeros((48_000, 2))
        player.fill(out)
        results.append(out)
    np.testing.assert_array_equal(results[0], results[1])
    assert np.abs(np.diff(results[0][:, 0])).max() > 0


def test_a_structural_edit_keeps_a_stroke() -> None:
    from dunefall.compiler.takeover import Takeover

    player = Player(compile_patch(DRAWN, rate=48000))
    more = replace(DRAWN.with_new_module("a", Module("n", "noise", "N")))
    program = compile_patch(more, rate=48000)
    player.swap(program, None, Takeover(program, player.program))
    at = int(program.plan.modules[program.module_at["m"]]["series_at"])
    assert program.memory.series[at : at + 4].tolist() == [3.0, 0.0, 0.25, 1.0]
