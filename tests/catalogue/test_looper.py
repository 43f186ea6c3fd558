"""Looper."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, level_db, pulses, tone


def test_a_loop_goes_round_at_any_speed() -> None:
    sound = tone(500, 1.0, level=0.4)
    gate = pulses([0.0], 4.0, width_s=0.5)
    for speed, hz in ((1.0, 500), (0.5, 250), (-1.0, 500), (2.0, 1000)):
        rig = Rig("looper", dry=0, wet=1, speed=speed)
        out = rig.run(96000, audio=np.concatenate([sound, np.zeros(48000)]), take=gate[:96000])["out"]
        piece = out[60000 : 60000 + 16384]
        assert np.argmax(np.abs(np.fft.rfft(piece * np.hanning(16384)))) * RATE / 16384 == pytest.approx(hz, abs=4)


def test_a_loop_fades_by_the_kept_share_each_pass() -> None:
    gate = pulses([0.0], 3.0, width_s=0.25)
    rig = Rig("looper", dry=0, wet=1, keep=0.5)
    out = rig.run(144000, audio=np.concatenate([tone(400, 0.25, level=0.4), np.zeros(132000)]), take=gate)["out"]
    passes = [level_db(out[12000 + 12000 * k + 1000 : 24000 + 12000 * k - 1000]) for k in range(5)]
    np.testing.assert_allclose(np.diff(passes), 20 * np.log10(0.5), atol=0.2)
