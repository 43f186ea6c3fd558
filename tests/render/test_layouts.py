"""Quad and 5.1 from the patch to the file and to the device."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pyloudnorm
import pytest

from dunefall.analysis.loudness import judge
from dunefall.base.errors import PatchError
from dunefall.base.layouts import LAYOUTS, layout_of
from dunefall.patch.changes import LayoutSet, difference
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.mixing import with_master
from dunefall.patch.model import Module, Patch
from dunefall.patch.take import Edit, Entry, Take
from dunefall.patch.takefiles import load_take, save_take
from dunefall.render.offline import render_to_array
from rig import RATE, demo, level_db, patch_of, tone


def noise(layout: str, seed: int = 1, **place: float) -> Patch:
    """Noise, the same on both sides or (``wide``) not, at a place."""
    wide = {"width": place.pop("wide", 0.0)}
    modules = (Module("n", "noise", "N", wide), Module("a-output", "output", "A", {"level_db": -6, **place}))
    return replace(patch_of(*modules, links=(("n.out", "a-output.audio", 1.0),), seed=seed), layout=layout)


def sound(patch: Patch, seconds: float = 0.5) -> np.ndarray:
    return render_to_array(patch, seconds=seconds, rate=RATE)


@pytest.mark.parametrize("layout", ["quad", "5.1"])
@pytest.mark.parametrize("wide", [0.0, 1.0])
@pytest.mark.parametrize("centre", [0.0, 0.5, 1.0])
def test_folded_to_stereo_it_is_the_stereo_mix(layout: str, wide: float, centre: float) -> None:
    """Straight ahead, ITU-R BS.775's downward mixing gives what the stereo layout gives, whatever the centre takes of
    the sides' common part; only its power is shared out, so it is judged without the part that is in the middle."""
    folded = sound(noise(layout, wide=wide, centre_share=centre)) @ layout_of(layout).fold
    plain = sound(noise("stereo", wide=wide))
    side, expected = folded[:, 0] - folded[:, 1], plain[:, 0] - plain[:, 1]
    np.testing.assert_allclose(side, expected, atol=1e-9)
    middle = level_db(folded.sum(axis=1)) - level_db(plain.sum(axis=1))
    assert middle == pytest.approx(
        20 * np.log10(np.sqrt(1 - centre) + np.sqrt(centre)) if layout == "5.1" else 0, abs=0.02
    )


@pytest.mark.parametrize("layout", [layout.id for layout in LAYOUTS])
def test_a_sound_stands_where_its_speaker_stands(layout: str) -> None:
    for channel, speaker in enumerate(layout_of(layout).speakers):
        if np.isfinite(speaker.angle_deg) and layout != "stereo":
            out = sound(noise(layout, angle_deg=speaker.angle_deg, centre_share=1.0), 0.1)
            others = np.delete(np.abs(out).max(axis=0), channel)
            assert np.abs(out[:, channel]).max() > 0.1
            assert others.max() < 1e-6


def test_low_effects_end_at_120_hz() -> None:
    """Linkwitz-Riley of fourth order (textbook): 6 dB down at its frequency, 24 dB an octave above."""

    def level(hz: float) -> float:
        tone_of = Module("t", "oscillator", "T", {"pitch_note": 69 + 12 * np.log2(hz / 440), "shape": 0})
        end = Module("a-output", "output", "A", {"level_db": 0, "low_effects_db": 0})
        patch = patch_of(tone_of, end, links=(("t.out", "a-output.audio", 1.0),))
        out = sound(replace(patch, layout="5.1"), 1.0)[24000:]
        return level_db(out[:, 3]) - level_db(sound(patch, 1.0)[24000:, 0]) - 3.01

    assert level(30) == pytest.approx(0.0, abs=0.1)
    assert level(120) == pytest.approx(-6.02, abs=0.1)
    assert level(480) == pytest.approx(-48.2, abs=1.0)


def test_loudness_of_five_channels() -> None:
    """EBU Tech 3341, case 6 (from memory): -23.0 LUFS within 0.1; ``pyloudnorm`` as a second opinion."""
    levels = {"left": -28, "right": -28, "centre": -24, "left_behind": -30, "right_behind": -30}
    made = [tone(1000, 20.0, level=10 ** (levels[x.port] / 20) if x.port in levels else 1.0)
            for x in layout_of("5.1").speakers]  # fmt: skip
    mine = judge(np.stack(made, axis=1), RATE).integrated
    five = np.stack([made[k] for k in (0, 1, 2, 4, 5)], axis=1)
    assert mine == pytest.approx(-23.0, abs=0.1)
    assert mine == pytest.approx(pyloudnorm.Meter(RATE).integrated_loudness(five), abs=0.1)


def test_the_limiter_and_the_master_hold_all_channels() -> None:
    patch = with_master(noise("5.1", angle_deg=150)).with_param("master-strip", "level_db", 24.0)
    loud = render_to_array(patch, seconds=0.5, rate=RATE, limit=True)
    assert judge(loud, RATE).true_peak_db <= -1.0
    quiet = sound(patch.with_param("master-strip", "level_db", -96.0))
    assert np.abs(quiet[4800:]).max() < 1e-9


def test_the_layout_is_in_the_file_and_in_the_journal(tmp_path: Path) -> None:
    patch = noise("5.1", centre_share=1.0)
    assert parse_patch(dump_patch(patch).encode()) == patch
    stereo = replace(patch, layout="stereo")
    assert '"layout"' not in dump_patch(stereo)
    changes = difference(stereo, patch)
    assert changes == (LayoutSet("5.1"),)
    take = Take(stereo, RATE, (Entry(4800, Edit(changes)),))
    save_take(take, tmp_path / "a.take")
    again = load_take(tmp_path / "a.take")
    assert again.entries == take.entries
    out = render_to_array(again, seconds=0.3, rate=RATE)
    assert out.shape[1] == 6
    assert np.abs(out[:4800, 2]).max() == 0.0
    assert np.abs(out[6000:, 2]).max() > 0.01
    with pytest.raises(PatchError, match=r"layout.*must be one of stereo, quad"):
        parse_patch(dump_patch(patch).replace('"5.1"', '"7.1"').encode())


def test_the_demo_in_quad_is_the_same_loudness_as_in_stereo() -> None:
    plain, quad = demo(), replace(demo(), layout="quad")
    a, b = (judge(sound(patch, 8.0), RATE).integrated for patch in (plain, quad))
    assert a == pytest.approx(b, abs=1.6)
