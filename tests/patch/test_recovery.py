"""Recovery copies: what counts is the patch."""

from __future__ import annotations

from pathlib import Path

from dunefall.base.door import dump_json
from dunefall.patch.files import raw_patch
from dunefall.patch.model import Patch
from dunefall.patch.recovery import Recovery


def test_a_path_that_no_file_can_have_does_not_cost_the_patch(tmp_path: Path) -> None:
    """A file may be called by two lines: its copy was passed over."""
    raw = {"path": "/home/night\nwalk.dunefall", "patch": raw_patch(Patch(title="Night"))}
    (tmp_path / "999999999.recovery").write_text(dump_json(raw))
    (found,) = Recovery(tmp_path).left_behind()
    assert found.patch.title == "Night"
    assert found.path is None
