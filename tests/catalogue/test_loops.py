"""Nothing in a loop can blow up: each module in a delay's way back; ``python -m bench.loops`` runs ten minutes each."""

from __future__ import annotations

import pytest
from bench.loops import FEEDBACKS, HIGHEST, loudest, ways_back

from dunefall.catalogue.declare import ModuleSpec


@pytest.mark.parametrize("spec", ways_back(), ids=lambda spec: spec.id)
def test_a_loop_above_one_stays_below_12_db(spec: ModuleSpec) -> None:
    for feedback in FEEDBACKS:
        assert loudest(spec, feedback, 5.0) < HIGHEST
