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


def test_a_strike_is_one_flash_whatever_the_length_of_its_trigger() -> None:
    sound = np.random.default_rng(3).normal(0, 0.3, SECOND)
    heard = []
    for high in (96, 4800):
        strike = np.zeros(SECOND)
        strike[4800 : 4800 + high] = 1.0
        heard.append(Rig("low-pass-gate", decay_s=0.2).run(SECOND, audio=sound, strike=strike)["out"])
    assert np.array_equal(*heard)
    assert (heard[0][:4800] == 0).all(), "closed before the first strike"
    assert level_db(heard[0][5900:6200]) > level_db(sound[5900:6200]) - 3, "nearly fully open by the end of the flash"
    assert level_db(heard[0][-4800:]) < level_db(sound) - 30, "and closed again"
