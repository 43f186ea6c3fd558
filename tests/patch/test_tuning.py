"""Tuning files: what they mean, and what is said of broken ones."""

from __future__ import annotations

from pathlib import Path

import pytest

from dunefall.base.errors import PatchError, StorageError
from dunefall.patch.tuning import load_tuning, parse_tuning

GOOD = """! water.scl
!
Water pipes, five notes
 5
!
 9/8          a whole tone
 386.314      a third
 3/2
 5/3 sixth
 2/1
"""


def test_ratios_cents_and_comments() -> None:
    title, cents = parse_tuning(GOOD)
    assert title == "Water pipes, five notes"
    assert cents == pytest.approx((203.910, 386.314, 701.955, 884.359, 1200.0), abs=1e-3)  # 1200 log2 of each ratio


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("only a title\n", "ends before the number of its notes"),
        ("t\nmany\n", 'line 2: the number of notes is needed; got "many"'),
        ("t\n0\n", "line 2: a tuning has 1 to 128 notes here; got 0"),
        ("t\n3\n3/2\n2/1\n", "line 2 promises 3 notes; 2 follow"),
        ("t\n! x\n2\nfifth\n2/1\n", 'line 4: cents (with a point) or a ratio is needed; got "fifth"'),
        ("t\n1\n3/0\n", 'line 3: a ratio of numbers above 0 is needed; got "3/0"'),
        ("t\n1\n0.0\n", "line 3: the last note must lie above the root; got 0 cents"),
        ("t\n1\n99999.0\n", "line 3: 99999 cents is further than eight octaves away"),
    ],
)
def test_errors_name_line_and_reason(text: str, words: str) -> None:
    with pytest.raises(PatchError) as caught:
        parse_tuning(text)
    assert words in str(caught.value)


def test_files(tmp_path: Path) -> None:
    file = tmp_path / "water.scl"
    file.write_text(GOOD)
    assert len(load_tuning(file)[1]) == 5
    file.write_bytes(b"\xff\xfe\x00" * 40)
    with pytest.raises(PatchError, match=r"water\.scl cannot be used"):
        load_tuning(file)
    with pytest.raises(StorageError, match="cannot read"):
        load_tuning(tmp_path / "none.scl")


@pytest.mark.parametrize(("last", "good"), [("1.0", True), ("0.5", True), ("0.0", False), ("-3.0", False)])
def test_the_last_note_lies_above_the_root(last: str, good: bool) -> None:
    text = f"! a\nA\n 2\n!\n 0.25\n {last}\n"
    if good:
        assert parse_tuning(text)[1][-1] == float(last)
    else:
        with pytest.raises(PatchError, match="above the root"):
            parse_tuning(text)


def test_comments_behind_a_value_and_degrees_below_the_root() -> None:
    title, cents = parse_tuning("t\n3 ! notes\n-50.0!low\n3/2! fifth\n2/1\n")
    assert title == "t (1 below the root, raised by the period)"
    assert cents == pytest.approx((701.955, 1150.0, 1200.0), abs=1e-3)


def test_numbers_that_are_none_are_refused() -> None:
    """A number of 5,000 digits, and one that is a digit only to Unicode."""
    for text in (f"t\n{'1' * 5000}\n2/1\n", "t\n²\n2/1\n", f"t\n1\n{'9' * 5000}/1\n"):
        with pytest.raises(PatchError):
            parse_tuning(text)
