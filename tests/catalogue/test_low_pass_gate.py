"""Low-pass gate."""

from __future__ import annotations

import numpy as np

from rig import RATE, Rig, level_db

SECOND = round(RATE)


def test_low_pass_gate_darkens_as_it_closes() -> None:
    opening = np.zeros(2 * SECOND)
    opening[:4800] = 1.0
    noise = np.random.default_rng(3).normal(0, 0.3, 2 * SECOND)
    out = Rig("low-pass-gate", decay_s=0.5).run(2 * SECOND, audio=noise, opening=opening)["out"]

    def brightness(part: np.ndarray) -> float:
        power = np.abs(np.fft.rfft(part)) ** 2
        return float((power * np.arange(len(power))).sum() / power.sum() * RATE / len(part))

    pieces = [out[at : at + 4800] for at in (0, 9600, 19200, 28800)]
    assert (np.diff([level_db(piece) for piece in pieces]) < -3).all()
    assert (np.diff([brightness(piece) for piece in pieces]) < 0).all()
    assert (Rig("low-pass-gate").run(4800, audio=noise[:4800])["out"] == 0).all()
