"""Folder."""

from __future__ import annotations

import numpy as np
import pytest

from rig import RATE, Rig, level_db, tone


def test_the_folder_aliases_far_less_than_the_bare_curve() -> None:
    """Parker et al. 2016: at least 20 dB less in what is no harmonic, for 1.2 kHz at strong drive."""
    sine = tone(1237.0, 1.0)
    folded = Rig("folder", drive=8.0).run(round(RATE), audio=sine)["out"]
    bare = 1 - np.abs(np.mod(8.0 * sine * 0.25 + 0.25, 1.0) * 4 - 2)

    def alias(sound: np.ndarray) -> float:
        spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) ** 2
        bins = np.arange(len(spectrum))
        near = np.abs(np.mod(bins + 618, 1237) - 618) < 6
        return float(10 * np.log10(spectrum[~near & (bins > 200) & (bins < 12000)].sum()))

    assert alias(folded) < alias(bare) - 20
    assert np.abs(folded).max() <= 1.3  # filters swing over


def test_a_quiet_sound_passes_the_folder() -> None:
    sine = tone(100.0, 0.2, level=0.4)
    out = Rig("folder", drive=2.0).run(len(sine), audio=sine)["out"][2000:]
    assert level_db(out) == pytest.approx(level_db(2 * sine), abs=0.05)
    spectrum = np.abs(np.fft.rfft(out[:4800] * np.hanning(4800)))
    assert spectrum[15:].max() < 1e-4 * spectrum[10]


@pytest.mark.parametrize("rate", [44_100, 48_000])
@pytest.mark.parametrize(("hz", "least_db"), [(1009.0, 40), (2503.0, 40), (5003.0, 30)])
def test_little_folds_back_at_a_drive_of_eight(rate: int, hz: float, least_db: float) -> None:
    """The strongest component below 20 kHz that is no multiple of the tone, against the strongest that is one."""
    sine = np.sin(2 * np.pi * hz * np.arange(rate + 4800) / rate)
    out = Rig("folder", rate=float(rate), drive=8.0, watched=("out",)).run(len(sine), audio=sine)["out"][4800:]
    power = np.abs(np.fft.rfft(out * np.blackman(rate))) ** 2
    bins = np.arange(len(power))
    harmonic = np.abs(bins - np.round(bins / hz) * hz) < 4
    heard = bins < 20_000
    assert 10 * np.log10(power[harmonic & heard].max() / power[~harmonic & heard].max()) >= least_db


def test_what_is_folded_off_its_middle_has_no_constant() -> None:
    """Silence gave the offset, and a tone a part of it."""
    for sound in (np.zeros(2 * 48000), tone(220.0, 2.0, level=0.5)):
        out = Rig("folder", drive=3.0, symmetry=0.6).run(len(sound), audio=sound)["out"]
        assert abs(out[48000:].mean()) < 1e-3
