"""The command line: what it prints, what it writes, how it refuses."""

from __future__ import annotations

import json
import shlex
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile

from dunefall.cli import COMMANDS, main, manual_parser
from dunefall.compiler.loop import NOBODY
from dunefall.patch.changes import ParamSet
from dunefall.patch.files import save_patch
from dunefall.patch.model import Compound, Layer, Link, Module, Patch, Place
from dunefall.patch.take import Edit, Entry, Take
from dunefall.patch.takefiles import save_take
from dunefall.render.offline import render_to_array
from dunefall.render.threads import rendering_team
from rig import demo


def run(*words: str, capsys: pytest.CaptureFixture[str]) -> tuple[int, str, str]:
    try:
        status = main(words)
    except SystemExit as stop:
        status = int(stop.code or 0)
    captured = capsys.readouterr()
    return status, captured.out, captured.err


def test_render(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    files = [tmp_path / name for name in ("a.wav", "b.wav", "c.wav")]
    for file, seed in zip(files, ("5", "5", "6"), strict=True):
        words = ("render", "demo:", "--seconds", "1", "--seed", seed, "--rate", "44100", "--block", "100")
        status, out, _ = run(*words, "--out", str(file), capsys=capsys)
        assert status == 0
        assert "1 s, 44100 Hz, seed 000" in out
    assert soundfile.info(files[0]).frames == 44100
    assert files[0].read_bytes() == files[1].read_bytes() != files[2].read_bytes()


def test_modules(capsys: pytest.CaptureFixture[str]) -> None:
    status, out, _ = run("modules", "--json", capsys=capsys)
    entries = {entry["id"]: entry for entry in json.loads(out)}
    assert status == 0
    assert len(entries) == 96
    cutoff = entries["filter"]["parameters"][0]
    assert (cutoff["unit"], cutoff["low"], cutoff["high"], cutoff["default"]) == ("hz", 10, 20000, 950)
    assert "Filter: Low-pass, band-pass" in run("modules", capsys=capsys)[1]


def test_starters_can_be_rendered(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    _, out, _ = run("starters", "--json", capsys=capsys)
    names = [entry["name"] for entry in json.loads(out)]
    assert len(names) == 26
    for name in names:
        file = tmp_path / f"{name}.wav"
        assert run("render", f"starter:{name}", "--seconds", "8", "--out", str(file), capsys=capsys)[0] == 0
        assert abs(soundfile.read(file)[0]).max() > 0.01


def test_story_names_values_and_movers(capsys: pytest.CaptureFixture[str]) -> None:
    _, whole, _ = run("story", "demo:", capsys=capsys)
    assert "Sluice House, 03:00: 7 layers, 4 effect lanes" in whole
    assert "It never repeats, because Load, " in whole
    _, layer, _ = run("story", "demo:", "drip line", capsys=capsys)
    assert (
        "Cutoff: Strike raises it by up to 2.00 oct (× 4); Gusts moves it up to 1.50 oct (× 2.83) either way." in layer
    )
    assert "Fog air" not in layer
    status, _, err = run("story", "demo:", "attic", capsys=capsys)
    assert (status, err.strip()) == (
        2,
        'dunefall: there is no layer "attic"; there are Shared, Turbine bed, Fog air, Drip line, Buoy bell, '
        "Hull groan, Relay ticks, Beacon, Wide hall, Rust echo, Grain cloud, Spring, Master",
    )


def test_check(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert run("check", "demo:", capsys=capsys)[0] == 0
    bad = tmp_path / "bad.dunefall"
    bad.write_text('{"format": 1, "layers": [{"id": "a"}]}')
    status, out, err = run("check", str(bad), capsys=capsys)
    assert (status, out) == (2, "")
    assert err == 'dunefall: bad.dunefall cannot be opened: layers[0]: the field "name" is missing\n'


WRONG = [
    ("render", "demo:", "--seconds", "-1", "--out", "x.wav"),
    ("render", "demo:", "--seconds", "1"),
    ("render", "demo:", "--seconds", "1", "--rate", "5", "--out", "x.wav"),
    ("render", "demo:", "--seconds", "1", "--block", "0", "--out", "x.wav"),
    ("render", "demo:", "--seconds", "1", "--seed", "-4", "--out", "x.wav"),
    ("render", "demo:", "--seconds", "1", "--out", "no/such/folder/x.wav"),
    ("render", "missing.dunefall", "--seconds", "1", "--out", "x.wav"),
    ("check", "starter:none"),
    ("check",),
    ("--theme", "blue"),
    ("--quit-after", "soon"),
    ("one", "two"),
]


@pytest.mark.parametrize("words", WRONG, ids=" ".join)
def test_wrong_usage_is_one_line_and_status_2(
    words: tuple[str, ...], capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    status, out, err = run(*words, capsys=capsys)
    assert (status, out) == (2, "")
    assert err.count("\n") == 1
    assert list(tmp_path.iterdir()) == []


def test_the_window_opens_sounds_draws_and_ends(tmp_path: Path) -> None:
    import os

    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    picture = tmp_path / "a.png"
    words = ["--demo", "--audio", "simulated", "--theme", "dusk", "--screenshot", str(picture), "--quit-after", "0"]
    command = [sys.executable, "-m", "dunefall", *words]
    done = subprocess.run(command, capture_output=True, text=True, env=env, timeout=120)
    assert (done.returncode, done.stdout) == (0, ""), done.stderr
    assert "Traceback" not in done.stderr
    assert picture.read_bytes().startswith(b"\x89PNG")
    env.pop("QT_QPA_PLATFORM")
    env.pop("DISPLAY", None)
    env.pop("WAYLAND_DISPLAY", None)
    done = subprocess.run([*command[:3], "--demo"], capture_output=True, text=True, env=env, timeout=60)
    assert done.returncode == 2
    assert "there is no display" in done.stderr


def test_no_traceback_from_the_real_program(tmp_path: Path) -> None:
    path = tmp_path / "a.dunefall"
    path.write_bytes(b"\x00\x01")
    done = subprocess.run([sys.executable, "-m", "dunefall", "check", str(path)], capture_output=True, text=True)
    assert done.returncode == 2
    assert "Traceback" not in done.stderr


def test_a_take_is_rendered_with_all_that_was_done_by_hand(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """The file of a take equals the take rendered in this process; broken takes are refused in one line."""
    take = Take(demo()).with_entry(Entry(9600, Edit((ParamSet("fog-air-output", "level_db", -40.0),))))
    save_take(take, tmp_path / "a.dunetake")
    out = tmp_path / "a.wav"
    status, said, _ = run("render", str(tmp_path / "a.dunetake"), "--seconds", "0.5", "--out", str(out), capsys=capsys)
    assert status == 0
    assert "0.5 s" in said
    sound, rate = soundfile.read(out)
    assert rate == 48000
    np.testing.assert_allclose(sound, render_to_array(take, seconds=0.5), atol=2**-22)
    wrong = take.with_entry(Entry(9700, Edit((ParamSet("fog-air-output", "level_db", 99.0),))))
    save_take(wrong, tmp_path / "b.dunetake")
    status, _, told = run(
        "render", str(tmp_path / "b.dunetake"), "--seconds", "1", "--out", str(tmp_path / "b.wav"), capsys=capsys
    )
    assert status == 2
    assert "after the change at sample 9700" in told
    assert "Traceback" not in told


def test_a_render_for_other_loudspeakers(tmp_path: Path) -> None:
    out = tmp_path / "around.wav"
    assert main(["render", "starter:fog-air", "--seconds", "0.5", "--layout", "5.1", "--out", str(out)]) == 0
    assert soundfile.info(out).channels == 6


@pytest.mark.parametrize("shell", ["bash", "zsh"])
def test_completion_comes_from_the_parser(shell: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["completion", shell]) == 0
    script = capsys.readouterr().out
    assert all(name in script for name in ("dunefall", "render", "--seconds", "story"))


def test_a_render_hears_a_recording_and_says_where_there_is_none(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    layer = Layer("a", "A", (Module("m", "live-input", "Microphone"), Module("out", "output", "Out")))
    patch = Patch(layers=(Layer("shared", "Shared"), layer), links=(
        Link("l", Place("m", "out"), Place("out", "audio"), 1.0),
    ))  # fmt: skip
    file, recording = tmp_path / "live.dunefall", tmp_path / "clap.wav"
    save_patch(patch, file)
    soundfile.write(recording, np.repeat(0.2 * np.ones((44100, 1)), 2, axis=1), 44100)

    def rendered(name: str, *more: str) -> tuple[str, np.ndarray]:
        words = ("render", str(file), "--seconds", "1", "--out", str(tmp_path / name), *more)
        status, told, _ = run(*words, capsys=capsys)
        assert status == 0
        return told, soundfile.read(tmp_path / name)[0]

    told, silence = rendered("none.wav")
    assert "no recording" in told
    assert not silence.any() or np.abs(silence).max() < 1e-6
    for name, live in (("voice.wav", "simulated"), ("clap_heard.wav", str(recording))):
        told, sound = rendered(name, "--live", live)
        assert "no recording" not in told
        assert np.abs(sound).max() > 0.01
    status, _, error = run("render", str(file), "--seconds", "1", "--out", str(tmp_path / "x.wav"), "--live",
                           str(tmp_path / "nothing.wav"), capsys=capsys)  # fmt: skip
    assert (status, "cannot be read" in error) == (2, True)


def test_the_library_without_a_window(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DUNEFALL_LIBRARY", str(tmp_path / "library"))
    parts = (Module("a", "noise", "Hiss"), Module("b", "filter", "Dark"))
    patch = Patch(
        title="Gust", layers=(Layer("shared", "Shared"), Layer("l", "L", parts)),
        links=(Link("x", Place("a", "out"), Place("b", "audio"), 1.0),),
        compounds=(Compound("c", "Gust", parts=("a", "b"), about="A gust of wind."),),
    )  # fmt: skip
    save_patch(patch, tmp_path / "gust.dunefall")
    assert "no compounds" in run("library", "list", capsys=capsys)[1]
    assert run("library", "add", str(tmp_path / "gust.dunefall"), capsys=capsys)[0] == 0
    assert "A gust of wind." in run("library", "list", capsys=capsys)[1]
    assert json.loads(run("library", "list", "--json", capsys=capsys)[1])[0]["modules"] == 2
    assert "Hiss (Noise)" in run("library", "show", "gust", capsys=capsys)[1]
    status, _, error = run("library", "show", "rain", capsys=capsys)
    assert (status, "there are Gust" in error) == (2, True)
    assert run("library", "remove", "Gust", capsys=capsys)[0] == 0
    assert "no compounds" in run("library", "list", capsys=capsys)[1]


def test_survey_tells_findings_repeats_and_numbers(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["survey", "starter:pump-engine", "--minutes", "0.2", "--csv", str(tmp_path / "n.csv")]) == 0
    assert rendering_team() is NOBODY, "its threads are gone"
    told = capsys.readouterr().out
    assert "LUFS" in told
    assert (tmp_path / "n.csv").read_text().startswith("layer,events")
    assert main(["survey", "starter:pump-engine", "--minutes", "0.2", "--lufs", "-3", "--json"]) == 3
    raw = json.loads(capsys.readouterr().out)
    assert set(raw) == {"findings", "repeats", "numbers"}
    assert raw["findings"][0]["kind"] == "loudness"
    for wrong in (["--minutes", "0"], ["--peak", "99"], ["--lufs", "7"], ["--seed", "-1"]):
        assert main(["survey", "starter:pump-engine", *wrong]) == 2
        assert capsys.readouterr().err.count("\n") == 1


@pytest.mark.parametrize("command", COMMANDS)
def test_every_command_shows_an_example_that_it_understands(command: str, capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit):
        main([command, "--help"])
    example = " ".join(capsys.readouterr().out.split("example: ")[1].split())
    words = shlex.split(example)
    assert words[:2] == ["dunefall", command]
    assert manual_parser().parse_args(["", *words[1:]]).command == command
