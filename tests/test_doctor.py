"""``dunefall doctor`` says what a machine has and lacks, and what to do."""

from __future__ import annotations

import json
import os
import resource
import shutil
from importlib import metadata
from pathlib import Path
from types import SimpleNamespace

import PySide6
import pytest

from dunefall.base import packages as packages_module
from dunefall.cli import doctor, main
from dunefall.cli.doctor import findings
from dunefall.engine.devices import ports, sequencer


def states() -> dict[str, str]:
    """The worst state of each part."""
    order = ("ok", "note", "wrong")
    found = dict[str, str]()
    for finding in findings():
        found[finding.part] = max(finding.state, found.get(finding.part, "ok"), key=order.index)
    return found


def test_everything_is_looked_at_and_told(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["doctor", "--json"]) in (0, 3)
    told = json.loads(capsys.readouterr().out)
    parts = {finding["part"] for finding in told}
    assert {"versions", "packages", "MIDI", "real time", "code", "cache", "preferences", "fonts", "errors"} <= parts
    assert main(["doctor"]) in (0, 3)
    assert "Dunefall" in capsys.readouterr().out


def test_what_is_missing_comes_with_a_cure(monkeypatch: pytest.MonkeyPatch) -> None:
    def refuses() -> None:
        raise OSError("no library")

    monkeypatch.setattr(ports, "portaudio", refuses)
    monkeypatch.setattr(sequencer, "SEQUENCER", Path("/nowhere/seq"))
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    monkeypatch.setattr(resource, "getrlimit", lambda _: (0, 0))
    monkeypatch.setattr(os, "access", lambda *_: False)
    monkeypatch.setattr(doctor, "packages", lambda: {"numpy": "2.4", "nothing-of-this-name": ""})
    found = states()
    assert found["sound"] == found["cache"] == found["packages"] == "wrong"
    assert found["MIDI"] == found["real time"] == "note"
    assert all(finding.cure for finding in findings() if finding.state != "ok")
    assert main(["doctor"]) == 3


def test_a_full_disk_is_noticed(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=1))
    assert states()["cache"] == "note"


def test_a_part_that_fails_hides_no_other(monkeypatch: pytest.MonkeyPatch) -> None:
    def fails() -> None:
        raise RuntimeError("unexpected")

    monkeypatch.setattr(ports, "portaudio", fails)
    found = states()
    assert found["sound"] == "wrong"
    assert found["fonts"] == "ok"


def test_a_package_without_its_metadata_is_there_all_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    """Debian divides Qt's package into several, none of which is called as in Python's registry."""

    def version(name: str) -> str:
        raise metadata.PackageNotFoundError(name)

    monkeypatch.setattr(packages_module.metadata, "version", version)
    monkeypatch.setattr(packages_module.metadata, "requires", lambda name: ["PySide6-Essentials>=6.8", "no-such-thing"])
    assert packages_module.packages() == {"PySide6-Essentials": PySide6.__version__, "no-such-thing": ""}
