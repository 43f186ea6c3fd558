"""Drive."""

from __future__ import annotations

import numpy as np

from rig import RATE, Rig, tone


def test_drive_keeps_aliasing_down() -> None:
    """At least 20 dB less than the same curve by itself, for a sine of 5 kHz (Parker et al. 2016)."""
    sound = tone(5000, 1.0)
    driven = Rig("drive", drive_db=24, tone_hz=20000).run(48000, audio=sound)["out"]
    x = 10 ** (24 / 20) * sound
    bare = x / np.sqrt(1 + x * x)

    def beside(wave: np.ndarray) -> float:
        spectrum = np.abs(np.fft.rfft(wave[-32000:] * np.kaiser(32000, 14))) ** 2
        hz = np.fft.rfftfreq(32000, 1 / RATE)
        away = np.abs(hz - 5000 * np.round(hz / 5000)) > 60
        return float(10 * np.log10(spectrum[away & (hz < 16000)].sum() / spectrum.sum()))

    assert beside(driven) < beside(bare) - 20
