"""Every broken file that was ever found, and a few fresh ones of each kind: see `bench.fuzz`."""

from __future__ import annotations

import random
from pathlib import Path

import pytest
from bench.fuzz import CORPUS, KINDS, fuzzed, tried

FRESH = {"patch": 250, "take": 60, "compound": 150, "recovery": 60, "sound": 300, "preferences": 300}


@pytest.mark.parametrize("file", sorted(CORPUS.glob("*/*")), ids=lambda file: f"{file.parent.name}-{file.name}")
def test_what_was_found_once_is_refused_in_one_sentence_or_works(file: Path, tmp_path: Path) -> None:
    assert tried(file.parent.name, file.read_bytes(), tmp_path) == ""


@pytest.mark.parametrize("kind", KINDS)
def test_broken_files_are_refused_in_one_sentence(kind: str) -> None:
    finds = [find for find in fuzzed(kind, 20261130, count=FRESH.get(kind, 2000)) if find is not None]
    assert not finds, finds[0].told


def test_the_same_seed_makes_the_same_files() -> None:
    """So that a run can be done again."""
    for kind in ("patch", "sound", "scale"):
        make, again = KINDS[kind][0](), KINDS[kind][0]()
        assert [make(random.Random(k)) for k in range(20)] == [again(random.Random(k)) for k in range(20)]
