"""Looking ahead at the demo: how fast, how soon, and whether what is shown is what will be heard.

`python -m bench.ahead [--minutes 10] [--edits 50]`. Times the first picture and the whole, in a worker as the window
does; then makes edits at random times, looks again, and compares the digest of every stretch with that of a render from
the start.
"""

from __future__ import annotations

import argparse
import random
import time

import numpy as np

from dunefall.compiler.code import use_loop_code
from dunefall.deliver.workers import Workers
from dunefall.patch.changes import ParamSet
from dunefall.patch.library import find_patch
from dunefall.patch.take import Edit, Entry, Take
from dunefall.render.offline import render_to_array
from dunefall.render.performance import Performance
from dunefall.survey.findings import View
from dunefall.survey.outlook import Outlook
from dunefall.survey.report import report_of
from dunefall.survey.stretch import STRETCH, digest_of

__all__ = ["main"]

RATE, EDITED_S, STEP_S = 48000.0, 60.0, 0.02
VALUES = (
    ("drip-line-low-pass", "cutoff_hz", 300.0, 6000.0), ("fog-air-output", "level_db", -30.0, -6.0),
    ("hull-groan-output", "level_db", -30.0, -6.0), ("beacon-tick", "period_beats", 0.25, 1.0),
)  # fmt: skip


def _looked(outlook: Outlook) -> tuple[float, float]:
    """Seconds until the first stretch is known, and all of them."""
    begun, first = time.monotonic(), 0.0
    while not outlook.done:
        assert not outlook.trouble, outlook.trouble
        if outlook.step() and not first:
            first = time.monotonic() - begun
        time.sleep(STEP_S)
    return first, time.monotonic() - begun


def _digests(take: Take, seconds: float) -> list[bytes]:
    """Of each stretch, rendered from the start."""
    count = int(np.ceil(seconds * RATE / STRETCH))
    sound = render_to_array(take, seconds=count * STRETCH / RATE)
    return [digest_of(part) for part in np.split(sound, count)]


def _different(outlook: Outlook, take: Take) -> int:
    """Stretches that are another sound than what is rendered."""
    return sum(outlook.rest[k].digest != digest for k, digest in enumerate(_digests(take, outlook.seconds)))


def main() -> int:
    """Measure; 1 where something that is shown is not what is heard."""
    parser = argparse.ArgumentParser(prog="python -m bench.ahead", description=__doc__)
    parser.add_argument("--minutes", type=float, default=10.0)
    parser.add_argument("--edits", type=int, default=50)
    options = parser.parse_args()
    patch, dice = find_patch("demo:")[0], random.Random(1)
    use_loop_code(Performance(Take(patch, RATE)).player.program, wait=True)
    outlook, wrong, compared = Outlook(Workers(1)), 0, 0
    try:
        take = Take(patch, RATE)
        outlook.look(take, 10.0)  # the worker is there, with all that it needs
        _looked(outlook)
        outlook.look(
            Take(find_patch("demo:")[0].with_param("fog-air-output", "level_db", -11.0), RATE), 60.0 * options.minutes
        )
        first, whole = _looked(outlook)
        print(f"first stretch after {first:.2f} s, {options.minutes:g} min in {whole:.1f} s, "
              f"{60 * options.minutes / whole:.1f} times real time")  # fmt: skip
        begun = time.monotonic()
        report_of(View(outlook, patch))
        print(f"judged in {1000 * (time.monotonic() - begun):.0f} ms")
        outlook.look(take, 60.0 * options.minutes)
        _looked(outlook)
        wrong, compared = _different(outlook, take), len(outlook.known)
        print(f"{compared} places, {wrong} of them another sound than what is rendered", flush=True)
        outlook.look(take, EDITED_S)
        _looked(outlook)
        for _ in range(options.edits):
            module, param, low, high = dice.choice(VALUES)
            change = ParamSet(module, param, dice.uniform(low, high))
            take = take.with_entry(Entry(dice.randrange(round(EDITED_S * RATE)), Edit((change,))))
            outlook.look(take, EDITED_S)
            _looked(outlook)
        edited = _different(outlook, take)
        print(f"after {options.edits} edits: {len(outlook.known)} places, {edited} of them another sound", flush=True)
        wrong += edited
    finally:
        outlook.close()
    return int(wrong > 0)


if __name__ == "__main__":
    raise SystemExit(main())
