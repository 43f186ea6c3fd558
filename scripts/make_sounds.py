"""Make the shipped sounds: run it again after a change and commit what it writes."""

from __future__ import annotations

import numpy as np
import soundfile
from scipy.signal import butter, sosfiltfilt

from dunefall.catalogue.validate import check_patch
from dunefall.patch.library import DATA
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from dunefall.render.offline import render_to_array

SECONDS, LOWEST_HZ = 5.0, 30.0


def gate() -> Patch:
    """An iron gate that is let down and groans."""
    modules = (
        Module("knocks", "clock", "Knocks", {"sync": 1, "period_s": 0.9, "swing": 0.4}),
        Module("skip", "chance", "Skips", {"probability": 0.7}),
        Module("plate", "struck-body", "Plate", {"body": 3, "pitch_note": 45, "decay_s": 1.6}),
        Module("groan", "chaotic-tone", "Groan", {"level": 0.25}),
        Module("sway", "smooth-random", "Sway", {"rate_hz": 1.6}),
        Module("low", "filter", "Low", {"cutoff_hz": 600, "resonance": 0.6}),
        Module("air", "noise", "Air", {"colour": 1}),
        Module("breath", "amplifier", "Breath", {"gain": 0.06}),
        Module("a-output", "output", "Output", {"level_db": -3.0}),
    )
    links = (
        ("knocks.gate", "skip.trigger", 1.0), ("skip.passed", "plate.trigger", 1.0),
        ("plate.out", "a-output.audio", 1.0),
        ("groan.out", "low.audio", 1.0), ("sway.out", "low.cutoff_hz", 1.8), ("low.low", "a-output.audio", 0.12),
        ("air.out", "breath.audio", 1.0), ("breath.out", "a-output.audio", 1.0),
    )  # fmt: skip
    made = tuple(
        Link(f"link-{k}", Place(*source.split(".")), Place(*target.split(".")), amount)
        for k, (source, target, amount) in enumerate(links)
    )
    return Patch(seed=7, layers=(Layer("shared", "Shared"), Layer("a", "Gate", modules)), links=made)


def main() -> None:
    """Write the files."""
    check_patch(gate())
    sound = render_to_array(gate(), seconds=SECONDS).mean(axis=1)
    sound = sosfiltfilt(butter(2, LOWEST_HZ, "high", fs=48000, output="sos"), sound)
    fade = round(0.05 * 48000)
    sound[-fade:] *= np.linspace(1, 0, fade)
    sound *= 0.8 / np.abs(sound).max()
    (DATA / "sounds").mkdir(exist_ok=True)
    soundfile.write(DATA / "sounds" / "iron-gate.flac", sound, 48000, subtype="PCM_16")


if __name__ == "__main__":
    main()
