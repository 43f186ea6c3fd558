"""Patch files: round trip, survival of unknown parts, and every kind of bad input."""

from __future__ import annotations

import errno
import json
import os
import shutil
import subprocess
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dunefall.base.door import MAX_BYTES
from dunefall.base.errors import PatchError, StorageError
from dunefall.catalogue.validate import check_patch
from dunefall.patch.files import FORMAT, dump_patch, load_patch, parse_patch, save_patch
from dunefall.patch.model import MOST_VOICES, Layer, Module, Patch, SoundRef
from dunefall.patch.partfiles import dump_layer, raw_layer
from dunefall.session import open_patch
from rig import demo


def raw_demo() -> dict:
    return json.loads(dump_patch(demo()))


def parse(raw: object) -> Patch:
    return parse_patch(json.dumps(raw).encode())


def test_round_trip() -> None:
    patch = demo()
    assert parse_patch(dump_patch(patch).encode()) == patch


@pytest.mark.parametrize(("voices", "spread", "meet"), [(1, 0.59, ""), (1, 0.5, "mix"), (1, 0.5, ""), (3, 0.5, "")])
def test_how_voices_stand_is_kept_with_one_voice_too(voices: int, spread: float, meet: str) -> None:
    layer = Layer(id="a", name="A", voices=voices, spread=spread, meet=meet)
    assert raw_layer(dump_layer(layer), "layers[0]") == layer


def test_unknown_fields_and_kinds_survive() -> None:
    raw = raw_demo()
    raw["mood"] = {"light": "low"}
    raw["layers"][1]["tint"] = 3
    raw["layers"][1]["modules"].append(
        {"id": "x-1", "type": "not-yet-known", "name": "X", "params": {"q": 1}, "note": "?"}
    )
    raw["links"].append({"id": "link-x", "from": "x-1.somewhere", "to": "fog-air-band.cutoff_hz", "since": "later"})
    again = json.loads(dump_patch(parse(raw)))
    assert again["mood"] == {"light": "low"}
    assert again["layers"][1]["tint"] == 3
    assert again["layers"][1]["modules"][-1]["note"] == "?"
    assert again["layers"][1]["modules"][-1]["type"] == "not-yet-known"
    assert again["links"][-1]["since"] == "later"


def test_a_patch_with_unknown_kinds_still_sounds(tmp_path: Path) -> None:
    from dunefall.render.offline import render_to_array

    raw = raw_demo()
    raw["layers"][1]["modules"].append({"id": "x-1", "type": "not-yet-known", "name": "X"})
    raw["links"].append({"id": "link-x", "from": "x-1.out", "to": "fog-air-band.cutoff_hz"})
    path = tmp_path / "a.dunefall"
    path.write_text(json.dumps(raw))
    patch, _ = open_patch(str(path))
    assert abs(render_to_array(patch, seconds=0.2)).max() > 0


def edited(*path: str | int, to: object) -> dict:
    raw = raw_demo()
    part = raw
    for step in path[:-1]:
        part = part[step]
    part[path[-1]] = to
    return raw


BAD = [
    (edited("format", to=FORMAT + 1), "format: needs a newer Dunefall"),
    (edited("format", to="1"), "format: needs a whole number"),
    (edited("title", to=7), "title: needs text; got 7"),
    (edited("seed", to=-1), "seed: must be 0 to"),
    (edited("tempo_bpm", to=1e308), "tempo_bpm: "),
    (edited("layers", to={}), "layers: needs a list"),
    (edited("layers", 1, "modules", 0, "type", to=5), r"layers\[1\].modules\[0\].type: needs text"),
    (edited("layers", 1, "modules", 0, "params", "level", to="loud"), r"params.level: needs a number; got \"loud\""),
    (edited("layers", 1, "modules", 0, "id", to="gusts-1"), 'the id "gusts-1" is already used'),
    (edited("links", 3, "to", to="nobody.cutoff_hz"), r'links\[3\].to: there is no module "nobody"'),
    (edited("links", 3, "from", to="nowhere"), r'links\[3\].from: needs "module.port"'),
    (edited("links", 3, "curve", to="wild"), "must be one of straight"),
    (edited("links", 3, "on", to=1), r"links\[3\].on: needs true or false"),
    ([], "outermost part is not an object"),
    ("hello", "outermost part is not an object"),
]


@pytest.mark.parametrize(("raw", "text"), BAD)
def test_bad_patches_say_what_and_where(raw: object, text: str) -> None:
    with pytest.raises(PatchError, match=text):
        parse(raw)


PORTS = [
    (edited("links", 0, "to", to="fog-air-band.colour"), 'has no input or parameter "colour"'),
    (edited("links", 0, "from", to="fog-air-band.sideways"), 'has no output "sideways"'),
    (edited("layers", 2, "modules", 3, "params", "cutoff_hz", to=-3), "Cutoff of .* must be 10.* to 20.* kHz; got −3"),
    (edited("layers", 2, "modules", 3, "params", "warmth", to=1), 'has no parameter "warmth"'),
]


@pytest.mark.parametrize(("raw", "text"), PORTS)
def test_what_does_not_fit_the_catalogue(raw: object, text: str, tmp_path: Path) -> None:
    path = tmp_path / "bad.dunefall"
    path.write_text(json.dumps(raw))
    with pytest.raises(PatchError, match=text):
        open_patch(str(path))


NO_PATCH = [
    b"", b"RIFF....WAVE", b"\xff\xfe\x00", b'{"format": 1,', b"[" * 100_000, b'{"a":1,"a":2}', b'{"format": NaN}',
    b'{"format": 1e999}', b'{"format": ' + b"9" * 5000 + b"}",
]  # fmt: skip


@pytest.mark.parametrize("data", NO_PATCH)
def test_what_is_no_patch(data: bytes) -> None:
    with pytest.raises(PatchError):
        parse_patch(data)


@settings(max_examples=60, deadline=None)
@given(st.floats(min_value=0, max_value=0.9999))
def test_truncated_anywhere(share: float) -> None:
    data = dump_patch(demo()).encode()
    with pytest.raises(PatchError):
        parse_patch(data[: int(share * (len(data) - 2))])


def test_an_enormous_file_is_refused_unread(tmp_path: Path) -> None:
    path = tmp_path / "huge.dunefall"
    with path.open("wb") as file:
        file.truncate(200_000_000)
    with pytest.raises(PatchError, match=f"200 MB; at most {MAX_BYTES // 1_000_000} MB are read"):
        load_patch(path)


def test_missing_file_and_folder(tmp_path: Path) -> None:
    with pytest.raises(StorageError, match="cannot read"):
        load_patch(tmp_path / "none.dunefall")
    with pytest.raises(StorageError, match="cannot read"):
        load_patch(tmp_path)


def test_failed_save_leaves_the_old_file_whole(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "a.dunefall"
    save_patch(demo(), path)
    before = path.read_bytes()

    def full(_descriptor: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(StorageError, match=r"cannot save .*No space left.*the old file is unchanged"):
        save_patch(replace(demo(), title="Other"), path)
    assert path.read_bytes() == before
    assert list(tmp_path.iterdir()) == [path]


def test_full_disk_for_real(tmp_path: Path) -> None:
    """On a file system of 64 kB, where root may mount one."""
    place = tmp_path / "disk"
    place.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=64k", "tmpfs", str(place)], capture_output=True).returncode:
        pytest.skip("this user may not mount a file system")
    try:
        path = place / "a.dunefall"
        small = Patch(title="small")
        save_patch(small, path)
        with pytest.raises(StorageError, match="the old file is unchanged"):
            save_patch(replace(small, extra={"filler": "x" * 200_000}), path)
        assert load_patch(path) == small
        assert [file.name for file in place.iterdir()] == ["a.dunefall"]
    finally:
        subprocess.run(["umount", str(place)], check=True)


def test_read_only_folder_leaves_the_old_file_whole(tmp_path: Path) -> None:
    path = tmp_path / "a.dunefall"
    save_patch(demo(), path)
    with pytest.raises(StorageError, match="cannot save"):
        save_patch(demo(), tmp_path / "no" / "such" / "folder.dunefall")
    if os.getuid() == 0:
        if shutil.which("chattr") is None:
            pytest.skip("chattr is not installed, and root may write anywhere without it")
        flag = subprocess.run(["chattr", "+i", str(tmp_path)], capture_output=True)
        if flag.returncode:
            pytest.skip("root may write anywhere on this file system")
        unlock = ["chattr", "-i", str(tmp_path)]
    else:
        tmp_path.chmod(0o555)
        unlock = ["chmod", "755", str(tmp_path)]
    try:
        with pytest.raises(StorageError, match="the old file is unchanged"):
            save_patch(Patch(title="Other"), path)
    finally:
        subprocess.run(unlock, check=True)
    assert load_patch(path) == demo()


OLD = """{"format": 1, "layers": [{"id": "shared", "name": "Shared", "modules": []},
 {"id": "a", "name": "A", "modules": [
  {"id": "lfo", "type": "lfo", "name": "Sway"},
  {"id": "short", "type": "delay", "name": "S", "params": {"time_s": 0.02, "mix": 0.5, "damping": 0.0}},
  {"id": "middle", "type": "delay", "name": "M"},
  {"id": "long", "type": "delay", "name": "L", "params": {"time_s": 4.0, "damping": 0.35}},
  {"id": "a-output", "type": "output", "name": "A", "params": {"pan": -0.5}}]}],
 "links": [{"id": "1", "from": "lfo.out", "to": "short.time_s", "amount": 0.3},
  {"id": "2", "from": "lfo.out", "to": "middle.mix", "amount": 0.2},
  {"id": "3", "from": "lfo.out", "to": "a-output.pan", "amount": 0.5},
  {"id": "4", "from": "lfo.out", "to": "long.damping", "amount": 0.1}]}"""


def test_files_of_the_first_format_are_brought_up() -> None:
    patch = parse_patch(OLD.encode())
    check_patch(patch)
    short, middle, long = (patch.module(name).params for name in ("short", "middle", "long"))
    assert (short["span"], short["short_s"], short["dry"], short["wet"]) == (0.0, 0.02, 0.5, 0.5)
    assert short["high_cut_hz"] == 20000.0
    assert (middle["span"], middle["time_s"], middle["wet"]) == (1.0, 0.4, 0.35)
    assert (long["span"], long["long_s"]) == (2.0, 4.0)
    assert long["high_cut_hz"] == pytest.approx(8020, abs=5)
    assert patch.module("a-output").params["angle_deg"] == pytest.approx(-30.0)
    targets = {link.id: (str(link.target), link.amount) for link in patch.links}
    assert targets["1"] == ("short.short_s", 0.3)
    assert targets["2"] == ("middle.wet", 0.2)
    assert targets["3"] == ("a-output.angle_deg", 45.0)
    assert targets["4"] == ("long.high_cut_hz", pytest.approx(-0.4))
    assert parse_patch(dump_patch(patch).encode()) == patch


@pytest.mark.parametrize(("damping", "hertz"), [(1.0, 200.0), (0.5, 5295.3), (1e-30, 20000.0)])
def test_old_damping_becomes_the_cut_of_the_same_first_order_filter(damping: float, hertz: float) -> None:
    """y[n] = (1 - d) x[n] + d y[n-1] has its corner at -ln(d) rate / (2 pi) (textbook), within the range of today."""
    old = OLD.replace('"mix": 0.5, "damping": 0.0', f'"mix": 0.5, "damping": {damping}')
    assert parse_patch(old.encode()).module("short").params["high_cut_hz"] == pytest.approx(hertz, abs=0.1)


def test_only_the_pan_of_an_output_becomes_an_angle() -> None:
    old = OLD.replace('"params": {"pan": -0.5}', '"params": {"level_db": -3.0}')
    old = old.replace('"name": "Sway"}', '"name": "Sway", "params": {"pan": 0.25}}')
    read = parse_patch(old.encode())
    assert read.module("a-output").params == {"level_db": -3.0}
    assert read.module("lfo").params == {"pan": 0.25}, "what is not known stays as it is"


@pytest.mark.parametrize(("seed", "good"), [(0, True), (2**32 - 1, True), (2**32, False), (-1, False)])
def test_seeds_have_32_bits(seed: int, good: bool) -> None:
    raw = raw_demo() | {"seed": seed}
    if good:
        assert parse(raw).seed == seed
    else:
        with pytest.raises(PatchError, match="seed"):
            parse(raw)


def test_paths_of_sounds_stand_relative_to_the_file(tmp_path: Path) -> None:
    """A folder with a patch and its sounds can be moved."""
    near, far = tmp_path / "project" / "gulls.wav", tmp_path / "library" / "sea.wav"
    modules = tuple(
        Module(f"m{k}", "sample-player", f"M{k}", sound=SoundRef(str(path), "0" * 64))
        for k, path in enumerate((near, far))
    )
    patch = Patch(layers=(Layer("shared", "Shared"), Layer("a", "A", (*modules, Module("a-output", "output", "A")))))
    here, there = tmp_path / "project" / "p.dunefall", tmp_path / "elsewhere"
    here.parent.mkdir()
    save_patch(patch, here)
    written = [module["sound"]["path"] for module in json.loads(here.read_text())["layers"][1]["modules"][:2]]
    assert written == ["gulls.wav", "../library/sea.wav"]
    assert [m.sound.path for m in load_patch(here).modules() if m.sound] == [str(near), str(far)]
    here.parent.rename(there)
    assert next(m.sound.path for m in load_patch(there / "p.dunefall").modules() if m.sound) == str(there / "gulls.wav")


def test_fields_left_out_have_the_values_of_a_new_patch() -> None:
    read, new = parse_patch(b'{"format": 2, "layers": [], "links": []}'), Patch()
    assert (read.tempo_bpm, read.seed, read.layout, read.title) == (new.tempo_bpm, new.seed, new.layout, new.title)


@pytest.mark.parametrize(
    ("field", "good", "bad"),
    [("spread", (0, 0.0, 1, 1.0, 0.3), (-0.001, 1.001)), ("voices", (1, MOST_VOICES), (0, MOST_VOICES + 1))],
)
def test_the_ends_of_a_layer_s_ranges_are_in_them(field: str, good: tuple[float, ...], bad: tuple[float, ...]) -> None:
    raw = json.loads(dump_patch(demo()))
    layer = next(k for k, layer in enumerate(raw["layers"]) if layer["id"] == "fog-air")
    for value in good:
        raw["layers"][layer][field] = value
        assert getattr(parse_patch(json.dumps(raw).encode()).layer("fog-air"), field) == value
    for value in bad:
        raw["layers"][layer][field] = value
        with pytest.raises(PatchError, match=field):
            parse_patch(json.dumps(raw).encode())
