"""Twenty patches that come round, after 5 to 120 s, and twenty of slow waves that move apart: what Survey hears of it.

`python -m bench.rounds`. The period of each of the first is to be told within one in a hundred by the sound alone, and
none of the others.
"""

from __future__ import annotations

import os
import random
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

from bench.patches import linked, view_of
from dunefall.patch.model import Layer, Module, Patch
from dunefall.survey.likeness import Period, course_of, period_of

__all__ = ["MOVING", "ROUND", "main", "period_heard"]

COUNT, SHORTEST_S, LONGEST_S = 20, 5.0, 120.0
ROUNDS, WAVES_S = 2.6, 300.0
WITHIN = 0.01


def _patch(seed: int, modules: tuple[Module, ...], links: str) -> Patch:
    voice = Layer("voice", "Voice", (*modules, Module("voice-output", "output", "Voice")))
    return linked("Round", voice, links=links, seed=seed)


def _rounds() -> Iterator[tuple[Patch, float]]:
    """A bell that a row of notes strikes in a bed of noise, that comes round after so many steps."""
    for k in range(COUNT):
        dice = random.Random(k)
        wanted = SHORTEST_S * (LONGEST_S / SHORTEST_S) ** (k / (COUNT - 1))
        steps = max(5, min(64, round(wanted / dice.uniform(0.5, 2.2))))
        notes = tuple(float(dice.choice((48, 50, 53, 55, 57, 60, 62, 65, 67))) for _ in range(64))
        gates = tuple(float(dice.random() < 0.7) for _ in range(64))
        row = {"row_a": notes, "gates": gates}
        modules = (
            Module("tick", "clock", "Tick", {"sync": 1.0, "period_s": wanted / steps}),
            Module("row", "step-sequencer", "Row", {"length_a": float(steps)}, series=row),
            Module("bell", "struck-body", "Bell", {"decay_s": dice.uniform(0.5, 3.0)}),
            Module("wind", "noise", "Wind", {"colour": 1.0}),
        )
        links = "tick.gate>row.clock row.a>bell.pitch_note row.gate>bell.trigger bell.out>voice-output.audio"
        yield _patch(k, modules, f"{links} wind.out>voice-output.audio*{dice.choice((0.0, 0.02, 0.05))}"), wanted


def _moving() -> Iterator[Patch]:
    """Noise and a tone that three slow waves of unrelated rates move."""
    for k in range(COUNT):
        dice = random.Random(100 + k)
        waves = [Module(f"wave-{n}", "lfo", f"Wave {n}", {"rate_hz": 1.0 / dice.uniform(6.0, 40.0)}) for n in range(3)]
        wind, low = (
            Module("wind", "noise", "Wind", {"colour": 2.0}),
            Module("low", "filter", "Low", {"cutoff_hz": 700.0}),
        )
        tone = Module("tone", "oscillator", "Tone", {"pitch_note": 45.0})
        moves = "wave-0.out>low.cutoff_hz*1.5 wave-1.out>voice-output.level_db*9 wave-2.out>tone.pitch_note*7"
        sounds = "wind.out>low.audio low.low>voice-output.audio tone.out>voice-output.audio*0.5"
        yield _patch(k, (*waves, wind, low, tone), f"{moves} {sounds}")


ROUND: tuple[tuple[Patch, float], ...] = tuple(_rounds())
MOVING: tuple[Patch, ...] = tuple(_moving())


def period_heard(patch: Patch, seconds: float) -> Period | None:
    """The period that is heard in so many seconds."""
    return period_of(*course_of(view_of(patch, seconds)))


def main() -> int:
    """Listen to all; 1 where a period is not told, or one that is none."""
    right = false = 0
    patches = [*(patch for patch, _ in ROUND), *MOVING]
    times = [*(ROUNDS * period for _, period in ROUND), *(WAVES_S for _ in MOVING)]
    with ProcessPoolExecutor(os.cpu_count(), get_context("spawn")) as pool:
        for k, found in enumerate(pool.map(period_heard, patches, times)):
            wanted = ROUND[k][1] if k < COUNT else 0.0
            good = found is not None and wanted and abs(found.seconds - wanted) <= WITHIN * wanted
            right += bool(good)
            false += bool(found is not None and not wanted)
            told = f"{found.seconds:.2f} s, {100 * found.left:.1f} % left" if found else "none"
            print(f"{'round' if wanted else 'waves'} {k}: {wanted:.2f} s, heard {told}", flush=True)
    print(f"{right} of {COUNT} periods told within 1 %; {false} told of {COUNT} that have none")
    return int(right < COUNT or false > 0)


if __name__ == "__main__":
    raise SystemExit(main())
