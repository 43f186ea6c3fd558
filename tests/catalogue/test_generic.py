"""Tests that every module must pass, derived from its declaration."""

from __future__ import annotations

import inspect
import json
from dataclasses import replace

import numpy as np
import pytest

import fingerprints
from dunefall.base.units import UNITS, parse_value
from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import Input, ModuleSpec, Param
from dunefall.compiler.build import compile_patch
from dunefall.compiler.takeover import Takeover
from dunefall.patch.model import Module
from dunefall.render.player import Player
from rig import QUANTUM, Rig, patch_of, pulses, tone

SPECS = list(catalogue().values())
each_module = pytest.mark.parametrize("spec", SPECS, ids=lambda spec: spec.id)


def random_inputs(spec: ModuleSpec, samples: int, seed: int) -> dict[str, np.ndarray]:
    """Every port moving wildly, every parameter within its hard range."""
    generator = np.random.default_rng(seed)
    inputs = {}
    for port in (port for port in spec.target_rows if isinstance(port, Input)):
        wild = generator.normal(size=samples)
        inputs[port.id] = (wild > 1.5).astype(float) if port.role == "gate" else wild
    for param in spec.params:
        places = np.repeat(generator.random(samples // 16 + 1), 16)[:samples]
        if param.follows == "layout":  # another layout is another program: it never moves
            places[:] = places[0]
        inputs[param.id] = np.array([param.from_rail(place) for place in places])
    return inputs


@each_module
def test_declaration_is_complete(spec: ModuleSpec) -> None:
    assert spec.sentence.endswith(".")
    assert spec.sources
    assert spec.outputs
    assert spec.words
    assert inspect.getdoc(spec.kernel)
    for param in spec.params:
        assert param.unit in UNITS
        assert param.low <= param.default <= param.high
        assert param.check(param.default, spec.name) == param.default
        assert param.from_rail(param.to_rail(param.default)) == pytest.approx(param.default)
        assert param.from_domain(param.to_domain(param.high)) == pytest.approx(param.high)
    if spec.face:
        assert spec.param(spec.face)
    if spec.passes:
        assert spec.passes in {port.id for port in spec.inputs}


@each_module
def test_every_default_can_be_typed_as_shown(spec: ModuleSpec) -> None:
    for param in spec.params:
        back = parse_value(param.format(param.default), param.unit, choices=param.choices)
        assert back == pytest.approx(param.default, rel=0.006, abs=1e-9)


@each_module
@pytest.mark.parametrize("rate", [44100.0, 96000.0])
def test_finite_and_bounded_under_any_movement(spec: ModuleSpec, rate: float) -> None:
    samples = 200 * QUANTUM
    outputs = Rig(spec.id, rate=rate).run(samples, **random_inputs(spec, samples, 3))
    most = 400 * 10 ** (24 / 20) if spec.closes else 400  # the master's level alone adds up to 24 dB
    for port, values in outputs.items():
        assert np.isfinite(values).all(), port
        assert np.abs(values).max() < most, port


@each_module
def test_repeatable_and_seeded(spec: ModuleSpec) -> None:
    samples = 50 * QUANTUM
    inputs = random_inputs(spec, samples, 4)
    first, again, other = (Rig(spec.id, seed=seed, linked=0).run(samples, **inputs) for seed in (1, 1, 2))
    asks_for_chance = "key" in inspect.signature(spec.kernel).parameters
    assert all((values == again[port]).all() for port, values in first.items())
    assert any((values != other[port]).any() for port, values in first.items()) == asks_for_chance


@each_module
def test_checkpoint_goes_on_bit_for_bit(spec: ModuleSpec) -> None:
    samples = 20 * QUANTUM
    rig, inputs = Rig(spec.id), random_inputs(spec, samples, 6)
    rig.run(samples, **inputs)
    checkpoint = rig.program.memory.copy()
    first = rig.run(samples, **inputs)
    rig.program.memory.restore(checkpoint)
    for port, values in rig.run(samples, **inputs).items():
        assert (values == first[port]).all()


@each_module
@pytest.mark.parametrize("moving", [True, False])
def test_sample_by_sample_is_the_same_as_in_blocks(spec: ModuleSpec, moving: bool) -> None:
    """A kernel may be called with any number of samples (within a loop: one), and gives the same bits."""
    inputs = random_inputs(spec, 256, 8)
    if not moving:
        values = {param.id: float(inputs.pop(param.id)[0]) for param in spec.params}
    results = [
        Rig(spec.id, **({} if moving else values)).run(256, at_a_time=step, **inputs) for step in (QUANTUM, 7, 1)
    ]
    for other in results[1:]:
        for port, signal in results[0].items():
            np.testing.assert_array_equal(other[port], signal)


@pytest.mark.parametrize("spec", [s for s in SPECS if len(s.outputs) > 1], ids=lambda spec: spec.id)
def test_outputs_that_nobody_uses_change_nothing(spec: ModuleSpec) -> None:
    """They are written to a row that is nobody's: a kernel must not read them back."""
    samples = 8 * QUANTUM
    inputs = random_inputs(spec, samples, 5)
    together = Rig(spec.id, seed=2).run(samples, **inputs)
    for output in spec.output_rows:
        alone = Rig(spec.id, seed=2, watched=(output.id,)).run(samples, **inputs)
        np.testing.assert_array_equal(alone[output.id], together[output.id], err_msg=output.id)


SOUNDING = [
    ("oscillator", "pitch_note", 45.0, 52.0), ("oscillator", "fine_ct", -50.0, 50.0), ("oscillator", "shape", 0.0, 1.0),
    ("oscillator", "level", 0.2, 1.0), ("filter", "cutoff_hz", 300.0, 3000.0), ("filter", "resonance", 0.0, 0.9),
    ("amplifier", "gain", 0.1, 1.0), ("mix", "level_a", -1.0, 1.0), ("delay", "wet", 0.0, 1.0),
    ("delay", "feedback", 0.0, 0.9), ("delay", "high_cut_hz", 800.0, 12000.0), ("output", "level_db", -60.0, 0.0),
    ("output", "angle_deg", -90.0, 90.0),
]  # fmt: skip


@pytest.mark.parametrize(("type_id", "param", "low", "high"), SOUNDING)
def test_a_changed_value_makes_no_click(type_id: str, param: str, low: float, high: float) -> None:
    """No step between samples is larger than the signal makes by itself at either value (5 % for the glide's slope)."""
    spec = catalogue()[type_id]
    sine = tone(220, 4.0, level=0.5)
    own = {"feedback": 0.3, "time_s": 0.1} if type_id == "delay" else {}
    inputs = {spec.inputs[0].id: sine} if spec.inputs else {}
    port = spec.outputs[0].id

    def largest(values: list[float]) -> float:
        rig = Rig(type_id, **{**own, param: values[0]})
        declared: Param = spec.param(param)
        steps, last, at = [], None, 0
        for k in range(20):
            if k >= 6:
                rig.program.set_base("m", param, declared.to_domain(values[k % len(values)]))
            pieces = {name: signal[at : at + 64 * 61] for name, signal in inputs.items()}
            out = rig.run(64 * 61, **pieces)[port]
            at += 64 * 61
            steps.append(np.abs(np.diff(out, prepend=out[0] if last is None else last)).max())
            last = out[-1]
        return max(steps[6:])

    by_itself = max(largest([low]), largest([high]))
    assert largest([high, low]) <= by_itself * 1.05


GLIDES = {
    ("oscillator", "phase_deg"), ("wavetable", "phase_deg"),
    ("drone-cloud", "series"), ("struck-body", "body"), ("struck-body", "size"),
    ("struck-body", "pitch_note"), ("comb", "pitch_note"), ("plate", "size"), ("position", "distance_m"),
    ("pitch-shifter", "window_s"), ("pitch-shifter", "delay_s"), ("output", "distance_m"), ("filter-pair", "routing"),
    ("limiter", "drive_db"), ("limiter", "ceiling_db"),
}  # fmt: skip
"""Parameters whose glide bends the wave more than either end does: a quick glide of pitch, routings that are passed on
the way, a limiter that is driven into its limit."""
CORNER = 7e-4
"""What a level's change of slope may bend: -63 dB."""
SOUNDS = [spec for spec in SPECS if any(output.role == "audio" for output in spec.outputs) and spec.id != "live-input"]


def sharpest_bend(spec: ModuleSpec, param: Param, values: list[float]) -> float:
    """Largest second difference while a value jumps to and fro, fed with a sine and a gate that stays."""
    segment, segments = 64 * 50, 6
    rig, last, found = Rig(spec.id, **{param.id: values[0]}), None, 0.0
    sine, gate = tone(220.0, segment * segments / 48000, level=0.4), np.ones(segment * segments)
    inputs = {
        port.id: gate if port.role == "gate" else sine
        for port in spec.inputs
        if port.role in ("audio", "gate") and port.id not in ("sync", "restart")
    }
    ports = [output.id for output in spec.output_rows if output.role == "audio"]
    for k in range(segments):
        if k >= 2:
            rig.program.set_base("m", param.id, param.to_domain(values[k % len(values)]))
        piece = slice(k * segment, (k + 1) * segment)
        out = rig.run(segment, **{name: signal[piece] for name, signal in inputs.items()})
        now = np.stack([out[port] for port in ports])
        both = now if last is None else np.concatenate([last, now], axis=1)
        found = max(found, float(np.abs(np.diff(both, n=2, axis=1)).max())) if k >= 2 else 0.0
        last = now[:, -2:]
    return found


@pytest.mark.parametrize("spec", SOUNDS, ids=lambda spec: spec.id)
def test_no_parameter_of_a_sound_clicks(spec: ModuleSpec) -> None:
    """A jump of any value bends the wave no more than half again as much as the sound at rest on the way does."""
    for param in spec.params:
        if param.follows:
            continue
        low, high = (param.low, param.high) if param.choices else (param.from_rail(0.3), param.from_rail(0.7))
        a, b = param.to_domain(low), param.to_domain(high)
        rest = max(
            sharpest_bend(spec, param, [param.from_domain(a + (b - a) * share)]) for share in (0.0, 0.35, 0.7, 1.0)
        )
        bend = sharpest_bend(spec, param, [high, low])
        most = 12.0 if (spec.id, param.id) in GLIDES else 1.5
        if bend > most * rest + CORNER:  # a resonance that is passed on the way bends more than both ends
            shares = (0.08, 0.17, 0.26, 0.44, 0.53, 0.61, 0.79, 0.88, 0.95)
            rest = max(rest, *(sharpest_bend(spec, param, [param.from_domain(a + (b - a) * s)]) for s in shares))
        assert bend <= most * rest + CORNER, f"{param.name}: {bend:.5f} by moving it, {rest:.5f} at rest"


@pytest.mark.parametrize("spec", SPECS, ids=lambda spec: spec.id)
def test_bypass_makes_no_step(spec: ModuleSpec) -> None:
    """Bypassed and used again while a sine goes through it, or while it moves a level: no step between samples is
    larger than those at rest either way, but for what the cross-fade of 10 ms itself moves."""
    if spec.lane_end:
        return
    sound = spec.outputs[0].role == "audio"
    modules = (Module("tone", "oscillator", "T", {"pitch_note": 57.0, "level": 0.4}), Module("m", spec.id, "M"),
               Module("amp", "amplifier", "A", {"gain": 0.5}), Module("a-output", "output", "O"))  # fmt: skip
    heard = f"m.{spec.outputs[0].id}" if sound else "tone.out"
    links = [(heard, "amp.audio", 1.0), ("amp.out", "a-output.audio", 1.0)]
    links += [("tone.out", f"m.{port.id}", 1.0) for port in spec.inputs if port.role == "audio"]
    links += [] if sound else [(f"m.{spec.outputs[0].id}", "amp.gain", 0.3)]
    used = patch_of(*modules, links=tuple(links))
    player, last = Player(compile_patch(used, rate=48000)), None
    found: list[float] = []
    for bypassed in (None, None, True, None, False, None):  # None: stays
        if bypassed is not None:
            patch = used.with_module(replace(used.module("m"), bypassed=bypassed))
            program = compile_patch(patch, rate=48000)
            player.swap(program, None, Takeover(program, player.program))
        first_of_steps = last is None and not sound  # what jumps by itself is given the time to
        out = np.zeros((64 * (1500 if first_of_steps else 60), 2))
        player.fill(out)
        left = out[:, 0] if last is None else np.concatenate([[last], out[:, 0]])
        found.append(float(np.abs(np.diff(left)).max()))
        peak = max(np.abs(out).max(), 0.0 if last is None else abs(last))
        last = out[-1, 0]
        if bypassed is not None:
            found[-1] -= 2.5 * max(peak, 0.4) / 480
    rest = max(found[1], found[3], found[5], 0.0 if sound else found[0])
    assert max(found[2], found[4]) <= 1.3 * rest + 1e-4


@pytest.mark.parametrize("spec", SOUNDS, ids=lambda spec: spec.id)
def test_no_sound_has_a_constant_part(spec: ModuleSpec) -> None:
    """The mean of two seconds is below 2 % of the RMS (noise that is strong in the depths: four times its own chance,
    by its spectrum at 0 Hz), with gates and two unrelated sines at the inputs."""
    seconds = 3.0
    inputs, hz = {}, iter((220.0, 331.0, 447.0, 553.0))
    for port in spec.inputs:
        if port.role == "gate" and port.id != "restart":
            inputs[port.id] = pulses([0.1 + 0.4 * k for k in range(7)], seconds)
        elif port.role == "audio" and port.id != "sync":
            inputs[port.id] = tone(next(hz), seconds, level=0.4)
    out = Rig(spec.id).run(round(seconds * 48000), **inputs)
    most = 0.1 if spec.id in ("noise", "grain-player") else 0.02
    for output in spec.output_rows:
        if output.role == "audio":
            sound = out[output.id][48000:]
            assert abs(sound.mean()) <= most * sound.std() + 1e-4, output.id


SHAPERS = [
    spec for spec in SPECS
    if spec.id != "phase-locked-loop" and any(port.role == "audio" for port in spec.inputs) and spec.stage != "source"
]  # fmt: skip
"""What has an audio input and no tone of its own."""


@pytest.mark.parametrize("spec", SHAPERS, ids=lambda spec: spec.id)
def test_silence_in_silence_out(spec: ModuleSpec) -> None:
    out = Rig(spec.id).run(2000)
    for output in spec.output_rows:
        if output.role in ("audio", "control"):  # a ladder keeps a trace from which it can begin to sing
            assert np.abs(out[output.id]).max() < 1e-8, output.id


@pytest.mark.parametrize("spec", [s for s in SPECS if s.shows_as == "response"], ids=lambda spec: spec.id)
def test_a_response_does_not_depend_on_the_rate(spec: ModuleSpec) -> None:
    """From 60 Hz to 3 kHz within 1 dB of that at 48 kHz, wherever it is above -40 dB."""

    def response(rate: float) -> dict[str, np.ndarray]:
        impulse = np.zeros(round(rate))
        impulse[0] = 1.0
        fed = {port.id: impulse for port in spec.inputs if port.role == "audio"}
        out = Rig(spec.id, rate=rate, **STILL.get(spec.id, {})).run(len(impulse), **fed)
        return {output.id: np.abs(np.fft.rfft(out[output.id]))[60:3000] for output in spec.outputs}

    there = response(48000.0)
    for rate in (44100.0, 88200.0, 96000.0):
        for port, levels in response(rate).items():
            loud = there[port] > 0.01
            away = 20 * np.log10(levels[loud] / there[port][loud])
            assert np.abs(away).max(initial=0.0) < 1.0, (rate, port)


STILL = {"comb": {"feedback": 0.3}}
"""Values at which a response is no comb of needles."""
PITCHED = [
    spec for spec in SPECS
    if spec.id != "plucked-string"  # a pluck is noise: its strongest partial is chance; its tune is tested apart
    and any(param.id == "pitch_note" for param in spec.params) and spec.outputs[0].role == "audio"
]  # fmt: skip


@pytest.mark.parametrize("spec", PITCHED, ids=lambda spec: spec.id)
def test_a_pitch_does_not_depend_on_the_rate(spec: ModuleSpec) -> None:
    """The strongest partial of two seconds lies at the same frequency within a hertz at all rates."""

    def strongest(rate: float) -> float:
        seconds = 2.0
        fed = {port.id: pulses([0.0], seconds, rate=rate) for port in spec.inputs if port.role == "gate"}
        fed |= {
            port.id: pulses([0.0], seconds, rate=rate, width_s=1 / rate) for port in spec.inputs if port.id == "audio"
        }
        fed.pop("restart", None)
        out = Rig(spec.id, rate=rate, **STEADY.get(spec.id, {})).run(round(seconds * rate), **fed)[spec.outputs[0].id]
        seen = np.abs(np.fft.rfft(out * np.hanning(len(out))))[: round(8000 * seconds)]
        return int(np.argmax(seen[40:]) + 40) / seconds

    there = strongest(48000.0)
    for rate in (44100.0, 88200.0, 96000.0):
        assert strongest(rate) == pytest.approx(there, abs=1.0), rate


STEADY = {
    "drone-cloud": {"drift_ct": 0.0, "scatter_ct": 0.0, "drift_level": 0.0},
    "grain-player": {"spray_s": 0.0001, "scatter_ct": 0.0},
}
"""Values without chance."""


@pytest.mark.parametrize("rate", [44100.0, 48000.0, 88200.0, 96000.0])
def test_pitch_and_cutoff_do_not_depend_on_the_rate(rate: float) -> None:
    wave = Rig("oscillator", rate=rate, pitch_note=69).run(round(rate))["out"]
    rises = np.flatnonzero((wave[:-1] < 0) & (wave[1:] >= 0))
    assert (len(rises) - 1) / (rises[-1] - rises[0]) * rate == pytest.approx(440.0, rel=1e-3)
    low = Rig("filter", rate=rate, cutoff_hz=1000, resonance=0).run(round(rate), audio=tone(1000, 1.0, rate=rate))[
        "low"
    ]
    gain = np.sqrt(2 * np.mean(low[round(rate / 2) :] ** 2))
    assert 20 * np.log10(gain) == pytest.approx(-3.01, abs=0.02)


STORED = json.loads(fingerprints.FILE.read_text())


@each_module
def test_nothing_about_its_sound_has_changed_unasked(spec: ModuleSpec) -> None:
    """At many settings (see ``fingerprints``): what sounds otherwise on purpose is written anew."""
    now = fingerprints.fingerprints(spec)
    assert list(now) == list(STORED[spec.id])
    for name, pair in now.items():
        assert pair == pytest.approx(STORED[spec.id][name], rel=1e-5, abs=1e-5), name


PROGRAM_CHOICES = {("convolution", "place"), ("output", "layout")}
"""What the program is made for; it never moves."""


@each_module
def test_a_value_that_stays_is_the_same_as_one_that_moves_to_where_it_is(spec: ModuleSpec) -> None:
    """Kernels have short ways for values that do not move: each gives what the long way gives."""
    for name, values, moving in fingerprints.settings(spec):
        if moving or not values or PROGRAM_CHOICES & {(spec.id, param) for param in values}:
            continue
        fed = fingerprints.fed(spec, ())
        still = Rig(spec.id, values=values).run(16 * QUANTUM, **fed)
        moved = {param: np.full(16 * QUANTUM, value) for param, value in values.items()}
        linked = sum(1 << k for k, port in enumerate(spec.target_rows) if port.id in fed)
        going = Rig(spec.id, linked=linked).run(16 * QUANTUM, **fed, **moved)
        for port, signal in still.items():
            np.testing.assert_allclose(going[port], signal, rtol=1e-6, atol=1e-7, err_msg=f"{name}: {port}")
