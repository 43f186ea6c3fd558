"""The desktop's list of recent files: ours is added, and what others wrote stays."""

from __future__ import annotations

from pathlib import Path
from xml.etree import ElementTree

import pytest

from dunefall.base.desktoprecent import BOOKMARK, MIME, desktop_list, note_in_desktop

PATCH = "application/x-dunefall-patch"
OTHERS = """<?xml version="1.0" encoding="UTF-8"?>
<xbel version="1.0" xmlns:bookmark="http://www.freedesktop.org/standards/desktop-bookmarks"
      xmlns:mime="http://www.freedesktop.org/standards/shared-mime-info">
  <bookmark href="file:///home/mara/rota.ods" added="2026-11-01T08:00:00Z" modified="2026-11-01T08:00:00Z"
            visited="2026-11-01T08:00:00Z">
    <title>Rota</title>
    <info><metadata owner="http://freedesktop.org">
      <mime:mime-type type="application/vnd.oasis.opendocument.spreadsheet"/>
      <bookmark:groups><bookmark:group>Office</bookmark:group></bookmark:groups>
      <bookmark:applications>
        <bookmark:application name="Tables" exec="&apos;tables %u&apos;" modified="2026-11-01T08:00:00Z" count="3"/>
      </bookmark:applications>
    </metadata></info>
  </bookmark>
</xbel>
"""
"""As the specification has it, with what Dunefall does not use."""


def marks(file: Path) -> dict[str, ElementTree.Element]:
    return {str(mark.get("href")): mark for mark in ElementTree.parse(file).getroot().iter("bookmark")}


def test_a_patch_stands_in_the_list_once_and_counts(tmp_path: Path) -> None:
    file, patch = tmp_path / "new" / "recently-used.xbel", tmp_path / "Fog & rust, 2 %.dunefall"
    for _ in range(3):
        note_in_desktop(patch, PATCH, file)
    note_in_desktop(tmp_path / "other.dunefall", PATCH, file)
    assert file.stat().st_mode & 0o777 == 0o600, "nobody else may read it"
    found = marks(file)
    assert list(found) == [patch.as_uri(), (tmp_path / "other.dunefall").as_uri()]
    (program,) = found[patch.as_uri()].iter(f"{{{BOOKMARK}}}application")
    assert (program.get("name"), program.get("count")) == ("Dunefall", "3")
    assert str(program.get("exec")).endswith("dunefall %u'")
    (kind,) = found[patch.as_uri()].iter(f"{{{MIME}}}mime-type")
    assert kind.get("type") == PATCH
    assert str(found[patch.as_uri()].get("modified")) >= str(found[patch.as_uri()].get("added"))


def test_what_others_wrote_stays(tmp_path: Path) -> None:
    file = tmp_path / "recently-used.xbel"
    file.write_text(OTHERS, "utf-8")
    file.chmod(0o600)
    before = ElementTree.tostring(marks(file)["file:///home/mara/rota.ods"]).strip()
    note_in_desktop(tmp_path / "a.dunefall", PATCH, file)
    assert ElementTree.tostring(marks(file)["file:///home/mara/rota.ods"]).strip() == before
    assert len(marks(file)) == 2
    assert file.stat().st_mode & 0o777 == 0o600


@pytest.mark.parametrize(
    "broken", ["", "<xbel", "<html/>", "\x00", OTHERS[:-20], '<?xml version="1.0" encoding="no-such"?><xbel/>']
)
def test_a_list_that_is_damaged_is_left_alone(broken: str, tmp_path: Path) -> None:
    file = tmp_path / "recently-used.xbel"
    file.write_text(broken, "utf-8")
    note_in_desktop(tmp_path / "a.dunefall", PATCH, file)
    assert file.read_text("utf-8") == broken


def test_a_list_that_cannot_be_written_holds_nobody_up(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    note_in_desktop(tmp_path / "a.dunefall", PATCH, tmp_path / "file" / "recently-used.xbel")
    file = tmp_path / "recently-used.xbel"
    file.mkdir()
    note_in_desktop(tmp_path / "a.dunefall", PATCH, file)
    assert file.is_dir()


def test_where_it_is(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.delenv("DUNEFALL_DATA", raising=False)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert desktop_list() == tmp_path / "recently-used.xbel"
    monkeypatch.setenv("DUNEFALL_DATA", str(tmp_path / "own"))
    assert desktop_list() == tmp_path / "own" / "recently-used.xbel"
