"""A compound's snapshots go with it into the library, into other patches, and along when it is renewed."""

from __future__ import annotations

from pathlib import Path

from dunefall.catalogue.joining import kept_joinings
from dunefall.catalogue.renewing import renewed
from dunefall.patch.compounds import compound_of
from dunefall.patch.document import Document
from dunefall.patch.states import patch_of_state, recalled
from dunefall.patch.userlibrary import UserLibrary, main_compound
from dunefall.session.edits.compounds import make_compound, new_compound
from dunefall.session.edits.family import keep_snapshot
from rig import demo

BAND, CUTOFF = "fog-air-band", "cutoff_hz"


def with_a_setting() -> tuple[Document, str]:
    """The fog's band as a compound with a dark setting; it is bright again now."""
    document = Document(demo())
    compound = new_compound(document, ("fog-air-drift", "fog-air-sway", BAND))
    make_compound(document, compound)
    bright = document.patch
    document.edit("Dark", bright.with_param(BAND, CUTOFF, 150.0).with_param("drip-line-low-pass", CUTOFF, 99.0))
    keep_snapshot(document, "Dark", compound.id)
    document.edit("Bright", document.patch.with_param(BAND, CUTOFF, 900.0))
    return document, compound.id


def test_they_travel_through_the_library_into_another_patch(tmp_path: Path) -> None:
    document, compound = with_a_setting()
    library = UserLibrary(tmp_path)
    found = compound_of(document.patch, compound)
    assert found is not None
    name = library.save(document.patch, found, None).library
    kept = library.load(name)
    assert [state.name for state in kept.family.states] == ["Dark"]
    made = next(iter(kept_joinings(demo(), "drip-line", kept)))
    (setting,) = made.patch.family.snapshots
    assert setting.part == made.module
    then = patch_of_state(made.patch.family, setting)
    back = recalled(made.patch, then, setting.part)
    copy = next(
        m
        for m in back.modules()
        if m.type == demo().module(BAND).type and m.id != BAND and m.params.get(CUTOFF) == 150.0
    )
    assert made.patch.module(copy.id).params[CUTOFF] == 900.0
    assert back.module("drip-line-low-pass") == demo().module("drip-line-low-pass"), "of other modules, nothing"


def test_renewing_brings_new_settings_and_keeps_those_that_there_are(tmp_path: Path) -> None:
    document, compound = with_a_setting()
    library = UserLibrary(tmp_path)
    found = compound_of(document.patch, compound)
    assert found is not None
    kept = library.load(library.save(document.patch, found, None).library)
    other = Document(demo())
    fresh = new_compound(other, ("fog-air-drift", "fog-air-sway", BAND))
    make_compound(other, fresh)
    made = renewed(other.patch, fresh, kept).patch
    assert [(state.name, state.part) for state in made.family.snapshots] == [("Dark", fresh.id)]
    again = compound_of(made, fresh.id)
    assert again is not None
    assert len(renewed(made, again, kept).patch.family.snapshots) == 1
    assert main_compound(kept).name
