"""Variations can be made again, hold to locks and ranges, and say what they are like; the command line writes them."""

from __future__ import annotations

import csv
from dataclasses import replace
from pathlib import Path

import pytest

from dunefall.base.errors import ParameterError
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.validate import check_patch
from dunefall.cli import main
from dunefall.patch.files import load_patch
from dunefall.patch.model import Module
from dunefall.render.offline import render_to_array
from dunefall.vary.variations import USUAL_KINDS, by_itself, free_values, numbers_of, variations
from rig import demo, patch_of

DRIP = [module.id for module in demo().layer("drip-line").modules]


def test_the_same_seed_gives_the_same_and_more_of_them_begin_alike() -> None:
    made = list(variations(demo(), DRIP, 0.35, USUAL_KINDS, seed=4, count=6))
    assert made == list(variations(demo(), DRIP, 0.35, USUAL_KINDS, seed=4, count=6))
    assert made == list(variations(demo(), DRIP, 0.35, USUAL_KINDS, seed=4, count=9))[:6]
    assert [one.number for one in made] != list(numbers_of(5, 6))
    assert len({one.number for one in made}) == 6
    for one in made:
        check_patch(one.patch)
        changed = [m.id for m in one.patch.modules() if m != demo().module(m.id)]
        assert changed
        assert set(changed) <= set(DRIP), "nothing else changes"


def test_locks_hold_and_kinds_are_kept() -> None:
    patch = demo()
    low = patch.module("drip-line-low-pass")
    patch = patch.with_module(replace(low, locked=frozenset({"cutoff_hz"})))
    for one in variations(patch, DRIP, 1.0, ("tone",), seed=1, count=20):
        assert one.patch.module(low.id).params["cutoff_hz"] == low.params["cutoff_hz"]
        echo = one.patch.module("drip-line-echo")
        assert echo == patch.module("drip-line-echo"), "an echo is space"


def test_what_tells_how_a_module_is_set_up_is_left_alone() -> None:
    """A random MIDI controller, or another key range, is no variation of a sound."""
    patch = patch_of(
        Module("c", "named-control", "C", {"controller": 7.0, "value": 0.5}),
        Module("k", "keyboard", "K", {"channel": 3.0, "lowest_note": 40.0, "highest_note": 80.0}),
    )
    for one in variations(patch, ["c", "k"], 1.0, (*USUAL_KINDS, "choices"), seed=2, count=30):
        assert one.patch.module("c").params["controller"] == 7.0
        assert [one.patch.module("k").params[name] for name in ("channel", "lowest_note", "highest_note")] == [
            3,
            40,
            80,
        ]


def test_values_stay_near_by_what_a_link_would_move_them() -> None:
    """Linear FM goes to ±20 kHz: a share of that rail was no variation of a drop."""
    spec = spec_for(demo().module("drip-line-droplet"))
    assert spec is not None
    amount = spec.param("fm_hz").amount
    far = [abs(one.patch.module("drip-line-droplet").params.get("fm_hz", 0.0))
           for one in variations(demo(), DRIP, 0.35, USUAL_KINDS, seed=3, count=60)]  # fmt: skip
    assert max(far) < 2.0 * amount


def test_nothing_that_may_change_is_said() -> None:
    patch = demo()
    for module in list(patch.layer("drip-line").modules):
        spec = spec_for(module)
        assert spec is not None
        patch = patch.with_module(replace(module, locked=frozenset(param.id for param in spec.params)))
    assert free_values(patch, DRIP) == 0
    with pytest.raises(ParameterError, match="nothing may change"):
        list(variations(patch, DRIP, 0.35, USUAL_KINDS, seed=1, count=1))
    for strength, count in ((0.0, 1), (1.1, 1), (0.5, 0), (0.5, 1001)):
        with pytest.raises(ParameterError, match=r"strength must be|there can be 1 to"):
            list(variations(demo(), DRIP, strength, USUAL_KINDS, seed=1, count=count))


def test_layers_that_vary_are_listened_to_alone() -> None:
    whole, drops = (render_to_array(patch, seconds=1.0) for patch in (demo(), by_itself(demo(), DRIP)))
    only = demo()
    for layer in only.layers[1:]:
        if layer.id != "drip-line":
            only = only.with_param(layer.output_id, "mute", 1.0)
    assert (drops == render_to_array(only, seconds=1.0)).all()
    assert (drops != whole).any()
    assert by_itself(demo(), ["clock-1"]) == demo(), "Shared has no sound of its own"


def test_the_command_writes_patches_and_a_table(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    words = ["vary", "starter:drip-line", "--count", "3", "--seed", "5", "--seconds", "2", "--out"]
    assert main([*words, str(tmp_path / "a")]) == 0
    told = capsys.readouterr().out.splitlines()
    assert main([*words, str(tmp_path / "b")]) == 0
    files = sorted(path.name for path in (tmp_path / "a").iterdir())
    assert len(files) == 4
    for name in files:
        assert (tmp_path / "a" / name).read_bytes() == (tmp_path / "b" / name).read_bytes(), "the same files"
    with (tmp_path / "a" / "variations.csv").open(encoding="utf-8") as lines:
        table = list(csv.DictReader(lines))
    assert table[0]["number"] == "parent"
    for row, line in zip(table[1:], told, strict=True):
        check_patch(load_patch(tmp_path / "a" / row["file"]))
        assert line == f"{row['file']}  {row['words']}"
        assert float(row["lufs"]) < 0
    assert main([*words, str(tmp_path / "a")]) == 2
    assert "is there already" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("words", "error"),
    [(["--kinds", "tone,taste"], 'there is no kind "taste"; there are pitch, rhythm'),
     (["--layer", "Attic"], 'there is no layer "Attic"; there are Shared'), (["--strength", "3"], "strength must be"),
     (["--count", "0"], "there can be 1 to 1000")],
)  # fmt: skip
def test_what_cannot_be_is_told(
    words: list[str], error: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["vary", "starter:drip-line", "--out", str(tmp_path / "x"), *words]) == 2
    assert error in capsys.readouterr().err
    assert not (tmp_path / "x").exists()
