"""The module guide and its pictures."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.guide import guide_pages
from dunefall.render.portrait import portrait

FOLDER = Path(__file__).parent.parent.parent / "docs" / "modules"


def test_the_guide_is_what_the_declarations_say() -> None:
    """Run scripts/make_module_guide.py after a change of a declaration."""
    for name, text in guide_pages().items():
        assert (FOLDER / name).read_text() == text, name
    pictures = {path.stem for path in (FOLDER / "pictures").glob("*.svg")}
    assert pictures == set(catalogue())


@pytest.mark.parametrize("spec", catalogue().values(), ids=lambda spec: spec.id)
def test_every_module_has_a_portrait(spec) -> None:  # type: ignore[no-untyped-def]
    seen = portrait(spec)
    assert list(seen.curves) == [output.id for output in spec.outputs]
    for values in seen.curves.values():
        assert values.shape == seen.across.shape
        assert np.isfinite(values).all()


def test_a_portrait_shows_the_response_at_the_given_values() -> None:
    """-3.01 dB at the cutoff for Q 0.71 (Simper 2013)."""
    spec = spec_of("filter")
    assert spec is not None
    seen = portrait(spec, {"cutoff_hz": 2000.0, "resonance": 0.0})
    assert np.interp(2000.0, seen.across, seen.curves["low"]) == pytest.approx(-3.01, abs=0.1)
