"""The door: what comes from outside is bounded before anything else sees it."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from dunefall.base.door import clean, parse_json, path_of, read_file
from dunefall.base.errors import DunefallError, PatchError, StorageError
from dunefall.base.preferences import Preferences
from dunefall.base.storage import write_file
from dunefall.patch.files import dump_patch, parse_patch


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ('{"a": "\\ud800"}', "half of a character (U+D800)"),
        ('{"a": ["x", "b\\u0000c"]}', "a control character (U+0000)"),
        ('{"a\\u001b": 1}', "a control character (U+001B)"),
        (json.dumps({"a": "x" * 10_001}), "longer than 10000 characters"),
        ("[" * 40 + "]" * 40, "deeper than 32 levels"),
        ("[" * 100_000, "nested too deeply"),
    ],
)
def test_texts_and_depths_are_bounded(text: str, told: str) -> None:
    """A lone surrogate was read, and then nothing could be saved any more."""
    with pytest.raises(PatchError) as error:
        parse_json(text.encode("utf-8", "surrogatepass"))
    assert told in str(error.value)
    assert "\n" not in str(error.value)


def test_the_place_of_a_wrong_text_is_told() -> None:
    with pytest.raises(PatchError, match=r"layers\[0\]\.name: the text "):
        parse_patch(b'{"format": 2, "layers": [{"id": "a", "name": "\\ud83c"}]}')


def test_texts_that_people_write_are_left_alone() -> None:
    raw = {"a": "Nächtliches Becken \U0001f30a\nzweite Zeile\tmit Tab", "ß": "第三", "e": "e\u0301"}
    assert parse_json(json.dumps(raw).encode()) == raw


@pytest.mark.parametrize("text", ["", "a\x00b", "a\nb", "x" * 5000, "\ud800"])
def test_no_file_can_be_called_that(text: str) -> None:
    with pytest.raises(PatchError, match="no file can be called"):
        path_of(text)


def test_what_is_typed_is_made_to_fit() -> None:
    assert clean("  Fog\x00\n horn\ud83c  ") == "Fog  horn"
    assert len(clean("x" * 500)) == 60


def test_a_file_that_is_none(tmp_path: Path) -> None:
    (tmp_path / "big").write_bytes(bytes(200))
    with pytest.raises(PatchError, match="at most"):
        read_file(tmp_path / "big", 100)
    with pytest.raises(PatchError, match="no ordinary file"):
        read_file(Path("/dev/zero"))
    with pytest.raises(StorageError, match="Is a directory"):
        read_file(tmp_path)
    with pytest.raises(StorageError, match="cannot read"):
        read_file(tmp_path / "none")
    with pytest.raises(DunefallError):
        read_file(Path("a\x00b"))


def test_saving_never_fails_for_a_letter(tmp_path: Path) -> None:
    """A letter that no file can hold is written as another one; it raised UnicodeEncodeError."""
    write_file("Night \ud800 wind", tmp_path / "x")
    assert (tmp_path / "x").read_text() == "Night ? wind"


def test_an_error_is_one_line_whatever_it_quotes() -> None:
    assert str(PatchError('there is no module "a\nb\x1b[31m"', place="links[0]\n")) == (
        'links[0] : there is no module "a b [31m"'
    )
    assert len(str(DunefallError("x" * 10_000))) < 1100


@pytest.mark.parametrize("text", ["[" * 100_000, "{}", "[]", "\x00", '{"scale": 1e999}', '{"recent": ["\\ud800"]}'])
def test_preferences_that_cannot_be_read_are_the_usual_ones(text: str, tmp_path: Path) -> None:
    """Nested a hundred thousand deep, they raised RecursionError."""
    (tmp_path / "p").write_text(text)
    assert Preferences.load(tmp_path / "p") == Preferences()


def test_a_patch_keeps_its_texts(tmp_path: Path) -> None:
    patch = parse_patch(b'{"format": 2, "title": "N\\u00e4chtlich \\ud83c\\udf0a", "layers": []}')
    assert patch.title == "Nächtlich \U0001f30a"
    assert parse_patch(dump_patch(patch).encode()) == patch
