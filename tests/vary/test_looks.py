"""Looks at patches: what workers make, and what becomes of silence, noise, faults and dead workers."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from pathlib import Path

import numpy as np
import pytest
import soundfile

from dunefall.analysis.loudness import judge
from dunefall.app.workspaces.vary.hearing import gain_of
from dunefall.compiler.code import LoopCode
from dunefall.deliver.workers import Workers
from dunefall.patch.model import Module, Patch, SoundRef
from dunefall.render.offline import render_to_array
from dunefall.vary.looks import BANDS, COLUMNS, Look, Looks, look_at
from dunefall.vary.variations import by_itself
from rig import demo, patch_of

MODULES = frozenset({"drip-line-droplet"})


@pytest.fixture
def looks() -> Iterator[Looks]:
    made = Looks(Workers(1))
    yield made
    made.close()


def waited(looks: Looks, seconds: float = 60.0) -> None:
    end = time.monotonic() + seconds
    while looks.busy:
        assert time.monotonic() < end
        looks.step()
        time.sleep(0.01)


def test_a_look_is_what_the_layers_sound_like_alone(looks: Looks) -> None:
    looks.ask(demo(), MODULES, 2.0)
    waited(looks)
    look = looks.look(demo(), MODULES, 2.0)
    assert look is not None
    assert look.descriptors is not None
    sound = render_to_array(by_itself(demo(), MODULES), seconds=2.0)
    kept, rate = soundfile.read(look.path)
    assert rate == 48000
    np.testing.assert_allclose(kept, sound, atol=1e-6)
    assert look.descriptors.lufs == pytest.approx(judge(sound, 48000).integrated, abs=0.1)
    assert look.picture.shape == (BANDS, COLUMNS)
    assert not look.trouble


def test_what_is_there_is_not_made_again_and_what_sounds_the_same_is_the_same(looks: Looks) -> None:
    looks.ask(demo(), MODULES, 1.0)
    waited(looks)
    again = demo().with_param("fog-air-band", "cutoff_hz", 200.0)  # another layer: not heard here
    looks.ask(again, MODULES, 1.0)
    assert not looks.busy
    assert looks.look(again, MODULES, 1.0) is looks.look(demo(), MODULES, 1.0)


def test_code_that_a_look_did_without_is_made(looks: Looks, monkeypatch: pytest.MonkeyPatch) -> None:
    """A loop that a variation brings runs sample by sample until there is code for it."""
    asked: list[Path] = []
    monkeypatch.setattr(LoopCode, "make", lambda code, paths: asked.extend(paths))
    monkeypatch.setattr(looks._workers, "submit", _without_code)
    looks.ask(demo(), MODULES, 1.0)
    waited(looks)
    assert asked == [Path("loop.py")]


def _without_code(work: Callable[..., Look], *given: object) -> Future[Look]:
    future: Future[Look] = Future()
    empty = np.zeros((BANDS, COLUMNS), np.uint8), np.zeros(COLUMNS)
    future.set_result(Look(*empty, None, 0.0, 1.0, missing=(Path("loop.py"),)))
    return future


def test_a_killed_worker_costs_nothing_but_time(looks: Looks) -> None:
    for k in range(3):
        looks.ask(demo().with_param("drip-line-low-pass", "cutoff_hz", 500.0 + k), MODULES, 1.0)
    looks.step()
    end, killed = time.monotonic() + 60.0, False
    while looks.busy:
        assert time.monotonic() < end
        looks.step()
        executor = looks._workers._executor
        if not killed and looks._made and executor is not None:
            os.kill(next(iter(executor._processes)), signal.SIGKILL)  # type: ignore[attr-defined]
            killed = True
        time.sleep(0.01)
    assert killed
    for k in range(3):
        patch = demo().with_param("drip-line-low-pass", "cutoff_hz", 500.0 + k)
        look = looks.look(patch, MODULES, 1.0)
        assert look is not None
        assert not look.trouble


def _looked(patch: Patch, tmp_path: object) -> Look:
    return look_at(patch, 1.0, f"{tmp_path}/x.wav", str(tmp_path))


def test_silence_noise_and_a_missing_sound_are_told(tmp_path: object) -> None:
    quiet = by_itself(demo().with_param("drip-line-output", "level_db", -96.0), MODULES)
    assert _looked(quiet, tmp_path).trouble == "It is silent."
    modules = (Module("noise", "noise", "Noise"), Module("a-output", "output", "A", {"level_db": 12.0}))
    look = _looked(patch_of(*modules, links=(("noise.out", "a-output.audio", 8.0),)), tmp_path)
    assert look.trouble.startswith("It is very loud, ")
    assert gain_of(look, None) * look.peak <= 0.9
    lost = patch_of(Module("player", "sampler", "Player", sound=SoundRef("/nowhere/x.wav", "00")))
    look = _looked(lost, tmp_path)
    assert "could not be rendered" in look.trouble or look.trouble == "It is silent."


def test_nobody_waits_for_what_is_no_longer_wanted(tmp_path: object) -> None:
    look = look_at(demo(), 1.0, "", f"{tmp_path}/gone")
    assert look.trouble == "stopped"
