"""The sound holds while the window is used: the short form of `python -m bench.steady`."""

from __future__ import annotations

from bench.steady import measure


def test_no_underruns_while_the_window_is_in_use() -> None:
    """At 128 frames; a machine that itself stalls for longer than the device holds is told apart and counted beside."""
    found = measure(8.0)
    assert found["underruns"] <= found["machine_stalls"]
    assert found["highest_load"] < 1.0
