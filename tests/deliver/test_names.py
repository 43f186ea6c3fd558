"""Names of files: tokens filled in, and everything that would leave the folder or collide refused."""

from __future__ import annotations

import re

import pytest

from dunefall.base.errors import ParameterError
from dunefall.deliver.names import clean, filled, names_of


def test_tokens_are_filled_in() -> None:
    values = {"n": 7, "seed": 417, "layer": "Drip line", "title": "Sluice House, 03:00", "date": "2026-11-29"}
    assert filled("{layer}_{n:02}", values) == "Drip line_07"
    assert filled("{title} {seed:04} {date}", values) == "Sluice House, 03-00 0417 2026-11-29"
    assert filled("{n:3}{n}", values) == "0077"


@pytest.mark.parametrize(
    ("template", "text"),
    [
        ("../a", "not a path"), ("a/b", "not a path"), ("..", "not a path"),
        ("a\\b", "not a path"), ("", "not be empty"),
        (".hidden", "begin with a dot"), ("{foo}", "{foo}, which is no token"), ("{n:xx}", "which is no token"),
        ("a{", "single { or }"), ("a}b", "single { or }"), ("a\tb", "control characters"),
    ],
)  # fmt: skip
def test_a_template_that_cannot_be_used_says_why(template: str, text: str) -> None:
    with pytest.raises(ParameterError, match=re.escape(text)):
        names_of(template, [{"n": 1}])


def test_two_files_of_one_name_are_refused_whatever_their_case() -> None:
    with pytest.raises(ParameterError, match=r"put \{n\} or \{seed\} into the name"):
        names_of("{layer}", [{"layer": "Gust"}, {"layer": "gust"}])
    with pytest.raises(ParameterError, match="too long"):
        names_of("x" * 201, [{}])


def test_a_title_cannot_lead_out_of_the_folder() -> None:
    assert "/" not in clean("../../etc/passwd")
    assert clean("...") == "untitled"
    assert names_of("{title}", [{"title": "../up"}]) == ["-up"]
