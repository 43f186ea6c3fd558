"""Whether what the builds made is what was asked for: their saved patches are rendered and looked at.

Everything is read from the sound by general means (level, spectral centroid, onsets, autocorrelation), and from the
patch only where two renders are to be compared.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from dunefall.compiler.sounds import import_sounds
from dunefall.deliver.jobfiles import preset_folder, presets
from dunefall.patch.files import load_patch
from dunefall.patch.model import Patch
from dunefall.render.clickcount import count_clicks
from dunefall.render.offline import render_to_array

__all__ = ["CHECKS"]

RATE = 48000
Sound = NDArray[np.float64]
MINOR = {0, 2, 3, 5, 7, 8, 10}


def rendered(patch: Patch, seconds: float) -> Sound:
    """The patch's sound, mono."""
    import_sounds(patch)
    return render_to_array(patch, seconds=seconds).mean(axis=1)


def alone(patch: Patch, layer: str) -> Patch:
    """Only one layer, by its name, is heard."""
    for other in patch.layers:
        if patch.has(other.output_id) and not other.effects and other.id != "master":
            patch = patch.with_param(other.output_id, "mute", 0.0 if other.name == layer else 1.0)
    return patch


def pieces(sound: Sound, seconds: float) -> Sound:
    """Windows of equal length, one in each row."""
    size = round(seconds * RATE)
    return sound[: len(sound) // size * size].reshape(-1, size)


def centroids(sound: Sound, seconds: float) -> Sound:
    """Spectral centroid of each window in Hz; those that are nearly silent are left out."""
    rows = pieces(sound, seconds)
    rows = rows[np.sqrt((rows**2).mean(axis=1)) > 1e-4]
    power = np.abs(np.fft.rfft(rows * np.hanning(rows.shape[1]), axis=1)) ** 2
    return (power * np.fft.rfftfreq(rows.shape[1], 1 / RATE)).sum(axis=1) / power.sum(axis=1)


def strongest_notes(sound: Sound, seconds: float) -> Sound:
    """Note number of the strongest partial of each window."""
    rows = pieces(sound, seconds)
    rows = rows[np.sqrt((rows**2).mean(axis=1)) > 1e-4]
    size = 1 << 17
    power = np.abs(np.fft.rfft(rows * np.hanning(rows.shape[1]), size, axis=1))
    return 69 + 12 * np.log2(power[:, 20:].argmax(axis=1) + 20.0) + 12 * np.log2(RATE / size / 440)


def level_db(sound: Sound) -> float:
    """RMS in dB."""
    return float(10 * np.log10(np.mean(sound**2) + 1e-12))


def check_shaping(patch: Patch, _folder: Path) -> None:
    """Notes of a grid, and a tone that two slow triangles open and close."""
    sound = rendered(patch, 40.0)
    notes = {round(float(note)) % 12 for note in strongest_notes(sound, 0.15)}
    assert len(notes) >= 4, f"only the notes {notes}"
    slow = centroids(sound, 2.0)
    assert slow.max() / slow.min() > 1.25, "the tone stands still"
    moving = [link for link in patch.links if patch.module(link.source.module).type == "lfo"]
    assert len({link.amount for link in moving}) == 2, "two amounts of their own"


def check_slow_wave(patch: Patch, _folder: Path) -> None:
    """Notes of C minor, no click, echoes that stay."""
    sound = rendered(patch, 30.0)
    notes = strongest_notes(sound, 0.4)
    away = np.abs(notes - np.round(notes))
    assert np.median(away) < 0.1, "not on semitones"
    assert np.mean([round(float(note)) % 12 in MINOR for note in notes]) > 0.95, "not in minor"
    output = next(m.id for m in patch.modules() if m.type == "output")
    assert count_clicks(patch, output, 10.0) == 0, "it clicks still"
    delay = next(m for m in patch.modules() if m.type == "delay")
    dry = rendered(patch.with_module(replace(delay, bypassed=True)), 30.0)
    assert level_db(sound[-10 * RATE :]) > level_db(dry[-10 * RATE :]) + 3, "the echoes do not pile up"


def check_compound(patch: Patch, folder: Path) -> None:
    """Two of one compound, its control in its own range, in two states; kept in the library."""
    assert len(patch.compounds) == 2
    winds = [next(x for x in compound.controls if x.name == "Wind") for compound in patch.compounds]
    assert all((wind.low, wind.high) == (200.0, 4000.0) for wind in winds)
    assert list((folder / "library").glob("*.dunefall")), "not kept"
    places = [wind.place for wind in winds]
    states = {patch.module(place.module).params.get(place.port, 950.0) for place in places}
    assert len(states) == 2, "both in one state"
    heard = []
    for hz in (300.0, 3000.0):
        changed = patch
        for place in places:
            changed = changed.with_param(place.module, place.port, hz)
        heard.append(float(centroids(rendered(changed, 3.0), 0.5).mean()))
    assert heard[1] > 2 * heard[0], "the control does not sweep"


def check_copies(patch: Patch, _folder: Path) -> None:
    """Three layers, each heard, each other than the first; held steps on the filter."""
    layers = [x.name for x in patch.layers if patch.has(x.output_id)]
    assert len(layers) == 3
    sounds = [rendered(alone(patch, name), 8.0) for name in layers]
    assert all(level_db(sound) > -50 for sound in sounds)
    for other in sounds[1:]:
        assert np.corrcoef(sounds[0], other)[0, 1] < 0.98
    bright = centroids(sounds[0], 0.1)
    assert bright.std() / bright.mean() > 0.05, "nothing moves the filter"


def check_storm(patch: Patch, _folder: Path) -> None:
    """Gusts and spray that swell, strikes that go round the listener; the copy is darker and fires bursts."""
    names = [x.name for x in patch.layers if patch.has(x.output_id)]
    assert len(names) == 4
    gusts, _, strikes, copy = names
    assert all(level_db(rendered(alone(patch, name), 12.0)) > -60 for name in names)
    slow = centroids(rendered(alone(patch, gusts), 20.0), 1.0)
    assert slow.max() / slow.min() > 1.2, "no gusts"
    import_sounds(patch)
    left, right = (pieces(side, 0.25) for side in render_to_array(alone(patch, strikes), seconds=12.0).T[:2])
    balance = np.log((left**2).mean(axis=1) + 1e-12) - np.log((right**2).mean(axis=1) + 1e-12)
    assert balance.max() > 0.5, "never left"
    assert balance.min() < -0.5, "never right"
    first, other = (rendered(alone(patch, name), 12.0) for name in (strikes, copy))
    assert np.median(centroids(other, 0.5)) < 0.8 * np.median(centroids(first, 0.5)), "not darker"
    burst = next(m.id for m in patch.modules() if m.type == "burst")
    once = patch
    for link in patch.links_from(burst):
        once = once.with_link(replace(link, source=patch.links_into(burst, "trigger")[0].source))
    assert level_db(other) > level_db(rendered(alone(once, copy), 12.0)) + 1, "no bursts"


def check_pad(patch: Patch, _folder: Path) -> None:
    """Pad and arpeggio are heard; the loop shifts its echoes; three held randoms move the resonator."""
    pad, arpeggio = (x.name for x in patch.layers if patch.has(x.output_id))
    assert level_db(rendered(alone(patch, pad), 12.0)) > -60
    notes = strongest_notes(rendered(alone(patch, arpeggio), 20.0), 0.2)
    assert len({round(float(note)) for note in notes}) >= 4
    resonator = next(m.id for m in patch.modules() if m.type == "resonator")
    movers = [link for link in patch.links_into(resonator) if link.target.port != "audio"]
    assert len(movers) == 3
    still = patch
    for link in movers:
        still = still.without_link(link.id)
    one, other = (rendered(alone(p, arpeggio), 8.0) for p in (patch, still))
    assert np.corrcoef(one, other)[0, 1] < 0.95, "the held randoms move nothing"
    assert not any(module.bypassed for module in patch.modules()), "all brought back"


def check_order(patch: Patch, _folder: Path) -> None:
    """Levels that recur after four steps and not before: one and the same envelope twice, then two others."""
    beat = 60 / patch.tempo_bpm / 4
    sound = rendered(patch, 32 * beat + 1.0)
    steps = pieces(sound[round(4 * beat * RATE) :], beat)[:24]
    parts = steps[:, : steps.shape[1] // 8 * 8].reshape(len(steps), 8, -1)
    shapes = np.sqrt((parts**2).mean(axis=2))
    alike = [float(np.mean(np.abs(shapes[lag:] - shapes[:-lag]))) for lag in range(1, 5)]
    assert alike[3] < min(alike[:3]), f"no order of four: {alike}"
    assert any(m.type == "logic" for m in patch.modules())
    logic = next(m.id for m in patch.modules() if m.type == "logic")
    assert {link.target.port for link in patch.links_into(logic)} >= {"a", "b"}


def check_keyboard(patch: Patch, folder: Path) -> None:
    """The file that was rendered, and the value that was taken back."""
    sound, rate = soundfile.read(folder / "Renders" / "keyboard.wav")
    assert rate == RATE
    assert len(sound) == presets(preset_folder())[0].job.seconds * RATE
    assert level_db(sound.mean(axis=1)) > -50
    slow = centroids(sound.mean(axis=1), 2.0)
    assert slow.max() / slow.min() > 1.2, "nothing moves"
    lfo = next(m for m in patch.modules() if m.type == "lfo")
    assert lfo.params.get("rate_hz") == 0.02, "undone"


def check_first(patch: Patch, _folder: Path) -> None:
    """It is heard, and it moves more than it does without what moves it."""
    sound = rendered(patch, 30.0)
    assert level_db(sound) > -50
    still = patch
    for link in patch.links:
        if patch.module(link.source.module).type == "lfo":
            still = still.without_link(link.id)
    moved, rests = (centroids(x, 1.0) for x in (sound, rendered(still, 30.0)))
    assert moved.std() / moved.mean() > 1.2 * rests.std() / rests.mean()


CHECKS: dict[str, Callable[[Patch, Path], None]] = {
    "shaping": check_shaping, "slow_wave": check_slow_wave, "compound": check_compound, "copies": check_copies,
    "storm": check_storm, "pad": check_pad, "order": check_order, "keyboard": check_keyboard, "first": check_first,
}  # fmt: skip


def check(name: str, path: Path) -> None:
    """Raise AssertionError where the patch of a build is not what was asked for."""
    CHECKS[name](load_patch(path), path.parent)
