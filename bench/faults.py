"""Sixty patches with one fault each, and sixty without: what Survey finds of them.

`python -m bench.faults [--only KIND] [--seconds 75]`. At least 58 are to be found with the right module, and at most
two of the others may have an error found in them. The faults are made here, one kind after the other; the patches
without are the starters with seeds of their own, and the demo.
"""

from __future__ import annotations

import argparse
import os
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from multiprocessing import get_context

from bench.patches import linked, view_of
from dunefall.patch.library import find_patch, starters
from dunefall.patch.model import Layer, Module, Patch
from dunefall.survey.findings import Finding
from dunefall.survey.judging import judged

__all__ = ["CLEAN", "FAULTS", "Fault", "found_in", "main"]

SECONDS, WITHOUT, LEAST_FOUND, MOST_FALSE = 75.0, 60, 58, 2
IN_C = (48.0, 51.0, 53.0, 55.0, 58.0, 60.0, 55.0, 51.0)
"""C minor pentatonic."""


@dataclass(frozen=True)
class Fault:
    """A patch with a fault.

    Attributes
    ----------
    kind : str
        Of the finding.
    modules : tuple of str
        One of them is to be named.
    """

    kind: str
    patch: Patch
    modules: tuple[str, ...]


def _patch(*layers: Layer, links: str, seed: int = 1) -> Patch:
    return linked("Fault", *layers, links=links, seed=seed)


def _layer(name: str, *modules: Module, level_db: float = -12.0, **values: float) -> Layer:
    end = Module(f"{name}-output", "output", name.title(), {"level_db": level_db, **values})
    return Layer(name, name.title(), (*modules, end))


def _bed(level_db: float = -24.0) -> Layer:
    """Something harmless beside it."""
    return _layer("bed", Module("hiss", "noise", "Hiss", {"colour": 2.0}), level_db=level_db)


BED_LINKS = "hiss.out>bed-output.audio"


def clicking() -> Iterator[Fault]:
    """A held value that jumps in the level of a low tone; an envelope that begins from nothing each time."""
    for k, note in enumerate((33.0, 38.0, 43.0, 36.0, 41.0)):
        tone = Module("tone", "oscillator", "Tone", {"pitch_note": note, "shape": 0.0})
        hold = Module("hold", "sample-hold", "Hold", {"rate_hz": 0.43 + 0.2 * k})
        wave = Module("wave", "smooth-random", "Wave", {"rate_hz": 7.0})
        gain = Module("gain", "amplifier", "Gain", {"gain": 0.5})
        links = (
            f"wave.out>hold.signal hold.out>gain.gain*0.6 tone.out>gain.audio gain.out>voice-output.audio {BED_LINKS}"
        )
        yield Fault("click", _patch(_layer("voice", tone, wave, hold, gain), _bed(-40.0), links=links, seed=k),
                    ("hold",))  # fmt: skip
    for k, note in enumerate((36.0, 40.0, 31.0)):
        tone = Module("tone", "oscillator", "Tone", {"pitch_note": note, "shape": 0.0})
        tick = Module("tick", "clock", "Tick", {"sync": 1.0, "period_s": 0.9 + 0.31 * k})
        values = {"attack_s": 0.0005, "decay_s": 6.0, "sustain": 0.8, "release_s": 9.0, "begins": 1.0}
        shape = Module("shape", "envelope", "Shape", values)
        gain = Module("gain", "amplifier", "Gain", {"gain": 0.0})
        links = "tick.gate>shape.trigger shape.out>gain.gain tone.out>gain.audio gain.out>voice-output.audio"
        yield Fault("click", _patch(_layer("voice", tone, tick, shape, gain), links=links, seed=k), ("shape", "tick"))


def off_scale() -> Iterator[Fault]:
    """One step of a sequence a semitone high, or between two notes, beside a layer in the scale, or alone."""
    for k, (step, by, beside) in enumerate((
        (1, 1.0, True), (3, 1.0, True), (6, 1.0, True), (2, -1.0, True), (1, 1.0, False), (5, 0.35, True),
        (0, 0.4, False), (4, -0.3, True),
    )):  # fmt: skip
        notes = list(IN_C)
        notes[step] += by
        tick = Module("tick", "clock", "Tick", {"sync": 1.0, "period_s": 0.4 + 0.05 * k})
        row = Module("row", "step-sequencer", "Row", {"length_a": 8.0}, series={"row_a": tuple(notes) + (48.0,) * 56})
        tone = Module("tone", "operator", "Tone", {"decay_s": 0.5})
        links = "tick.gate>row.clock row.a>tone.pitch_note row.gate>tone.trigger tone.out>voice-output.audio"
        layers = [_layer("voice", tick, row, tone)]
        if beside:
            wave = Module("wave", "lfo", "Wave", {"rate_hz": 0.21})
            scale = Module("scale", "quantiser", "Scale", {"scale": 8.0, "root": 0.0})
            other = Module("other", "oscillator", "Other", {"shape": 0.0})
            layers.append(_layer("other-voice", wave, scale, other))
            links += " wave.out>scale.pitch*12 scale.out>other.pitch_note other.out>other-voice-output.audio"
        yield Fault("off scale", _patch(*layers, links=links, seed=k), ("row",))


def creeping() -> Iterator[Fault]:
    """A loop that gains a little each time round, and a level that a very slow wave raises."""
    for k, (feedback, time_s) in enumerate(((1.02, 0.4), (1.03, 0.7), (1.04, 0.9), (1.025, 0.5))):
        drop = Module("drop", "impulse", "Drop", {"rate_hz": 0.2, "level": 0.02})
        echo = Module("echo", "delay", "Echo", {"feedback": feedback, "time_s": time_s, "dry": 0.3, "wet": 0.7})
        links = f"drop.out>echo.audio echo.out>voice-output.audio {BED_LINKS}"
        yield Fault("creeping", _patch(_layer("voice", drop, echo), _bed(-50.0), links=links, seed=k),
                    ("echo", "voice-output"))  # fmt: skip
    for k, depth in enumerate((24.0, 18.0, 30.0)):
        hiss = Module("wind", "noise", "Wind", {"colour": 1.0})
        rise = Module("rise", "lfo", "Rise", {"rate_hz": 1 / 180.0, "phase": 0.75})
        links = f"wind.out>voice-output.audio rise.out>voice-output.level_db*{depth} {BED_LINKS}"
        yield Fault("creeping", _patch(_layer("voice", hiss, rise, level_db=-28.0), _bed(), links=links, seed=k),
                    ("voice-output",))  # fmt: skip


def never_heard() -> Iterator[Fault]:
    """A layer that its own gate keeps shut, or that is turned down."""
    tone = Module("tone", "oscillator", "Tone", {"pitch_note": 50.0})
    shape = Module("shape", "envelope", "Shape", {"sustain": 0.0})
    gain = Module("gain", "amplifier", "Gain", {"gain": 0.0})
    tick = Module("tick", "clock", "Tick", {"sync": 1.0, "period_s": 1.0})
    sound = f"shape.out>gain.gain tone.out>gain.audio gain.out>voice-output.audio {BED_LINKS}"
    refuses = Module("skip", "chance", "Skip", {"probability": 0.0})
    never = Module("edge", "comparator", "Edge", {"level": 1.5})
    wave = Module("wave", "lfo", "Wave", {"rate_hz": 0.3})
    made = (
        ((tick, refuses), "tick.gate>skip.trigger skip.passed>shape.trigger", ("skip", "shape")),
        ((wave, never), "wave.out>edge.signal edge.above>shape.trigger", ("edge", "shape")),
        ((replace(tick, params={"sync": 1.0, "period_s": 3600.0}), refuses),
         "tick.gate>skip.trigger skip.passed>shape.trigger", ("skip", "shape")),
        ((), "", ("gain", "shape")),
    )  # fmt: skip
    for k, (more, links, blamed) in enumerate(made):
        layers = (_layer("voice", *more, tone, shape, gain), _bed())
        yield Fault("never heard", _patch(*layers, links=f"{links} {sound}", seed=k), blamed)
    low = Module("low", "filter", "Low", {"cutoff_hz": 400.0})
    for k, level_db in enumerate((-96.0, -90.0)):
        layers = (_layer("voice", tone, low, level_db=level_db), _bed())
        links = f"tone.out>low.audio low.low>voice-output.audio {BED_LINKS}"
        yield Fault("never heard", _patch(*layers, links=links, seed=k), ("voice-output",))


def opposed() -> Iterator[Fault]:
    """Two layers that give the same sound, one of them turned round."""
    for k, (kind, values) in enumerate((
        ("oscillator", {"pitch_note": 45.0}), ("noise", {"colour": 1.0, "seed": 5.0}),
        ("oscillator", {"pitch_note": 60.0}),
        ("noise", {"colour": 2.0, "seed": 9.0}), ("oscillator", {"pitch_note": 38.0, "shape": 2.0}),
    )):  # fmt: skip
        source = Module("tone", kind, "Tone", values)
        layers = (_layer("voice", source), _layer("mirror", level_db=-13.0), _bed(-40.0))
        links = f"tone.out>voice-output.audio tone.out>mirror-output.audio*-1 {BED_LINKS}"
        yield Fault("opposed", _patch(*layers, links=links, seed=k), ("voice-output", "mirror-output"))


def quiet() -> Iterator[Fault]:
    """Half a minute in which nothing happens."""
    for k, period in enumerate((34.0, 40.0, 46.0)):
        tick = Module("tick", "clock", "Tick", {"sync": 1.0, "period_s": period})
        body = Module("body", "struck-body", "Body", {"decay_s": 1.5, "pitch_note": 55.0 + 3 * k})
        links = "tick.gate>body.trigger body.out>voice-output.audio"
        yield Fault("quiet", _patch(_layer("voice", tick, body), links=links, seed=k), ())
    for k, depth in enumerate((60.0, 48.0)):
        wind = Module("wind", "noise", "Wind", {"colour": 1.0})
        tide = Module("tide", "lfo", "Tide", {"rate_hz": 1 / 70.0, "shape": 0.0})
        links = f"wind.out>voice-output.audio tide.out>voice-output.level_db*{depth}"
        yield Fault(
            "quiet", _patch(_layer("voice", wind, tide, level_db=-20.0), links=links, seed=k), ("voice-output",)
        )


def too_loud() -> Iterator[Fault]:
    """Peaks far above full scale: a layer that is too loud, or two that come together."""
    for k, level_db in enumerate((9.0, 12.0, 10.0)):
        tick = Module("tick", "clock", "Tick", {"sync": 1.0, "period_s": 2.5 + k})
        body = Module("body", "struck-body", "Body", {"decay_s": 2.0, "strength": 1.0, "pitch_note": 50.0 + k})
        lift = Module("lift", "amplifier", "Lift", {"level_db": 18.0})
        links = f"tick.gate>body.trigger body.out>lift.audio lift.out>voice-output.audio {BED_LINKS}"
        layers = (_layer("voice", tick, body, lift, level_db=level_db), _bed())
        yield Fault("peak", _patch(*layers, links=links, seed=k), ("voice-output",))
    for k, level_db in enumerate((4.0, 8.0)):
        one = Module("one", "oscillator", "One", {"pitch_note": 40.0, "level": 1.0})
        two = Module("two", "oscillator", "Two", {"pitch_note": 47.0, "level": 1.0})
        layers = (_layer("left-voice", one, level_db=level_db), _layer("right-voice", two, level_db=level_db))
        links = "one.out>left-voice-output.audio two.out>right-voice-output.audio"
        yield Fault("peak", _patch(*layers, links=links, seed=k), ("left-voice-output", "right-voice-output"))


def with_offset() -> Iterator[Fault]:
    """A constant in the sound."""
    for k, offset in enumerate((0.5, -0.6, 0.8, 1.0, -0.9)):
        still = Module("still", "scale-offset", "Still", {"offset": offset})
        wind = Module("wind", "noise", "Wind", {"colour": 2.0})
        links = f"wind.out>voice-output.audio*0.5 still.out>voice-output.audio {BED_LINKS}"
        yield Fault("offset", _patch(_layer("voice", wind, still), _bed(), links=links, seed=k), ("voice-output",))


def cancelled_in_mono() -> Iterator[Fault]:
    """The same sound on both sides, one of them turned round."""
    for k, values in enumerate(
        ({"pitch_note": 52.0}, {"pitch_note": 47.0, "shape": 1.0}, {"pitch_note": 57.0}, {"shape": 3.0})
    ):
        tone = Module("tone", "oscillator", "Tone", values)
        layers = (
            _layer("left-voice", tone, angle_deg=-90.0), _layer("right-voice", angle_deg=90.0), _bed(-50.0),
        )  # fmt: skip
        links = f"tone.out>left-voice-output.audio tone.out>right-voice-output.audio*-1 {BED_LINKS}"
        yield Fault("mono", _patch(*layers, links=links, seed=k), ("left-voice-output", "right-voice-output"))


def covered() -> Iterator[Fault]:
    """A layer below another one in the same bands."""
    for k, gap in enumerate((24.0, 28.0, 22.0, 26.0)):
        wind = Module("wind", "noise", "Wind", {"colour": 2.0})
        low = Module("low", "filter", "Low", {"cutoff_hz": 700.0 + 200.0 * k})
        hiss = Module("murmur", "noise", "Murmur", {"colour": 2.0, "seed": 3.0})
        low2 = Module("low-2", "filter", "Low 2", {"cutoff_hz": 600.0 + 200.0 * k})
        layers = (_layer("storm", wind, low, level_db=-6.0), _layer("murmur-voice", hiss, low2, level_db=-6.0 - gap))
        links = (
            "wind.out>low.audio low.low>storm-output.audio murmur.out>low-2.audio low-2.low>murmur-voice-output.audio"
        )
        yield Fault("covered", _patch(*layers, links=links, seed=k), ("murmur-voice-output",))


def standing_still() -> Iterator[Fault]:
    """A sequence that nothing clocks, as its clock is held, or chance lets nothing through."""
    for k, kind in enumerate(("step-sequencer", "curve-sequencer", "note-list")):
        tick = Module("tick", "clock", "Tick", {"sync": 1.0, "period_s": 0.5})
        skip = Module("skip", "chance", "Skip", {"probability": 0.0})
        row = Module("row", kind, "Row")
        tone = Module("tone", "oscillator", "Tone")
        out = {"step-sequencer": "a", "curve-sequencer": "out", "note-list": "out"}[kind]
        links = f"tick.gate>skip.trigger skip.passed>row.clock row.{out}>tone.fine_ct*20 tone.out>voice-output.audio"
        yield Fault("idle", _patch(_layer("voice", tick, skip, row, tone), links=links, seed=k), ("row", "skip"))


KINDS: tuple[Callable[[], Iterator[Fault]], ...] = (
    clicking, off_scale, creeping, never_heard, opposed, quiet, too_loud, with_offset, cancelled_in_mono, covered,
    standing_still,
)  # fmt: skip
FAULTS: tuple[Fault, ...] = tuple(fault for kind in KINDS for fault in kind())


def _without() -> Iterator[Patch]:
    """The demo and the starters, with one seed after the other."""
    names = ["demo:", *(f"starter:{name}" for name in starters())]
    for k in range(WITHOUT):
        patch, _ = find_patch(names[k % len(names)])
        yield replace(patch, seed=(patch.seed + 1000 * (k // len(names))) % 2**32)


CLEAN = tuple(_without())


def found_in(patch: Patch, seconds: float) -> list[Finding]:
    """What Survey finds in so many seconds."""
    return judged(view_of(patch, seconds))


def is_right(fault: Fault, findings: list[Finding]) -> bool:
    """Whether the fault is among what was found, with its module."""
    ours = [one for one in findings if one.kind == fault.kind]
    return any(not fault.modules or set(fault.modules) & set(one.modules) for one in ours)


def main() -> int:
    """Look at all of them; 1 where too few are found, or too many that are none."""
    parser = argparse.ArgumentParser(prog="python -m bench.faults", description=__doc__)
    parser.add_argument("--only", default="")
    parser.add_argument("--seconds", type=float, default=SECONDS)
    parser.add_argument("--jobs", type=int, default=os.cpu_count())
    options = parser.parse_args()
    faults = [fault for fault in FAULTS if options.only in ("", fault.kind)]
    clean = list(CLEAN) if options.only in ("", "clean") else []
    right = wrong = 0
    with ProcessPoolExecutor(options.jobs, get_context("spawn")) as pool:
        times = [options.seconds] * (len(faults) + len(clean))
        results = pool.map(found_in, [*(fault.patch for fault in faults), *clean], times)
        for k, (fault, findings) in enumerate(zip(faults, results, strict=False)):
            good = is_right(fault, findings)
            right += good
            others = sum(one.error and one.kind != fault.kind for one in findings)
            if not good or others:
                told = "; ".join(f"{one.kind} {one.text} {one.modules}" for one in findings)
                print(f"fault {k} {fault.kind} {fault.modules}: {'found' if good else 'MISSED'}: {told}", flush=True)
        for patch, findings in zip(clean, results, strict=True):
            errors = [one for one in findings if one.error]
            wrong += bool(errors)
            for one in findings:
                print(f"clean {patch.title} {patch.seed}: {one.kind} {one.text} {one.why} ({one.error})", flush=True)
    print(f"{right} of {len(faults)} found with the right module; errors in {wrong} of {len(clean)} patches without")
    whole = not options.only
    return int(whole and (right < LEAST_FOUND or wrong > MOST_FALSE))


if __name__ == "__main__":
    raise SystemExit(main())
