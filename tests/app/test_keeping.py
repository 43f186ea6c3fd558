"""A good moment is kept by one key: sound and take, from which the very sound comes again; also after a crash."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from dunefall.app.listening.keeping import offer_left
from dunefall.app.shell.window import MainWindow
from dunefall.engine.lastminutes import kept_s, last_minutes_left
from dunefall.patch.take import Edit
from dunefall.patch.takefiles import load_take
from dunefall.render.offline import render_to_array
from dunefall.session.edits.modules import set_param
from dunefall.session.keeping import moments_folder

LEFT = Qt.MouseButton.LeftButton


def test_one_press_keeps_sound_and_take(demo_window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    session, told = demo_window.session, []
    monkeypatch.setattr(demo_window.context.talk, "ask_text", lambda *given: "A good one")
    monkeypatch.setattr(demo_window.context.talk, "tell", lambda text, action=None: told.append((text, action)))
    qtbot.waitUntil(lambda: session.playing and session.seconds > 0.5, timeout=120_000)  # prepared, and begun
    session.rewind()
    qtbot.waitUntil(lambda: session.seconds == 0.0, timeout=20_000)
    told.clear()
    session.play()
    qtbot.waitUntil(lambda: session.seconds > 2.0, timeout=30_000)
    set_param(session.document, "drip-line-low-pass", "cutoff_hz", 3300.0)
    qtbot.waitUntil(lambda: session.seconds > 5.0, timeout=30_000)
    QTest.mouseClick(demo_window.header.keep, LEFT)
    qtbot.waitUntil(lambda: bool(told), timeout=30_000)
    session.pause()
    assert "A good one" in told[0][0]
    path = moments_folder() / "A good one.wav"
    sound, rate = soundfile.read(path)
    take = load_take(path.with_suffix(".dunetake"))
    assert any(entry.at > rate for entry in take.entries), "the edit is in it"
    assert session.patch.moments[-1].name == "A good one"
    again = render_to_array(take, seconds=4.5, limit=True)
    ours = again[round(3.0 * rate) : round(4.0 * rate)].astype(np.float32)
    places = np.flatnonzero(np.abs(sound[:, 0].astype(np.float32) - ours[0, 0]) < 1e-6)
    near = [
        at for at in places if len(sound) >= at + 1000 and np.allclose(sound[at : at + 1000], ours[:1000], atol=1e-5)
    ]
    assert near, "what was kept is what the take makes"
    QTest.mouseClick(demo_window.header.keep, LEFT)
    qtbot.waitUntil(lambda: len(told) == 2, timeout=30_000)
    assert (moments_folder() / "A good one 2.wav").exists(), "nothing is replaced"


def test_a_name_that_is_not_given_keeps_nothing(demo_window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    before = set(moments_folder().glob("*"))
    monkeypatch.setattr(demo_window.context.talk, "ask_text", lambda *given: None)
    demo_window.actions_by_id["keep_last"].trigger()
    assert set(moments_folder().glob("*")) == before


CRASHES = """
import sys, time
from dunefall.engine.messages import EngineOptions, Prepared
from dunefall.patch.library import find_patch
from dunefall.session import Session
from dunefall.session.edits.layers import set_tempo
if __name__ == "__main__":
    session = Session(find_patch("starter:pump-engine")[0], None, EngineOptions(audio="simulated"))
    session.engine.wait_for(Prepared)
    session.play()
    tempo = 60.0
    while True:
        session.poll()
        if session.seconds > (tempo - 59.0) / 2.0:
            tempo += 1.0
            set_tempo(session.document, tempo)
            session.document.end_merge()
        time.sleep(0.02)
"""


def test_after_a_crash_they_are_offered(
    demo_window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DUNEFALL_DATA", str(tmp_path))
    (tmp_path / "crash.py").write_text(CRASHES)
    program = subprocess.Popen([sys.executable, str(tmp_path / "crash.py")])
    end = time.monotonic() + 90
    while not (found := list(tmp_path.glob(f"last-minutes/{program.pid}-*"))) and time.monotonic() < end:
        time.sleep(0.1)
    (folder,) = found
    log = folder / "take.lines"
    while (kept_s(folder) < 2.0 or not log.exists() or log.read_text().count("\n") < 5) and time.monotonic() < end:
        time.sleep(0.1)
    os.kill(program.pid, signal.SIGKILL)
    program.wait()
    assert last_minutes_left() == [folder]
    told = []
    monkeypatch.setattr(demo_window.context.talk, "tell", lambda text, action=None: told.append((text, action)))
    offer_left(demo_window.context)
    assert "ended unexpectedly" in told[0][0]
    told[0][1][1]()
    qtbot.waitUntil(lambda: len(told) == 2, timeout=30_000)
    kept = list(moments_folder().glob("Before it ended*.wav"))
    assert len(kept) == 1
    assert soundfile.info(kept[0]).duration >= 2.0
    take = load_take(kept[0].with_suffix(".dunetake"))
    changes = [entry.what.changes for entry in take.entries if isinstance(entry.what, Edit)]
    assert [change.bpm for (change,) in changes] == [61.0 + k for k in range(len(changes))]
    assert len(changes) >= 4, "all but what was done in the last two seconds"
    assert last_minutes_left() == []
