"""Amplifier."""

from __future__ import annotations

import numpy as np

from rig import Rig, tone


def test_amplifier_and_mix_are_what_they_say() -> None:
    a, b = tone(100, 0.1), tone(333, 0.1)
    np.testing.assert_array_equal(Rig("amplifier").run(len(a), audio=a, gain=b)["out"], a * b)
    out = Rig("mix", level_a=0.5, level_b=-1).run(len(a), a=a, b=b)["out"]
    np.testing.assert_allclose(out, 0.5 * a - b, atol=1e-15)


def test_amplifier_in_decibels() -> None:
    audio = tone(100, 0.1)
    louder = Rig("amplifier").run(4800, audio=audio, level_db=np.full(4800, 6.0))["out"]
    np.testing.assert_allclose(louder, audio * 10 ** (6 / 20), rtol=1e-12)
