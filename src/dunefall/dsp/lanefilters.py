"""Filters of which several run side by side, in vectors: all-passes stretched over four samples, second-order sections
of sixteen lines, sixteen modes. The compiler keeps none of them in registers by itself."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from numba.core import cgutils

from dunefall.base.arrays import Row
from dunefall.dsp.lanes import EIGHT, LANES, Emitter, compiled_as
from dunefall.dsp.maths import fma

__all__ = ["CHAIN", "CHAINS", "LINES", "MODES", "all_pass_chains", "all_pass_four", "ring_modes", "two_sections"]

CHAIN, CHAINS = 3, 3
"""All-passes after each other, and rows of them beside each other, in ``all_pass_chains``."""
LINES, FACTORS = 16, 5
"""Lines and coefficients of ``two_sections``."""
MODES = 16
"""Modes of ``ring_modes``."""


def all_pass_four(row: Row, x: int, y: int, stretch: int, factors: Row, first: int) -> None:
    """Four samples through an all-pass that is stretched over ``stretch`` samples, four or more of them.

    Parameters
    ----------
    row : ndarray
        Holds what goes in and what comes out: the samples of ``stretch`` ago stand at ``x`` and ``y``, the present ones
        ``stretch`` behind them.
    x, y : int
        Where.
    stretch : int
        Samples, at least 4.
    factors : ndarray
        The all-pass's factor for each sample.
    first : int
        The first of these four.
    """
    for i in range(LANES):
        row[y + stretch + i] = fma(factors[first + i], row[x + stretch + i] - row[y + i], row[x + i])


def _all_pass_four(emit: Emitter) -> None:
    row, x, y, stretch, factors, first = emit.arguments
    difference = emit.builder.fsub(emit.load(row, emit.index(x, stretch)), emit.load(row, y))
    result = emit.fma(emit.load(factors, first), difference, emit.load(row, x))
    emit.store(result, row, emit.index(y, stretch))


compiled_as(all_pass_four, LANES, _all_pass_four)


def all_pass_chains(rows: Row, begin: int, apart: int, factors: Row, fours: int, kept: Row, at: int, of: int) -> None:
    """Rows of samples through ``CHAIN`` all-passes stretched over four samples, ``CHAINS`` rows of them beside each
    other, in place. Each all-pass is four samples behind the one before, so that none has to wait.

    Parameters
    ----------
    rows : ndarray
        Holds the samples of all chains.
    begin, apart : int
        Where those of the first one stand, and how far on those of the next.
    factors : ndarray
        The factor of all all-passes for each sample.
    fours : int
        A quarter of the samples, at least ``CHAIN``.
    kept : ndarray
        Holds the last four samples before each all-pass and behind the last one; all but the last ones, which belong
        to what follows, become those of now.
    at, of : int
        Where those of the first chain begin, and how far on those of the next.
    """
    for chain in range(CHAINS):
        first = begin + apart * chain
        for k in range(CHAIN):
            x, y = at + of * chain + LANES * k, at + of * chain + LANES * (k + 1)
            before, behind = [kept[x + i] for i in range(LANES)], [kept[y + i] for i in range(LANES)]
            for i in range(LANES * fours):
                here = rows[first + i]
                there = fma(factors[i], here - behind[i % LANES], before[i % LANES])
                before[i % LANES], behind[i % LANES], rows[first + i] = here, there, there
            for i in range(LANES):
                kept[x + i] = before[i]


def _all_pass_chains(emit: Emitter) -> None:
    rows, begin, apart, factors, fours, kept, at, of = emit.arguments
    builder, all_chains = emit.builder, range(CHAINS)
    now = [[emit.slot() for _ in range(CHAIN + 1)] for _ in all_chains]
    before = [[emit.slot() for _ in range(CHAIN)] for _ in all_chains]
    places = [[emit.index(at, emit.times(of, c), LANES * k) for k in range(CHAIN + 1)] for c in all_chains]
    for c in all_chains:
        for k in range(CHAIN + 1):
            value = emit.load(kept, places[c][k])
            builder.store(value, now[c][k])
            if k < CHAIN:
                builder.store(value, before[c][k])

    def step(four: Any, active: Iterable[int]) -> None:
        """All-pass k works at the k-th four before this one."""
        first = emit.times(four, LANES)
        shares = {k: emit.load(factors, emit.index(first, -LANES * k)) for k in active}
        for c in all_chains:
            here = emit.index(begin, emit.times(apart, c), first)
            if 0 in shares:
                builder.store(builder.load(now[c][0]), before[c][0])
                builder.store(emit.load(rows, here), now[c][0])
            x, old = [builder.load(slot) for slot in now[c]], [builder.load(slot) for slot in before[c]]
            for k, share in shares.items():
                y = emit.fma(share, builder.fsub(x[k], x[k + 1]), old[k])
                builder.store(y, now[c][k + 1])
                if k + 1 < CHAIN:
                    builder.store(x[k + 1], before[c][k + 1])
                else:
                    emit.store(y, rows, emit.index(here, -LANES * k))

    for four in range(CHAIN - 1):
        step(emit.index(four), range(four + 1))
    with cgutils.for_range(builder, emit.index(fours, 1 - CHAIN)) as loop:
        step(emit.index(loop.index, CHAIN - 1), range(CHAIN))
    for four in range(CHAIN - 1):
        step(emit.index(fours, four), range(four + 1, CHAIN))
    for c in all_chains:
        for k in range(CHAIN):
            emit.store(builder.load(now[c][k]), kept, places[c][k])


compiled_as(all_pass_chains, LANES, _all_pass_chains)


def two_sections(samples: Row, first: int, n: int, factors: Row, at: int, held: int) -> None:
    """Samples of ``LINES`` lines through two second-order sections each, in place.

    Parameters
    ----------
    samples : ndarray
        One number of each line after the other, sample after sample.
    first, n : int
        Where they begin, and how many samples there are.
    factors : ndarray
        For each section b0, b1, b2, -a1, -a2 of every line; and what it holds, in direct form II transposed.
    at, held : int
        Where both begin in it.
    """
    for section in range(2):
        b0, b1, b2, a1, a2 = (at + (FACTORS * section + k) * LINES for k in range(FACTORS))
        one, two = held + 2 * LINES * section, held + (2 * section + 1) * LINES
        for i in range(n):
            for k in range(LINES):
                x = samples[first + LINES * i + k]
                y = fma(factors[b0 + k], x, factors[one + k])
                factors[one + k] = fma(factors[b1 + k], x, fma(factors[a1 + k], y, factors[two + k]))
                factors[two + k] = fma(factors[b2 + k], x, factors[a2 + k] * y)
                samples[first + LINES * i + k] = y


def _two_sections(emit: Emitter) -> None:
    samples, first, n, factors, at, held = emit.arguments
    builder, halves, sections = emit.builder, range(LINES // EIGHT), range(2)
    given, slots, places = dict[Any, list[Any]](), dict[Any, list[Any]](), dict[Any, list[Any]]()
    for s in sections:
        for half in halves:
            begin = emit.index(at, s * FACTORS * LINES + half * EIGHT)
            given[s, half] = [emit.load(factors, emit.index(begin, LINES * k)) for k in range(FACTORS)]
            places[s, half] = [emit.index(held, (2 * s + k) * LINES + half * EIGHT) for k in range(2)]
            slots[s, half] = [emit.slot() for _ in range(2)]
            for slot, place in zip(slots[s, half], places[s, half], strict=True):
                builder.store(emit.load(factors, place), slot)
    with cgutils.for_range(builder, n) as loop:
        for half in halves:
            here = emit.index(first, emit.times(loop.index, LINES), half * EIGHT)
            x = emit.load(samples, here)
            for s in sections:
                one, two = (builder.load(slot) for slot in slots[s, half])
                b0, b1, b2, a1, a2 = given[s, half]
                y = emit.fma(b0, x, one)
                builder.store(emit.fma(b1, x, emit.fma(a1, y, two)), slots[s, half][0])
                builder.store(emit.fma(b2, x, builder.fmul(a2, y)), slots[s, half][1])
                x = y
            emit.store(x, samples, here)
    for key, pair in slots.items():
        for slot, place in zip(pair, places[key], strict=True):
            emit.store(builder.load(slot), factors, place)


compiled_as(two_sections, EIGHT, _two_sections)


def ring_modes(out: Row, to: int, modes: Row, at: int, drive: Row, push: Row, first: int, n: int) -> None:
    """``MODES`` numbers in the plane, each of which turns and shrinks from sample to sample, while two sounds move it.

    Parameters
    ----------
    out : ndarray
        Receives the second coordinate of every mode after the other, sample after sample.
    to : int
        Where that begins.
    modes : ndarray
        Of every mode both coordinates, then those of its turn by one sample, then what the second sound gives it, then
        the first.
    at : int
        Where that begins.
    drive, push : ndarray
        The two sounds.
    first, n : int
        The first sample of both, and how many.
    """
    re, im, turn_re, turn_im, of_push, of_drive = (at + MODES * k for k in range(6))
    for i in range(n):
        for k in range(MODES):
            a, b, c, s = modes[re + k], modes[im + k], modes[turn_re + k], modes[turn_im + k]
            given = fma(modes[of_push + k], push[first + i], modes[of_drive + k] * drive[first + i])
            modes[re + k] = fma(c, a, fma(-s, b, given))
            out[to + MODES * i + k] = modes[im + k] = fma(s, a, c * b)


def _ring_modes(emit: Emitter) -> None:
    out, to, modes, at, drive, push, first, n = emit.arguments
    builder, halves = emit.builder, range(MODES // EIGHT)
    places = [[emit.index(at, MODES * k + EIGHT * half) for k in range(6)] for half in halves]
    given = [[emit.load(modes, place) for place in places[half]] for half in halves]
    slots = [[emit.slot() for _ in range(2)] for _ in halves]
    for half in halves:
        for k in range(2):
            builder.store(given[half][k], slots[half][k])
    with cgutils.for_range(builder, n) as loop:
        now = emit.index(first, loop.index)
        pushed, driven = (emit.spread(builder.load(builder.gep(sound, [now]))) for sound in (push, drive))
        for half in halves:
            a, b = (builder.load(slot) for slot in slots[half])
            _, _, c, s, of_push, of_drive = given[half]
            moved = emit.fma(of_push, pushed, builder.fmul(of_drive, driven))
            builder.store(emit.fma(c, a, emit.fma(builder.fneg(s), b, moved)), slots[half][0])
            turned = emit.fma(s, a, builder.fmul(c, b))
            builder.store(turned, slots[half][1])
            emit.store(turned, out, emit.index(to, emit.times(loop.index, MODES), EIGHT * half))
    for half in halves:
        for k in range(2):
            emit.store(builder.load(slots[half][k]), modes, places[half][k])


compiled_as(ring_modes, EIGHT, _ring_modes)
