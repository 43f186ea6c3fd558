"""Drone cloud."""

from __future__ import annotations

import numpy as np
import pytest

from measuring import spectrum_of
from rig import RATE, Rig, pulses

SECOND = round(RATE)


def test_a_still_drone_cloud_is_a_harmonic_series() -> None:
    """f, 2f, 3f … with 6 dB less per octave: amplitudes as 1 / n (definition)."""
    still = {"scatter_ct": 0.0, "unlike": 0.0, "drift_ct": 0.0, "drift_level": 0.0, "spread": 0.0, "partials": 8.0}
    sound = Rig("drone-cloud", pitch_note=45, tilt_db=-6.0206, level=1, **still).run(2 * SECOND)["out"][SECOND:]
    amplitudes = 2 * np.abs(np.fft.rfft(sound))[110 : 9 * 110 : 110] / SECOND
    np.testing.assert_allclose(amplitudes / amplitudes[0], 1 / np.arange(1, 9), rtol=2e-3)


@pytest.mark.parametrize(("series", "ratios"), [(2, [1, 1 / 2, 1 / 3]), (3, [1, 2 ** (7 / 12), 2, 2 ** (16 / 12)])])
def test_drone_cloud_series(series: int, ratios: list[float]) -> None:
    still = {"scatter_ct": 0.0, "unlike": 0.0, "drift_ct": 0.0, "drift_level": 0.0, "spread": 0.0, "partials": 4.0}
    sound = Rig("drone-cloud", pitch_note=69, series=series, tilt_db=0, **still).run(3 * SECOND)["out"][SECOND:]
    spectrum = spectrum_of(sound)
    for ratio in ratios:
        assert spectrum[round(880 * ratio)] > 0.3 * spectrum.max()


def test_a_drone_cloud_moves_to_a_new_seed_and_stays_there() -> None:
    """Scattered partials stand elsewhere after a trigger, and nothing jumps on the way."""
    still = {
        "scatter_ct": 100.0,
        "unlike": 0.0,
        "drift_ct": 0.0,
        "drift_level": 0.0,
        "spread": 0.0,
        "partials": 4.0,
        "move_s": 0.5,
    }
    rig = Rig("drone-cloud", pitch_note=69, **still)
    before = rig.run(SECOND)["out"][SECOND // 2 :]
    moving = rig.run(SECOND, trigger=pulses([0.1], 1.0))["out"]
    after = rig.run(SECOND, trigger=np.zeros(SECOND))["out"][SECOND // 2 :]
    a, b = spectrum_of(before), spectrum_of(after)
    assert abs(int(a[150:300].argmax()) - int(b[150:300].argmax())) >= 2
    highest = 2 * np.pi * 4 * 440 * 2 ** (2 / 12) / RATE
    assert np.abs(np.diff(moving)).max() < highest * np.abs(moving).max() * 1.05


def test_a_new_seed_is_heard_at_once_at_its_defaults() -> None:
    """The partials' levels differ by 3 dB and more on the mean from seed to seed; without a trigger they do not."""

    def levels(rig: Rig, trigger: np.ndarray) -> np.ndarray:
        sound = rig.run(4 * SECOND, trigger=trigger)["out"]
        spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) ** 2
        hz = 65.406 * np.arange(1, 9)
        bands = [spectrum[round(4 * x * 0.97) : round(4 * x * 1.03) + 1].sum() for x in hz]
        return 10 * np.log10(np.array(bands))

    rig = Rig("drone-cloud", drift_level=0, move_s=0.02, watched=("out",))
    before = levels(rig, np.zeros(4 * SECOND))
    same = levels(rig, np.zeros(4 * SECOND))
    levels(rig, pulses([0.1], 4.0))
    after = levels(rig, np.zeros(4 * SECOND))
    assert np.abs(after - before).mean() > 3.0
    assert np.abs(same - before).mean() < 1.0
