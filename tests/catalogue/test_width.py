"""Width."""

from __future__ import annotations

import numpy as np

from rig import Rig, level_db, tone


def test_width_zero_is_mono_and_a_made_side_vanishes_in_mono() -> None:
    generator = np.random.default_rng(2)
    left, right = generator.normal(size=(2, 48000)) * 0.1
    narrow = Rig("width", width=0).run(48000, audio=left, audio_right=right)
    np.testing.assert_array_equal(narrow["out"], narrow["out_right"])
    made = Rig("width", made=1).run(48000, audio=left, audio_right=left)
    np.testing.assert_allclose(made["out"] + made["out_right"], 2 * left, atol=1e-12)
    assert abs(np.corrcoef(made["out"], made["out_right"])[0, 1]) < 0.2


def test_low_frequencies_stay_in_the_middle() -> None:
    apart = {"audio": tone(40, 2.0), "audio_right": -tone(40, 2.0)}
    out = Rig("width", low_mono_hz=300).run(96000, **apart)["out"][48000:]
    assert level_db(out) < -25
