"""Delay lines: reading a ring of past samples between them."""

from __future__ import annotations

from numba import njit

__all__ = ["read_line"]


@njit(error_model="numpy", forceinline=True)
def read_line(memory, write, delay):  # type: ignore[no-untyped-def]
    """The sound of ``delay`` samples before the place of writing, at least 2 and at most ``memory.size`` - 4, by
    third-order Lagrange interpolation (Laakso et al. 1996, Splitting the unit delay)."""
    delay = max(delay, 2.0)
    back = int(delay)
    f, at = delay - back, write - back + memory.size
    newer, here = memory[(at + 1) % memory.size], memory[at % memory.size]
    older, oldest = memory[(at - 1) % memory.size], memory[(at - 2) % memory.size]
    a, b, c = f + 1.0, f - 1.0, f - 2.0
    return a * b * c * 0.5 * here - f * b * c / 6.0 * newer - a * f * c * 0.5 * older + a * f * b / 6.0 * oldest
