"""Jobs and job files: every setting is checked as it is read, every fault told in a sentence."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest

from dunefall.base.errors import DunefallError, ParameterError, PatchError
from dunefall.deliver.job import Job, Source, job_from, raw_job, settings
from dunefall.deliver.jobfiles import JobFile, load_job, parse_job, presets, raw_job_file, save_job
from dunefall.patch.take import Entry, Press, Take
from rig import demo


def test_a_job_comes_back_from_its_file(tmp_path: Path) -> None:
    job = Job(what="layer", layer="drip-line", seeds=(3, 9), trim_db=-50.0, formats=("wav", "ogg"), limit=False)
    take = Take(demo()).with_entry(Entry(100, Press("drip-line-strike", "gate", True)))
    for source in (Source.of(demo()), Source(take), None):
        file = JobFile(job, source, "Mine", "What it is for.")
        save_job(file, tmp_path / "a.dunejob")
        assert load_job(tmp_path / "a.dunejob") == file
    assert raw_job(Job()) == {}


def test_the_presets_that_ship_are_read_and_the_users_own_come_behind_them(tmp_path: Path) -> None:
    shipped = presets()
    assert [file.name for file in shipped] == [
        "Film bed", "Game variations", "Seamless loop", "Stems", "5.1 surround", "Single hits", "Take", "Last minutes",
    ]  # fmt: skip
    assert all(file.about.endswith(".") for file in shipped)
    bed = shipped[0].job
    assert (bed.lufs, bed.peak_db, bed.rate_hz, bed.depth, bed.broadcast) == (-23.0, -1.0, 48000, "24", True)
    save_job(JobFile(replace(bed, lufs=-16.0), None, ""), tmp_path / "loud bed.dunejob")
    (tmp_path / "broken.dunejob").write_text("{")
    own = presets(tmp_path)[len(shipped) :]
    assert [(file.name, file.job.lufs) for file in own] == [("loud bed", -16.0)]


@pytest.mark.parametrize(
    ("given", "text"),
    [
        ({"lufs": 3.0}, "lufs must be -60 to 0 LUFS; got 3"),
        ({"lufs": "loud"}, "settings.lufs: needs a number"),
        ({"seconds": 1e9}, "seconds must be 0.001 to 86400 s"),
        ({"formats": ["mp3"]}, "formats must be one or more of wav, flac, ogg, opus; got mp3"),
        ({"formats": []}, "formats must be"),
        ({"formats": ["opus"], "rate_hz": 44100}, "Opus files have 48000 Hz; got 44100"),
        ({"ends": "soon"}, 'ends must be one of cut, silence, loop; got "soon"'),
        ({"lufz": -20.0}, 'there is no setting "lufz"; did you mean "lufs"'),
        ({"seeds": [1, 1]}, "a seed appears twice"),
        ({"seeds": [-1]}, "a seed must be 0 to"),
        ({"seeds": list(range(10_001))}, "at most 10000 files"),
        ({"loudness": "whole set"}, "is for stems and hits"),
        ({"title": "a\nb"}, "title must be text of one line"),
        ({"limit": 1}, "settings.limit: needs true or false"),
    ],
)
def test_what_is_wrong_is_said_with_what_may_be(given: dict[str, object], text: str) -> None:
    with pytest.raises(DunefallError, match=text.replace("(", r"\(")):
        job_from(given, "settings")


def test_every_setting_refuses_what_is_beyond_its_ends() -> None:
    for name, entry in settings().items():
        if entry.choices or entry.high == entry.low:
            continue
        for value in (entry.low, entry.high):
            whole = isinstance(getattr(Job(), name), int)
            assert getattr(job_from({name: int(value) if whole else value}, ""), name) == value
        for value in (entry.low - 1, entry.high + 1):
            with pytest.raises(ParameterError, match=name):
                job_from({name: int(value) if whole else float(value)}, "")


@pytest.mark.parametrize("share", [0.0, 0.2, 0.5, 0.8, 0.999])
def test_a_job_file_cut_anywhere_is_refused_in_a_sentence(share: float, tmp_path: Path) -> None:
    path = tmp_path / "a.dunejob"
    save_job(JobFile(Job(), Source.of(demo())), path)
    data = path.read_bytes().rstrip()
    path.write_bytes(data[: int(share * len(data))])
    with pytest.raises(PatchError, match=r"a\.dunejob cannot be used"):
        load_job(path)


def test_what_is_no_job_is_told(tmp_path: Path) -> None:
    raw = raw_job_file(JobFile(Job(), None))
    for wrong, text in (({**raw, "kind": "patch"}, "does not hold a job"), ({**raw, "format": 9}, "has format 9"),
                        ([], "does not hold a job"),
                        ({**raw, "patch": {"format": 2, "layers": 3}}, "needs a list")):  # fmt: skip
        with pytest.raises(PatchError, match=text):
            parse_job(json.loads(json.dumps(wrong)))
