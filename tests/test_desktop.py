"""What the desktop is told: programs, kinds of files, a manual page; each looked at by the tool that is made for it."""

from __future__ import annotations

import os
import runpy
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtGui import QImage

from dunefall import APP_ID, __version__
from dunefall.app.controls.theme import NOON
from dunefall.cli import main
from dunefall.cli.desktop import PLACES
from dunefall.patch.library import DATA

ROOT = Path(__file__).parent.parent
TOLD = """
import sys
from PySide6.QtCore import QMimeDatabase
for name in sys.argv[1:]:
    print(QMimeDatabase().mimeTypeForFile(name, QMimeDatabase.MatchMode.MatchExtension).name())
"""


def needed(program: str) -> str:
    found = shutil.which(program)
    if found is None:
        pytest.skip(f"{program} is not installed")
    return found


@pytest.fixture
def data(tmp_path: Path) -> Path:
    assert main(["desktop", "install", "--data", str(tmp_path / "share")]) == 0
    return tmp_path / "share"


def test_everything_is_installed_and_removed_again(data: Path) -> None:
    for name, place in PLACES.items():
        assert (data / place / name).read_bytes() == (DATA / "desktop" / name).read_bytes()
    assert main(["desktop", "remove", "--data", str(data)]) == 0
    left = {file.name for file in data.rglob("*") if file.is_file()}
    assert not left & set(PLACES)
    assert main(["desktop", "remove", "--data", str(data)]) == 0


def test_the_debian_package_has_the_same_files_at_the_same_places() -> None:
    rules = (ROOT / "packaging" / "debian" / "rules").read_text().replace("$(app)", APP_ID)
    for name, place in PLACES.items():
        assert f"install -Dm644 -t $(share)/{place} $(data)/{name}\n" in rules


def _debian() -> int:
    """The number of the Debian that this is; 0: it is none."""
    number = Path("/etc/debian_version").read_text().partition(".")[0] if Path("/etc/debian_version").exists() else ""
    return int(number) if number.isdecimal() else 0


@pytest.mark.skipif(_debian() < 13, reason="the package is for Debian 13 and newer, and built by their tools")
def test_the_debian_package_is_built_and_lintian_finds_nothing(tmp_path: Path) -> None:
    """make-deb ends with lintian, which fails for any error and any warning."""
    for program in ("lintian", "dpkg-buildpackage", "dh"):
        needed(program)
    made = subprocess.run([ROOT / "scripts" / "make-deb", tmp_path], capture_output=True, text=True, check=False)
    if "Could not fetch URL" in made.stderr or "connection" in made.stderr.lower():
        pytest.skip("the registry, from which it takes what Debian has not, cannot be reached")
    assert made.returncode == 0, made.stdout[-3000:] + made.stderr[-3000:]
    package = tmp_path / f"dunefall_{__version__}_all.deb"
    listed = subprocess.run(["dpkg", "--contents", package], capture_output=True, text=True, check=True).stdout
    for name, place in PLACES.items():
        assert f"./usr/share/{place}/{name}" in listed


def test_for_oneself_the_program_is_named_with_its_path(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert main(["desktop", "install"]) == 0
    lines = (tmp_path / "applications" / f"{APP_ID}.desktop").read_text().split("\n")
    named = [line.removeprefix("Exec=").split(" ")[0] for line in lines if line.startswith("Exec=")]
    assert len(named) == 2
    assert all(Path(program).is_absolute() for program in named)


def test_what_cannot_be_written_is_told(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "applications").write_text("in the way")
    assert main(["desktop", "install", "--data", str(tmp_path)]) == 2
    assert "cannot be changed" in capsys.readouterr().err


def test_the_desktop_entry_is_valid(data: Path) -> None:
    checker = needed("desktop-file-validate")
    run = subprocess.run([checker, data / "applications" / f"{APP_ID}.desktop"], capture_output=True, text=True)
    assert (run.returncode, run.stdout) == (0, "")


def test_the_software_description_is_valid(data: Path) -> None:
    checker = needed("appstreamcli")
    description = data / "metainfo" / f"{APP_ID}.metainfo.xml"
    run = subprocess.run([checker, "validate", "--no-net", description], capture_output=True, text=True)
    assert run.returncode == 0, run.stdout


def test_files_are_known_by_their_kind(data: Path, tmp_path: Path) -> None:
    """Read by Qt, as by the desktop, from the shared database (freedesktop.org)."""
    needed("update-mime-database")
    run = subprocess.run(
        [sys.executable, "-c", TOLD, "a.dunefall", "b.dunetake", "c.dunejob"], capture_output=True, text=True,
        env={**os.environ, "XDG_DATA_HOME": str(data)}, cwd=tmp_path, check=True,
    )  # fmt: skip
    assert run.stdout.split() == [f"application/x-dunefall-{kind}" for kind in ("patch", "take", "job")]


def test_the_manual_page_is_that_of_the_command_line_and_has_no_faults() -> None:
    page = DATA / "desktop" / "dunefall.1"
    made = runpy.run_path(str(ROOT / "scripts" / "make_manual.py"))
    assert page.read_text("utf-8") == made["written"](), "run scripts/make_manual.py"
    reader = needed("man")
    run = subprocess.run([reader, "--warnings", "-l", page], capture_output=True, text=True,
                         env={**os.environ, "MANWIDTH": "100", "LC_ALL": "C.UTF-8"})  # fmt: skip
    assert (run.returncode, run.stderr) == (0, "")
    for command in ("render", "survey", "doctor", "desktop"):
        assert f"dunefall {command}" in run.stdout


def test_a_file_manager_gets_a_picture_of_a_patch(data: Path, tmp_path: Path) -> None:
    """As it calls the thumbnailer that was installed: by its Exec line, without a display."""
    patch, picture = tmp_path / "Fog & rust.dunefall", tmp_path / "out.png"
    shutil.copy(DATA / "sluice-house.dunefall", patch)
    entry = (data / "thumbnailers" / f"{APP_ID}.thumbnailer").read_text("utf-8")
    (line,) = [line.removeprefix("Exec=dunefall ") for line in entry.split("\n") if line.startswith("Exec=dunefall ")]
    assert "MimeType=application/x-dunefall-patch;" in entry
    words = [{"%s": "128", "%i": str(patch), "%o": str(picture)}.get(word, word) for word in line.split()]
    environment = {name: value for name, value in os.environ.items() if name not in ("DISPLAY", "QT_QPA_PLATFORM")}
    subprocess.run([sys.executable, "-m", "dunefall", *words], check=True, env=environment)
    image = QImage(str(picture))
    assert (image.width(), image.height()) == (128, 128)
    seen = {image.pixelColor(x, y).name() for x in range(128) for y in range(128)}
    assert {NOON.audio.lower(), NOON.control.lower(), NOON.gate.lower()} <= seen
    assert main(["thumbnail", str(tmp_path / "none.dunefall"), str(picture)]) == 2
    assert main(["thumbnail", "--size", "4", str(patch), str(picture)]) == 2
    assert main(["thumbnail", str(patch), str(tmp_path / "nowhere" / "out.png")]) == 2


def test_the_version_is_that_of_the_package() -> None:
    assert f'<release version="{__version__}"' in (DATA / "desktop" / f"{APP_ID}.metainfo.xml").read_text()
