"""Stems, layers and hits: together they are the mix, alone they are what was asked for."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile

from dunefall.base.errors import ParameterError
from dunefall.catalogue.joining import joined
from dunefall.compiler.build import compile_patch
from dunefall.deliver.hits import event_links, events_of
from dunefall.deliver.making import File
from dunefall.deliver.rendering import alone, only_sending
from dunefall.patch.changes import LinkGone, ParamSet
from dunefall.patch.mixing import effect_lanes, mixed_layers
from dunefall.patch.model import MASTER_ID, Patch, Place
from dunefall.patch.take import Edit, Entry, Take
from dunefall.render.performance import Performance
from dunefall.session import open_patch

Deliver = Callable[..., list[File]]
RATE = 48000


def demo() -> Patch:
    """The shipped demo, with all its layers, effect lanes and the master."""
    return open_patch("demo:")[0]


def read(folder: Path, name: str) -> np.ndarray:
    return soundfile.read(folder / name, always_2d=True)[0]


def mix(seconds: float) -> np.ndarray:
    out = np.zeros((round(seconds * RATE), 2))
    Performance(Take(demo(), float(RATE))).fill(out)
    return out


def level(sound: np.ndarray) -> float:
    return float(20 * np.log10(np.abs(sound).max() + 1e-12))


@pytest.mark.parametrize("block", [64, 480, 4096])
def test_stems_come_with_the_mix_and_are_it_together(block: int) -> None:
    """The demo's master has an equaliser, whose state each stem has for itself."""
    ids = [layer.id for layer in (*mixed_layers(demo()), *effect_lanes(demo()))]
    performance = Performance(Take(demo(), float(RATE)), stems=ids)
    out = np.zeros((RATE, 2 * (1 + len(ids))))
    for at in range(0, RATE, block):
        performance.fill(out[at : at + block])
    assert (out[:, :2] == mix(1.0)).all()
    together = out[:, 2:].reshape(RATE, len(ids), 2).sum(axis=1)
    assert level(together - out[:, :2]) < -235
    assert sum(level(out[:, 2 + 2 * k : 4 + 2 * k]) > -60 for k in range(len(ids))) >= 8


def test_stems_follow_a_take_through_a_change_of_structure() -> None:
    patch = demo()
    into = next(link.id for link in patch.links if link.target.module == "fog-air-output")
    take = Take(patch).with_entry(Entry(9600, Edit((LinkGone(into),))))
    take = take.with_entry(Entry(14400, Edit((ParamSet("drip-line-output", "level_db", -3.0),))))
    ids = [layer.id for layer in (*mixed_layers(patch), *effect_lanes(patch))]
    out = np.zeros((RATE // 2, 2 * (1 + len(ids))))
    Performance(take, stems=ids).fill(out)
    assert level(out[:, 2:].reshape(len(out), len(ids), 2).sum(axis=1) - out[:, :2]) < -235


@pytest.mark.parametrize("effects", ["apart", "with"])
def test_files_of_stems_add_up_to_the_mix(effects: str, delivered: Deliver, tmp_path: Path) -> None:
    """Within -90 dBFS, at 32 bits; printed effects leave a rest where a lane is not linear."""
    files = delivered(demo(), what="stems", effects=effects, seconds=2.0, depth="32f", name="{n:02} {layer}")
    together = np.sum([read(tmp_path / "out", file.names[0]) for file in files], axis=0)
    assert level(together - mix(2.0)) < -90
    assert len(files) == (11 if effects == "apart" else 7 + (files[-1].names[0].endswith("rest.wav")))
    assert files[0].names == ("01 Turbine bed.wav",)


def test_stems_leave_out_what_is_inserted_on_the_mix(delivered: Deliver, tmp_path: Path) -> None:
    """And say so: a drive on the mix is not the sum of drives on its parts."""
    patch = joined(demo(), MASTER_ID, "drive").patch
    files = delivered(patch, what="stems", effects="apart", seconds=1.0, depth="32f", name="{layer}")
    together = np.sum([read(tmp_path / "out", file.names[0]) for file in files], axis=0)
    assert level(together - mix(1.0)) < -90
    assert all("Without Drive, which the whole mix goes through." in file.told for file in files)
    (whole,) = delivered(patch, tmp_path / "b", seconds=1.0, depth="32f")
    assert whole.told == ""
    assert level(read(tmp_path / "b", whole.names[0]) - mix(1.0)) > -40


def test_stems_that_would_be_cut_off_are_all_lowered_alike(delivered: Deliver, tmp_path: Path) -> None:
    files = delivered(demo(), what="stems", effects="without", seconds=1.0, name="{layer}", peak_db=-20.0)
    lowered = [file for file in files if "lower, to stay under the peak" in file.told]
    assert len(lowered) == len(files)
    assert max(file.measures.true_peak_db for file in files) <= -19.99


def test_a_layer_alone_is_its_stem_with_its_own_part_of_the_effects(delivered: Deliver, tmp_path: Path) -> None:
    files = delivered(
        demo(), what="layer", layer="drip-line", effects="apart", seconds=2.0, depth="32f", name="{layer}"
    )
    assert [file.names[0] for file in files] == ["Drip line.wav", "Drip line effects.wav"]
    performance = Performance(Take(demo(), float(RATE)), stems=["drip-line"])
    out = np.zeros((2 * RATE, 4))
    performance.fill(out)
    assert level(read(tmp_path / "out", "Drip line.wav") - out[:, 2:]) < -120
    (whole,) = delivered(demo(), tmp_path / "b", what="layer", layer="drip-line", seconds=2.0, depth="32f")
    both = sum(read(tmp_path / "out", file.names[0]) for file in files)
    assert level(read(tmp_path / "b", whole.names[0]) - both) < -120


def test_a_layer_takes_only_those_along_that_lead_to_it() -> None:
    small = alone(demo(), ("drip-line",))
    assert {layer.id for layer in small.layers} < {layer.id for layer in demo().layers}
    assert "fog-air" not in {layer.id for layer in small.layers}
    program = compile_patch(small, rate=48000.0)
    assert "drip-line-output" in program.module_at
    sending = only_sending(demo(), "drip-line")
    effects = {m.id for lane in effect_lanes(sending) for m in lane.modules}
    into = [link for link in sending.links if link.target.module in effects and link.source.module not in effects]
    sources = {link.source.module for link in into if link.on and link.source.port in ("out", "before")}
    assert sources == {"drip-line-output"}


def test_every_hit_has_a_file_that_begins_with_it_and_ends_in_silence(delivered: Deliver, tmp_path: Path) -> None:
    seconds = 8.0
    files = delivered(
        demo(),
        what="hits",
        module="drip-line-strike",
        layer="drip-line",
        seconds=seconds,
        trim_db=-60.0,
        name="h{n:02}",
    )
    gates = sorted({link.source for link in event_links(demo(), "drip-line-strike")}, key=str)
    events = events_of(demo(), gates, RATE, seconds, lambda share: None)
    assert len(files) == len(events) > 4
    for file in files:
        sound = read(tmp_path / "out", file.names[0])
        assert np.abs(sound[: round(0.01 * RATE)]).max() > 0.02 * np.abs(sound).max()  # it begins at once
        assert np.abs(sound[-round(0.005 * RATE) :]).max() < 1e-3
    pitches = {round(file.measures.lufs, 2) for file in files}
    assert len(pitches) > 3, "each hit is its own"


def test_a_hit_holds_nothing_of_the_others(delivered: Deliver, tmp_path: Path) -> None:
    """The first hit of a patch is the patch itself up to the second one."""
    files = delivered(
        demo(),
        what="hits",
        module="drip-line-strike",
        layer="drip-line",
        seconds=4.0,
        trim_db=-80.0,
        name="h{n}",
        depth="32f",
    )
    gates = sorted({link.source for link in event_links(demo(), "drip-line-strike")}, key=str)
    (first, _), (second, _) = events_of(demo(), gates, RATE, 4.0, lambda share: None)[:2]
    out = np.zeros((second, 4))
    Performance(Take(demo(), float(RATE)), stems=["drip-line"]).fill(out)
    stem, hit = out[first:, 2:], read(tmp_path / "out", files[0].names[0])
    at = int(np.argmax(np.correlate(stem[:4800, 0], hit[:2400, 0], "valid")))
    size = min(len(stem) - at, len(hit), 4000)
    a, b = stem[at : at + size, 0], hit[:size, 0]
    assert np.vdot(a, b) / np.sqrt(np.vdot(a, a) * np.vdot(b, b)) > 0.99


def test_what_has_no_events_is_refused(delivered: Deliver) -> None:
    for module, text in (("fog-air-noise", "has no events"), ("nothing", "choose the module")):
        with pytest.raises(ParameterError, match=text):
            delivered(demo(), what="hits", module=module, name="{n}")
    with pytest.raises(ParameterError, match=r"put \{n\} into"):
        delivered(demo(), what="hits", module="drip-line-strike", name="hit")
    with pytest.raises(ParameterError, match="no event in the first"):
        delivered(demo(), what="hits", module="drip-line-strike", seconds=0.01, name="{n}")


def test_places_are_what_is_probed() -> None:
    performance = Performance(Take(demo()), probed=(Place("drip-line-hold", "out"),))
    assert ("drip-line-hold", "out") in performance.player.program.row_at
    with pytest.raises(ValueError, match="has no stems"):
        Performance(Take(demo()), performance.player.checkpoint(), stems=("fog-air",))
