"""Where new modules connect themselves, how they are found in plain words, and how values are varied with taste."""

from __future__ import annotations

from dataclasses import replace

import pytest

from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.compounds import face_of
from dunefall.catalogue.declare import ModuleSpec
from dunefall.catalogue.joining import inserted, joined, joinings, movers_of, swapped, with_starter
from dunefall.catalogue.linking import main_pitch, main_trigger
from dunefall.catalogue.paths import effects_in_order, sound_path
from dunefall.catalogue.search import Entry, entries, found, starter
from dunefall.catalogue.validate import check_patch
from dunefall.catalogue.varying import KINDS, kind_of, varied
from dunefall.patch.compounds import with_new_compound
from dunefall.patch.files import dump_patch, parse_patch
from dunefall.patch.library import starters
from dunefall.patch.mixing import mix_of
from dunefall.patch.model import MASTER_ID, SHARED_ID, Compound, Control, Layer, Link, Module, Patch, Place, Port
from dunefall.render.offline import render_to_array
from rig import level_db

LAYER = "a"
ADDABLE = [spec for spec in catalogue().values() if not spec.ends and not spec.brings_mix]


def voice() -> Patch:
    """A shared clock starts an envelope that opens an amplifier behind a tone with a filter; notes from a list."""
    shared = Layer(SHARED_ID, "Shared", (Module("clock", "clock", "Clock"),))
    modules = (
        Module("notes", "note-list", "Notes"), Module("tone", "oscillator", "Tone"),
        Module("filter", "filter", "Filter"),
        Module("amp", "amplifier", "Swell", {"gain": 0.0}), Module("env", "envelope", "Env"),
        Module("a-output", "output", "A"),
    )  # fmt: skip
    links = (
        ("clock.gate", "notes.clock", 1.0, 0.0), ("clock.gate", "env.trigger", 1.0, 0.0),
        ("notes.out", "tone.pitch_note", 1.0, -60.0), ("tone.out", "filter.audio", 1.0, 0.0),
        ("filter.low", "amp.audio", 1.0, 0.0), ("env.out", "amp.gain", 1.0, 0.0),
        ("amp.out", "a-output.audio", 0.8, 0.0),
    )  # fmt: skip
    made = []
    for number, (source, target, amount, offset) in enumerate(links):
        ends = [Place(*end.split(".")) for end in (source, target)]
        made.append(Link(f"l{number}", *ends, amount, offset))
    return Patch(layers=(shared, Layer(LAYER, "A", modules)), links=tuple(made))


def ends(patch: Patch) -> set[tuple[str, str]]:
    return {(str(link.source), str(link.target)) for link in patch.links}


def added(type_id: str, beside: str = "", port: str = "", patch: Patch | None = None) -> tuple[Patch, str, set]:
    """The patch with a module, its id, and its links with the module called ``new``."""
    made = joined(patch or voice(), LAYER, type_id, beside, port)
    return made.patch, made.module, {(a.replace(made.module, "new"), b.replace(made.module, "new"))
                                     for a, b in ends(made.patch)}  # fmt: skip


def test_main_trigger_and_pitch() -> None:
    assert main_trigger(voice(), LAYER) == Place("clock", "gate")
    assert main_pitch(voice(), LAYER) == Place("notes", "out")
    assert main_pitch(Patch(layers=(Layer(SHARED_ID, "Shared"), Layer("b", "B"))), "b") is None


def test_an_effect_goes_into_the_audio_path_behind_the_selection() -> None:
    patch, _, links = added("reverb", "tone")
    assert {("tone.out", "new.audio"), ("new.out", "filter.audio")} <= links
    assert ("tone.out", "filter.audio") not in links
    patch, new, links = added("drive", "amp")
    assert {("amp.out", "new.audio"), ("new.out", "a-output.audio")} <= links
    assert next(x for x in patch.links if x.source.module == new).amount == 0.8, "the level at the end stays"


def test_an_effect_with_nothing_selected_goes_to_the_end() -> None:
    _, _, links = added("delay")
    assert {("amp.out", "new.audio"), ("new.out", "a-output.audio")} <= links
    assert ("amp.out", "a-output.audio") not in links


def test_a_source_plays_the_layer_s_pitch_into_what_the_others_go_into() -> None:
    patch, new, links = added("plucked-string")
    assert {("notes.out", "new.pitch_note"), ("clock.gate", "new.trigger"), ("new.out", "filter.audio")} <= links
    assert next(x for x in patch.links if x.target == Place(new, "pitch_note")).offset == -60.0
    assert next(x for x in patch.links if x.source.module == new).amount == 0.5


def test_an_envelope_listens_to_the_trigger_and_opens_an_amplifier() -> None:
    patch, _, links = added("envelope")
    assert ("clock.gate", "new.trigger") in links
    opened = next(b for a, b in links if a == "new.out")
    assert opened == "amplifier-1.gain", "Swell has an envelope: a new amplifier stands at the end"
    assert {("amp.out", "amplifier-1.audio"), ("amplifier-1.out", "a-output.audio")} <= links
    assert patch.module("amplifier-1").params["gain"] == 0.0
    bare = voice().without_link("l5")
    assert ("new.out", "amp.gain") in added("envelope", patch=bare)[2]


def test_a_mover_moves_the_selected_parameter_or_the_main_one() -> None:
    assert ("new.out", "filter.resonance") in added("lfo", "filter", "resonance")[2]
    assert ("new.out", "filter.cutoff_hz") in added("smooth-random", "filter")[2]
    patch, new, _ = added("lfo", "filter")
    spec = spec_of("filter")
    assert spec is not None
    assert next(x for x in patch.links if x.source.module == new).amount == spec.param("cutoff_hz").amount
    assert ("filter.low", "new.audio") in added("follower", "filter")[2]


def test_what_changes_pitches_controls_and_triggers() -> None:
    _, _, links = added("transpose")
    assert {("notes.out", "new.pitch"), ("new.out", "tone.pitch_note")} <= links
    assert ("notes.out", "tone.pitch_note") not in links
    _, _, links = added("slew", "env")
    assert {("env.out", "new.signal"), ("new.out", "amp.gain")} <= links
    assert ("env.out", "amp.gain") not in links
    _, _, links = added("divider", "env")
    assert {("clock.gate", "new.trigger"), ("new.a", "env.trigger")} <= links
    assert ("clock.gate", "env.trigger") not in links
    _, _, links = added("random-melody", "tone")
    assert {("clock.gate", "new.trigger"), ("new.out", "tone.pitch_note")} <= links


def links_of(patch: Patch, *links: tuple[str, str]) -> Patch:
    for number, (source, target) in enumerate(links):
        patch = patch.with_link(Link(f"more-{number}", Place(*source.split(".")), Place(*target.split(".")), 1.0))
    return patch


@pytest.mark.parametrize("type_id", ["divider", "chance", "burst", "even-spread", "logic"])
def test_behind_a_clock_a_trigger_listens_to_it_and_does_not_set_it_back(type_id: str) -> None:
    _, _, links = added(type_id, "clock")
    assert any(source == "clock.gate" and target.startswith("new.") for source, target in links)
    assert not any(target.startswith("clock.") for _, target in links)


def test_a_burst_goes_between_a_chance_and_what_it_starts() -> None:
    patch = voice().with_new_module(LAYER, Module("luck", "chance", "Luck")).without_link("l1")
    patch = links_of(patch, ("clock.gate", "luck.trigger"), ("luck.passed", "env.trigger"))
    _, _, links = added("burst", "env", patch=patch)
    assert {("clock.gate", "luck.trigger"), ("luck.passed", "new.trigger"), ("new.out", "env.trigger")} <= links
    assert ("luck.passed", "env.trigger") not in links


@pytest.mark.parametrize("type_id", [spec.id for spec in catalogue().values() if spec.inputs and not spec.lane_end])
@pytest.mark.parametrize("added_type", ["clock", "scatter", "comparator", "burst"])
def test_nothing_is_set_back_unasked(type_id: str, added_type: str) -> None:
    """Restart, reset, clear: a trigger there can click, so it is linked by hand only."""
    spec = spec_of(type_id)
    assert spec is not None
    patch = voice().with_new_module(LAYER, Module("other", type_id, "Other"))
    made = joined(patch, LAYER, added_type, "other")
    targets = [link.target for link in made.patch.links if link.source.module == made.module]
    inputs = [spec.target(target.port) for target in targets if target.module == "other"]
    assert all(getattr(port, "starts", True) for port in inputs)


def test_a_source_goes_into_what_is_selected_and_into_an_amplifier_that_waits() -> None:
    patch = voice().with_new_module(LAYER, Module("second", "filter", "Second"))
    assert ("new.out", "second.audio") in added("noise", "second", patch=patch)[2]
    held = voice().with_new_module(LAYER, Module("hold", "sample-hold", "Hold"))
    assert ("new.out", "hold.signal") in added("noise", "hold", patch=held)[2]
    empty = Patch(layers=(Layer(SHARED_ID, "Shared"), Layer(LAYER, "A", (Module("a-output", "output", "A"),))))
    opened = added("envelope", patch=empty)[0]
    amplifier = next(module.id for module in opened.modules() if module.type == "amplifier")
    assert ("new.out", f"{amplifier}.audio") in added("oscillator", patch=opened)[2]


def test_a_quantiser_goes_between_a_slow_wave_and_the_pitch_that_it_moves() -> None:
    patch = (
        voice()
        .without_link("l2")
        .with_new_module(LAYER, Module("wave", "lfo", "Wave"))
        .with_param("tone", "pitch_note", 48.0)
    )
    patch = patch.with_link(Link("w", Place("wave", "out"), Place("tone", "pitch_note"), 7.0))
    patch = patch.with_link(Link("x", Place("wave", "out"), Place("filter", "cutoff_hz"), 1.0))
    for beside in ("wave", "tone"):
        made, new, links = added("quantiser", beside, patch=patch)
        assert {("wave.out", "new.pitch"), ("new.out", "tone.pitch_note"), ("wave.out", "filter.cutoff_hz")} <= links
        assert ("wave.out", "tone.pitch_note") not in links
        into = next(link for link in made.links if link.target.module == new)
        out = next(link for link in made.links if link.source.module == new)
        assert (into.amount, into.offset) == (7.0, 48.0), "the whole pitch is quantised"
        assert made.module("tone").params["pitch_note"] + out.offset == 0.0, "and comes out as it is"


def test_whatever_is_offered_to_move_a_value_moves_it() -> None:
    """Every mover, for every parameter of a filter and for a pitch."""
    for module, port in (("filter", "cutoff_hz"), ("filter", "resonance"), ("tone", "pitch_note"), ("amp", "gain")):
        spec = spec_of(voice().module(module).type)
        target = spec.target(port) if spec else None
        assert target is not None
        assert movers_of(target)
        for type_id in movers_of(target):
            made = joined(voice(), LAYER, type_id, module, port)
            assert (made.module, port) in {(link.source.module, link.target.port) for link in made.patch.links}, type_id


@pytest.mark.parametrize("type_id", ["sample-hold", "stepped-random", "curve-sequencer", "step-sequencer"])
def test_what_steps_is_clocked_by_the_layer(type_id: str) -> None:
    assert any(source == "clock.gate" for source, target in added(type_id)[2] if target.startswith("new."))


@pytest.mark.parametrize("type_id", [spec.id for spec in catalogue().values() if not spec.ends and not spec.brings_mix])
def test_every_module_can_be_added_anywhere_and_something_sounds(type_id: str) -> None:
    for beside in ("", "tone", "env", "notes", "clock"):
        made = joined(voice(), LAYER, type_id, beside)
        check_patch(made.patch)
        assert made.told.startswith(made.patch.module(made.module).name)
    out = render_to_array(made.patch, seconds=0.4, rate=48000.0)
    assert level_db(out[:, 0]) > -80, "what sounded before is still heard"


def test_a_starter_becomes_a_layer_of_the_patch() -> None:
    made = with_starter(voice(), starter("drip-line"))
    check_patch(made.patch)
    assert "Drip line" in {layer.name for layer in made.patch.layers}
    twice = with_starter(made.patch, starter("drip-line"))
    assert "Drip line 2" in {layer.name for layer in twice.patch.layers}
    modules = [module.id for module in twice.patch.modules()]
    assert len(modules) == len(set(modules))


PLAIN_WORDS = {
    "wobble": "lfo", "rain-like": "drip-line", "random notes": "random-melody", "echo": "delay", "distortion": "drive",
    "vibrato": "lfo", "drone": "drone-cloud", "portamento": "glide", "wind": "fog-air", "bitcrush": "crusher",
    "pan": "position", "metal hit": "iron-gate", "sidechain": "compressor", "arpeggio": "note-list",
    "shimmer": "ceiling-shimmer", "swing": "clock", "water drops": "drip-line", "room": "convolution",
}  # fmt: skip


@pytest.mark.parametrize(("text", "id_"), PLAIN_WORDS.items())
def test_plain_words_find_what_a_designer_means(text: str, id_: str) -> None:
    assert id_ in [entry.id for entry in found(text)][:3]


TRADE_WORDS = {
    "low-pass": "filter", "hpf": "filter", "vcf": "filter", "vca": "amplifier", "vco": "oscillator",
    "s&h": "sample-hold", "s+h": "sample-hold", "xor": "logic", "exclusive or": "logic", "quantize": "quantiser",
    "ducker": "compressor",
    "adsr": "envelope", "arp": "note-list", "euclidean": "even-spread", "sampler": "sample-player", "lag": "slew",
    "kick": "struck-body", "xfade": "cross-fade", "clock divider": "divider", "ring mod": "ring-modulator",
}  # fmt: skip


@pytest.mark.parametrize(("text", "id_"), TRADE_WORDS.items())
def test_words_of_the_trade_find_the_module(text: str, id_: str) -> None:
    """Common practice: abbreviations of the trade, in either spelling."""
    assert id_ in [entry.id for entry in found(text)][:2]


PRESET_WORDS = {
    "high-pass": "High-pass", "hpf": "High-pass", "lowpass": "Low-pass", "noise red": "Red noise",
    "brown noise": "Red noise", "clock in seconds": "Clock in seconds", "clock seconds": "Clock in seconds",
    "swell": "Swell", "pluck": "Pluck", "kick": "Kick", "adsr": "ADSR", "xor": "Exclusive or",
    "supersaw": "Detuned saws", "slow triangle": "Slow triangle", "minor": "Minor scale", "ping pong": "Ping-pong",
    "endless delay": "Endless delay",
    "random arpeggio": "Random arpeggio", "shimmer": "Shimmer", "ducking": "Ducker",
}  # fmt: skip


@pytest.mark.parametrize(("text", "name"), PRESET_WORDS.items())
def test_one_gesture_gives_what_is_meant(text: str, name: str) -> None:
    """Common practice: what a setting is called in the trade."""
    entry = found(text)[0]
    assert (entry.name, entry.preset) == (name, name)


@pytest.mark.parametrize("entry", [x for x in entries() if x.preset], ids=lambda x: f"{x.id} {x.preset}")
def test_a_preset_makes_its_module_as_declared(entry: Entry) -> None:
    spec = spec_of(entry.id)
    assert spec is not None
    preset = next(x for x in spec.presets if x.name == entry.preset)
    made = next(joinings(voice(), LAYER, entry.id, "tone", preset=entry.preset))
    check_patch(made.patch)
    module = made.patch.module(made.module)
    assert module.name.startswith(preset.name)
    assert preset.numbers(spec.params).items() <= dict(module.params).items()
    out = preset.output or spec.outputs[0].id
    assert {x.source.port for x in made.patch.links_from(made.module)} <= {out}
    assert found(entry.name)[0] is entry


def ways(type_id: str, beside: str = "", port: str = "") -> list[str]:
    return [made.told.partition(": ")[2] for made in joinings(voice(), LAYER, type_id, beside, port)]


def test_every_way_to_join_is_offered_once_the_usual_one_first() -> None:
    assert ways("drive", "filter") == ["behind Filter.", "before Filter.", "beside Filter.", "at the layer's end.",
                                       "not linked."]  # fmt: skip
    assert ways("lfo", "filter", "resonance")[:2] == ["moves resonance of Filter.", "moves cutoff of Filter."]
    assert ways("noise", "filter") == ["into Filter.", "into A.", "moves cutoff of Filter.", "not linked."]
    assert ways("envelope", "filter")[:2] == ["started by Clock; opens Amplifier.",
                                              "started by Clock; moves cutoff of Filter."]  # fmt: skip
    assert ways("scale-offset", "amp")[0] == "between Env and Swell."
    assert ways("random-melody", "tone")[0] == "started by Clock; plays Tone."


@pytest.mark.parametrize("spec", ADDABLE, ids=lambda spec: spec.id)
@pytest.mark.parametrize("beside", ["clock", "notes", "tone", "filter", "amp", "env", "a-output", ""])
def test_each_way_is_a_sound_patch_with_other_links(spec: ModuleSpec, beside: str) -> None:
    seen = []
    for made in joinings(voice(), LAYER, spec.id, beside):
        check_patch(made.patch)
        links = ends(made.patch)
        assert links not in seen
        seen.append(links)
    assert not [x for x in seen[-1] if any(place.startswith(f"{made.module}.") for place in x)], "the last is unlinked"


def test_a_parallel_effect_hears_and_feeds_the_same_as_the_selection() -> None:
    made = next(x for x in joinings(voice(), LAYER, "drive", "filter") if "beside" in x.told)
    links = ends(made.patch)
    assert {("tone.out", f"{made.module}.audio"), (f"{made.module}.out", "amp.audio")} <= links
    assert {("tone.out", "filter.audio"), ("filter.low", "amp.audio")} <= links


def test_a_low_pass_gate_is_struck_by_the_layer_s_trigger() -> None:
    patch, new, links = added("low-pass-gate", "filter")
    assert ("clock.gate", "new.strike") in links
    assert patch.module(new).params["opening"] == 0.0, "closed until it is struck"
    alone = joined(
        voice().without_module("clock").without_module("notes").without_module("env"), LAYER, "low-pass-gate"
    )
    assert alone.patch.module(alone.module).params["opening"] == 0.7, "open where nothing strikes it"


@pytest.mark.parametrize(
    ("text", "id_"),
    [("revreb", "reverb"), ("osscilator", "oscillator"), ("fliter", "filter"), ("dely", "delay"), ("chrous", "chorus")],
)
def test_mistyped_words_still_find_it(text: str, id_: str) -> None:
    assert found(text)[0].id == id_


def test_everything_can_be_found_and_says_what_it_is() -> None:
    assert len(starters()) >= 24
    for entry in entries():
        assert found(entry.name)[0] == entry
        assert entry.sentence.endswith(".")
        assert len(entry.sentence) > 12
    assert list(found("")) == [entry for entry in entries() if not entry.preset]
    assert list(found("qqqq")) == []


def test_varied_values_keep_to_taste() -> None:
    patch = voice().with_param("filter", "cutoff_hz", 900.0).with_param("tone", "pitch_note", 45.0)
    locked = patch.module("filter")
    patch = patch.with_module(type(locked)(**{**vars(locked), "locked": frozenset({"cutoff_hz"})}))
    names = [module.id for module in patch.modules()]
    for seed in range(40):
        changed = varied(patch, names, 1.0, seed=seed)
        check_patch(changed)
        assert changed.module("filter").params["cutoff_hz"] == 900.0, "locked"
        assert changed.module("a-output") == patch.module("a-output"), "a layer's end stays"
        note = changed.module("tone").params["pitch_note"]
        assert note == round(note)
    assert varied(patch, names, 0.5, seed=3) == varied(patch, names, 0.5, seed=3)
    only = varied(patch, ["filter", "tone"], 0.8, ("pitch",), seed=1)
    assert only.module("filter") == patch.module("filter")
    assert only.module("tone").params["pitch_note"] != 45.0
    weak, strong = (abs(varied(patch, ["tone"], s, ("pitch",), seed=5).module("tone").params["pitch_note"] - 45)
                    for s in (0.05, 1.0))  # fmt: skip
    assert weak < strong


def test_what_is_off_mostly_stays_off() -> None:
    """It came back as the nearest that chance may reach: a saturation of 2 %, which nobody hears and everybody pays."""
    patch = Patch(layers=(Layer(SHARED_ID, "Shared"), Layer("b", "B", (Module("d", "delay", "D", {"feedback": 0.5}),))))
    seen = [varied(patch, ["d"], 0.35, seed=seed).module("d").params for seed in range(200)]
    for param in ("saturation", "reverse"):
        assert 0 < sum(params.get(param, 0.0) != 0.0 for params in seen) < 60, param
    assert sum(params["feedback"] != 0.5 for params in seen) > 190


def test_every_parameter_has_a_kind() -> None:
    for spec in catalogue().values():
        assert all(kind_of(spec, param) in KINDS for param in spec.params)


def test_levels_only_go_down() -> None:
    spec = spec_of("compressor")
    assert spec is not None
    patch = Patch(layers=(Layer(SHARED_ID, "Shared"), Layer("b", "B", (Module("c", "compressor", "C"),))))
    for seed in range(20):
        params = varied(patch, ["c"], 1.0, ("tone",), seed=seed).module("c").params
        for param in spec.params:
            if param.unit == "db":
                assert params.get(param.id, param.default) <= param.default + 1e-6


def link_into(patch: Patch, target: str) -> Link:
    return next(link for link in patch.links if str(link.target) == target)


def test_a_module_goes_into_a_link_and_keeps_its_amount() -> None:
    before = voice()
    made = inserted(before, link_into(before, "amp.gain").id, "slew")
    assert made is not None
    links = ends(made.patch)
    assert {("env.out", f"{made.module}.signal"), (f"{made.module}.out", "amp.gain")} <= links
    assert ("env.out", "amp.gain") not in links
    made = inserted(before, link_into(before, "tone.pitch_note").id, "quantiser")
    assert made is not None
    assert link_into(made.patch, "tone.pitch_note").offset == -60.0
    made = inserted(before, link_into(before, "amp.audio").id, "filter", "High-pass")
    assert made is not None
    assert (f"{made.module}.high", "amp.audio") in ends(made.patch)
    check_patch(made.patch)
    for type_id, target in (("reverb", "amp.gain"), ("slew", "amp.audio"), ("noise", "filter.audio")):
        assert inserted(before, link_into(before, target).id, type_id) is None


def test_an_effect_goes_into_a_delay_s_loop() -> None:
    patch = joined(voice(), LAYER, "delay", "filter").patch
    looped = next(x for x in joinings(patch, LAYER, "drive", "delay-1") if "loop" in x.told)
    assert {("delay-1.send", f"{looped.module}.audio"), (f"{looped.module}.out", "delay-1.back")} <= ends(looped.patch)
    twice = next(x for x in joinings(looped.patch, LAYER, "filter", "delay-1") if "loop" in x.told)
    links = ends(twice.patch)
    assert {(f"{looped.module}.out", f"{twice.module}.audio"), (f"{twice.module}.low", "delay-1.back")} <= links
    assert (f"{looped.module}.out", "delay-1.back") not in links
    check_patch(twice.patch)


@pytest.mark.parametrize("spec", ADDABLE, ids=lambda spec: spec.id)
def test_a_module_is_swapped_for_any_that_gives_the_same_kind(spec: ModuleSpec) -> None:
    for module in voice().modules():
        made = swapped(voice(), module.id, spec.id)
        own = spec_of(module.type)
        assert own is not None
        kinds = [x.outputs[0].role.replace("pitch", "control") for x in (own, spec)]
        assert (made is not None) == (kinds[0] == kinds[1] and not own.lane_end)
        if made is not None:
            check_patch(made.patch)
            assert made.module == module.id


def test_a_swapped_module_keeps_links_and_values() -> None:
    patch = voice().with_param("filter", "cutoff_hz", 440.0)
    patch = joined(patch, LAYER, "lfo", "filter").patch
    made = swapped(patch, "filter", "ladder")
    assert made is not None
    assert made.patch.module("filter").params["cutoff_hz"] == 440.0
    links = ends(made.patch)
    assert {("tone.out", "filter.audio"), ("filter.out", "amp.audio"), ("lfo-1.out", "filter.cutoff_hz")} <= links
    high = swapped(patch, "filter", "filter", "High-pass")
    assert high is not None
    assert ("filter.high", "amp.audio") in ends(high.patch)
    less = swapped(patch, "filter", "comb")
    assert less is not None
    assert less.told == "Comb: in the place of Filter. 1 link has no place in it."


@pytest.mark.parametrize("spec", ADDABLE, ids=lambda spec: spec.id)
def test_swapping_inside_a_compound_leaves_a_file_that_opens(spec: ModuleSpec) -> None:
    """Controls and ports of the compound, and pins, that the new module does not have go with the old one."""
    sweep = Compound(
        "sweep", "Sweep", "", ("filter", "env"), (Control(Place("filter", "cutoff_hz"), "Height", 100.0, 4000.0),),
        (Port(Place("filter", "audio"), "In"), Port(Place("filter", "low"), "Out")),
    )  # fmt: skip
    patch = replace(with_new_compound(voice(), sweep), pins=(Place("filter", "low"), Place("env", "ended")))
    for module in ("filter", "env"):
        made = swapped(patch, module, spec.id)
        if made is not None:
            check_patch(made.patch)
            assert parse_patch(dump_patch(made.patch).encode()) == made.patch
            face_of(made.patch, made.patch.compounds[0])


def test_effects_on_the_whole_mix_go_before_the_master() -> None:
    patch = joined(voice(), MASTER_ID, "compressor").patch
    check_patch(patch)
    layer = patch.layer(MASTER_ID)
    assert [module.type for module in layer.modules] == ["whole-mix", "master", "compressor"]
    drive = joined(patch, MASTER_ID, "drive", "compressor-1")
    assert drive.told == "Drive: behind Compressor."
    assert effects_in_order(drive.patch, drive.patch.layer(MASTER_ID)) == ("compressor-1", "drive-1")
    last = joined(patch, MASTER_ID, "width")
    assert last.told == "Width: before Master."
    path = list(sound_path(last.patch, last.patch.layer(MASTER_ID)))
    assert path == ["whole-mix-1", "compressor-1", "width-1", "master-strip"]


def test_what_only_moves_the_master_inserts_nothing() -> None:
    patch = joined(voice(), MASTER_ID, "lfo", "master-strip").patch
    assert mix_of(patch) is None
    assert not joined(voice(), LAYER, "chorus").patch.has("master-strip")


def test_a_source_on_the_whole_mix_is_added_to_it() -> None:
    patch = joined(voice(), MASTER_ID, "noise").patch
    assert {link.source.module for link in patch.links_into("master-strip", "audio")} == {"whole-mix-1", "noise-1"}
