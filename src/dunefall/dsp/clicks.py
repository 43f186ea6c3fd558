"""Clicks: a single isolated step in a sound, sample by sample.

A step counts when it is much larger than all steps of the milliseconds before it and of those after it: the onset of a
strike is followed by more of its kind, a click is not (the project's own rule).
"""

from __future__ import annotations

from numba import njit

from dunefall.base.arrays import Floats
from dunefall.dsp.maths import larger

__all__ = ["CLICK_STATE", "COUNT", "PLACE", "SIZE", "watch_clicks"]

LAST, BEFORE, CANDIDATE, AGE, AFTER, COUNT, PLACE, SIZE, BEGUN = range(9)
CLICK_STATE = 9
"""Numbers that are kept for each sound: the last sample, the largest step of late, the step in question, samples since
it, the largest since, how many clicks so far, the sample of the last one, its size, samples heard so far."""
ALONE = 5.0
"""So many times the steps around it."""
SMALLEST = 0.01
WAIT = 96.0
"""Samples after a step in which nothing of its kind may follow."""
FADES = 0.985
FADED = 0.38
"""What a sample, and 64 of them, leave of the memory of earlier steps."""
SETTLES = 480.0
"""Samples that are listened to before anything counts."""


@njit(error_model="numpy", forceinline=True)
def watch_clicks(state: Floats, first: int, left: Floats, right: Floats, position: float) -> None:
    """Listen to the next samples of a stereo sound; ``state`` holds ``CLICK_STATE`` numbers from ``first`` on.

    Hardly ever is there a step worth asking about: then only the largest of all these samples is computed.

    Parameters
    ----------
    state : ndarray
        What is carried from call to call; 0 at first.
    first : int
        Where this layer's numbers begin.
    left : ndarray [shape=(n,)]
        Left channel.
    right : ndarray [shape=(n,)]
        Right channel.
    position : float
        Sample since the start of the take.
    """
    n, largest = left.size, abs(left[0] + right[0] - state[first + LAST])
    half = n // 2  # of a quantum, whole vectors: the n - 1 steps as two halves with one step in common
    for begin in (0, n - 1 - half):
        a, b = left[begin:], right[begin:]
        largest = larger(largest, _largest_step(a[:half], a[1:], b[:half], b[1:]))
    before = state[first + BEFORE]
    quiet = largest <= SMALLEST or largest <= ALONE * FADED * before
    if state[first + CANDIDATE] > 0.0 or not (quiet or state[first + BEGUN] < SETTLES):
        _look_closer(state, first, left, right, position)
    state[first + LAST] = left[n - 1] + right[n - 1]
    state[first + BEFORE] = max(FADED * before, largest)
    state[first + BEGUN] += n


@njit(error_model="numpy", forceinline=True)
def _largest_step(
    left: Floats,
    left_next: Floats,
    right: Floats,
    right_next: Floats,
) -> float:
    found = 0.0
    for i in range(left.size):
        found = larger(found, abs(left_next[i] + right_next[i] - (left[i] + right[i])))
    return found


@njit(error_model="numpy")
def _look_closer(state: Floats, first: int, left: Floats, right: Floats, position: float) -> None:
    last, before, candidate = state[first + LAST], state[first + BEFORE], state[first + CANDIDATE]
    age, after = state[first + AGE], state[first + AFTER]
    for i in range(left.size):
        here = left[i] + right[i]
        step = abs(here - last)
        last = here
        if candidate > 0.0:
            age += 1.0
            after = max(after, step)
            if ALONE * after > candidate:
                candidate = 0.0
            elif age >= WAIT:
                state[first + COUNT] += 1.0
                state[first + PLACE], state[first + SIZE] = position + i - age, candidate
                candidate = 0.0
        elif step > SMALLEST and step > ALONE * before and state[first + BEGUN] >= SETTLES:
            candidate, age, after = step, 0.0, 0.0
        before = max(FADES * before, step)
    state[first + CANDIDATE], state[first + AGE], state[first + AFTER] = candidate, age, after
