"""The session's edits: what users would expect of each, one undo step each."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest

from dunefall.base.errors import ParameterError, PatchError, StorageError
from dunefall.catalogue.joining import joined
from dunefall.catalogue.story import patch_story
from dunefall.catalogue.validate import check_patch
from dunefall.engine.messages import EngineOptions
from dunefall.patch.changes import TempoSet
from dunefall.patch.files import load_patch
from dunefall.patch.journal import Journal
from dunefall.patch.library import DATA, DEMO, find_patch, starters
from dunefall.patch.mixing import effect_lanes, mixed_layers
from dunefall.patch.model import MASTER_ID, SHARED_ID, Layer, Link, Module, Patch, Place
from dunefall.patch.take import Edit, Entry, Take
from dunefall.patch.takefiles import raw_take
from dunefall.session import Session, open_patch
from dunefall.session.edits.controls import learn, turn_controller
from dunefall.session.edits.layers import remove_layer, reroll, set_tempo
from dunefall.session.edits.links import add_link, scale_reach
from dunefall.session.edits.modules import remove_modules, rename, set_param, toggle_bypass, toggle_pin
from dunefall.session.opening import open_take
from dunefall.session.takelog import TakeLog, read_take_log
from rig import add_layer, add_module, demo


class SilentEngine:
    """Stands in for the engine's process: notes the patches it was given."""

    def __init__(self, options: EngineOptions) -> None:
        self.options = options
        self.patches: list[Patch] = []
        self.left: list[Take] = []

    def open(self, patch: Patch) -> None:
        self.patches.append(patch)

    def set_patch(self, patch: Patch) -> None:
        self.patches.append(patch)

    def close(self) -> None:
        pass


@pytest.fixture
def session(monkeypatch: pytest.MonkeyPatch) -> Iterator[Session]:
    monkeypatch.setattr("dunefall.session.session.EngineClient", SilentEngine)
    made = Session(demo(), None, EngineOptions())
    yield made
    made.close()


def test_every_edit_sounds(session: Session) -> None:
    set_tempo(session.document, 120.0)
    session.document.undo()
    tempos = [patch.tempo_bpm for patch in session.engine.patches]  # type: ignore[attr-defined]
    assert tempos == [92.0, 120.0, 92.0]


def test_values_are_checked_with_their_place(session: Session) -> None:
    with pytest.raises(
        ParameterError, match=r'Cutoff of "Low-pass" in layer "Drip line" must be 10\.0 Hz to 20\.0 kHz'
    ):
        set_param(session.document, "drip-line-low-pass", "cutoff_hz", -3.0)
    with pytest.raises(ParameterError, match="must be sine, triangle"):
        set_param(session.document, "drip-line-droplet", "shape", 0.5)
    assert not session.document.modified


def test_new_links_have_an_audible_amount(session: Session) -> None:
    moved = add_link(session.document, Place("tide-1", "out"), Place("drip-line-low-pass", "resonance"))
    assert session.patch.link(moved).amount == 0.3
    fed = add_link(session.document, Place("fog-air-noise", "out"), Place("drip-line-echo", "audio"))
    feed = session.patch.link(fed)
    assert (feed.amount, feed.offset) == (1.0, 0.0)
    with pytest.raises(PatchError, match="Tide moves this already"):
        add_link(session.document, Place("tide-1", "out"), Place("drip-line-low-pass", "resonance"))


def test_new_modules_get_free_names_and_ids(session: Session) -> None:
    first, second = (add_module(session.document, SHARED_ID, "lfo").module for _ in range(2))
    assert first != second
    assert session.patch.module(first).name == "LFO"
    assert session.patch.module(second).name == "LFO 2"


def test_removing_heals_what_the_module_passed_on(session: Session) -> None:
    remove_modules(session.document, ["fog-air-band"])
    into = session.patch.links_into("fog-air-swell", "audio")
    assert [link.source for link in into] == [Place("fog-air-noise", "out")]
    moved = session.patch.links_from("drip-line-slew")
    remove_modules(session.document, ["drip-line-slew"])
    for link in moved:  # and the movement goes on without the slew, as far as before
        healed = session.patch.links_into(link.target.module, link.target.port)
        assert (Place("drip-line-hold", "out"), link.amount) in [(x.source, x.amount) for x in healed]
    session.document.undo()
    remove_modules(session.document, ["drip-line-skip"])
    triggers = session.patch.links_into("drip-line-strike", "trigger")
    assert [link.source.module for link in triggers] == ["clock-1"], "the clock starts it without the chance"


def test_layers_come_and_go(session: Session) -> None:
    output = add_layer(session.document, "Buoy bell")
    layer = session.patch.layer_of(output)
    assert layer.output_id == output
    rename(session.document, output, "  Far buoy  ")
    assert session.patch.layer(layer.id).name == session.patch.module(output).name == "Far buoy"
    rename(session.document, output, "   ")
    assert session.patch.layer(layer.id).name == "Far buoy"
    remove_layer(session.document, layer.id)
    remove_layer(session.document, SHARED_ID)
    assert session.patch == demo()


def test_four_pins_at_most(session: Session) -> None:
    for module in ("gusts-1", "tide-1", "clock-1"):
        toggle_pin(session.document, Place(module, "out"))
    assert [pin.module for pin in session.patch.pins] == ["drip-line-droplet", "gusts-1", "tide-1", "clock-1"]
    toggle_pin(session.document, Place("tide-1", "out"))
    assert len(session.patch.pins) == 3


def test_reroll_gives_four_digits_and_can_be_undone(session: Session) -> None:
    reroll(session.document)
    assert 0 <= session.patch.seed < 10_000
    session.document.undo()
    assert session.patch.seed == 417


def test_save_and_open(session: Session, tmp_path: Path) -> None:
    set_tempo(session.document, 100.0)
    path = tmp_path / "a.dunefall"
    session.save(path)
    assert not session.document.modified
    assert load_patch(path) == session.patch
    with pytest.raises(StorageError):
        session.save(tmp_path)
    session.replace_document(Patch(), None)
    session.save(tmp_path / "Gull rock.dunefall")
    assert load_patch(tmp_path / "Gull rock.dunefall").title == session.patch.title == "Gull rock"
    session.replace_document(demo(), None)
    assert session.document.undo_label == ""
    set_tempo(session.document, 50.0)
    assert session.engine.patches[-1].tempo_bpm == 50.0  # type: ignore[attr-defined]


def test_shipped_patches_are_good() -> None:
    shipped = find_patch(DEMO)[0]
    assert shipped == load_patch(DATA / "sluice-house.dunefall")
    check_patch(shipped)
    assert len(mixed_layers(shipped)) == 7
    assert len(effect_lanes(shipped)) == 4
    assert len(starters()) == 26
    for name in starters():
        patch, path = open_patch(f"starter:{name}")
        assert path is None
        assert len(patch.layers) == 2
    with pytest.raises(PatchError, match='no starter "fog"; there are alarm-riser, aurora, beacon'):
        open_patch("starter:fog")


def test_a_reach_is_scaled_in_one_step(session: Session) -> None:
    place = Place("drip-line-low-pass", "cutoff_hz")
    before = session.patch.links_into(place.module, place.port)
    for factor in (1.5, 2.0):
        scale_reach(session.document, place, factor)
    after = session.patch.links_into(place.module, place.port)
    assert [x.amount for x in after] == pytest.approx([3.0 * x.amount for x in before])
    session.document.undo()
    assert session.patch.links_into(place.module, place.port) == before


def test_a_controller_is_learned_by_a_named_control(session: Session) -> None:
    place = Place("drip-line-low-pass", "cutoff_hz")
    control = learn(session.document, place, 21)
    made = session.patch.module(control)
    assert (made.type, made.name, made.params["controller"]) == ("named-control", "Cutoff of Low-pass", 21.0)
    assert place in [link.target for link in session.patch.links_from(control)]
    assert learn(session.document, place, 22) == control  # the same control, another controller
    assert learn(session.document, Place(control, "value"), 23) == control
    turn_controller(session.document, 23, 0.75)
    assert session.patch.module(control).params["value"] == 0.75
    for _ in range(2):
        session.document.undo()
    check_patch(session.patch)


def test_a_story_tells_what_was_drawn_and_where_sound_goes_round() -> None:
    """The wrong step of a sequence can be found in it; loops, voices, layout and slow rates are told."""
    notes = (50.0, 57.0, 54.0, 60.0) + (50.0,) * 60
    steps = Module("s", "step-sequencer", "Tune", {"length_a": 4}, series={"row_a": notes, "gates": (1.0, 0.0) * 32})
    parts = (
        steps, Module("w", "lfo", "Tide", {"rate_hz": 1 / 3600}), Module("t", "oscillator", "Tone"),
        Module("d", "delay", "Echo", {"feedback": 0.9}), Module("f", "filter", "Dark"), Module("o", "output", "Out"),
    )  # fmt: skip
    links = [("s.a", "t.pitch_note", 1.0), ("w.out", "t.fine_ct", -5.0), ("t.out", "d.audio", 1.0),
             ("d.send", "f.audio", 1.0), ("f.low", "d.back", 1.0), ("d.out", "o.audio", 1.0)]  # fmt: skip
    made = tuple(
        Link(f"l{k}", Place(*source.split(".")), Place(*target.split(".")), amount)
        for k, (source, target, amount) in enumerate(links)
    )
    layer = Layer("a", "A", parts, voices=3, meet="d")
    told = patch_story(Patch(layers=(Layer(SHARED_ID, "Shared"), layer), links=made, layout="quad"))
    assert "1 layer, 6 modules, 6 links" in told
    assert "in quad." in told
    assert "Notes: D3 A3 F♯3 C4." in told
    assert "Gates: hit at 1, 3." in told
    assert "It has 3 voices, which meet at Echo." in told
    assert "A loop goes round through Echo and Dark, 0.90 each time." in told
    assert "rate once in 60" in told
    assert "Tide moves it up to 5 ct either way, turned over" in told or "5.00 ct either way, turned over" in told


def test_the_mix_goes_straight_to_the_master_without_its_source(session: Session) -> None:
    """What was inserted stays, and is not heard; the layers are."""
    document = session.document
    document.edit("Insert", joined(document.patch, MASTER_ID, "chorus").patch)
    remove_modules(document, ["whole-mix-1"])
    assert not document.patch.links_into("master-strip", "audio")
    assert document.patch.has("chorus-1")
    document.undo()
    assert document.patch.links_into("master-strip", "audio")
    toggle_bypass(document, ["whole-mix-1", "chorus-1"])
    bypassed = {module.id for module in document.patch.modules() if module.bypassed}
    assert bypassed == {"chorus-1"}


@pytest.mark.parametrize(
    ("action", "told"),
    [
        (
            {"press": "clock-1.nothing", "high": True},
            'at sample 64 an input "nothing" is pressed; a Clock has reset',
        ),
        ({"set": "clock-1.nothing", "to": 1}, 'after the change at sample 64: .*a Clock has no parameter "nothing"'),
        ({"note": "clock-1", "pitch": 1e9, "velocity": 0.5}, r"entries\[0\]\.do\[0\]: no key plays note 1e\+09"),
        ({"seed": -1}, r"entries\[0\]\.do\[0\]\.seed: must be 0 to 4294967295; got -1"),
        ({"tempo_bpm": 0}, "must be 10 to 400 BPM; got 0"),
        ({"without_module": "x", "layer": 1}, ""),
        ({"put_layer": {"id": "a.b", "name": "A"}, "index": 0}, "an id needs at least one character, no dot"),
        ({"put_layer": {"id": "a", "name": "A"}, "index": 10**30}, "index: must be 0 to 50000"),
    ],
)
def test_a_take_with_an_impossible_change_is_told(action: dict[str, object], told: str, tmp_path: Path) -> None:
    """A port that is not there raised KeyError while the take was rendered."""
    raw = raw_take(Take(open_patch("demo:")[0], 48000.0))
    raw["entries"] = [{"at": 64, "do": [action]}]
    (tmp_path / "x.dunetake").write_text(json.dumps(raw))
    if told:
        with pytest.raises(PatchError, match=told):
            open_take(tmp_path / "x.dunetake")
    else:
        open_take(tmp_path / "x.dunetake")


def test_the_take_is_on_disk_while_it_grows(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dunefall.session.takelog.EVERY_S", 0.0)
    folder, journal = tmp_path / "ring", Journal(Take(demo()))
    path, log = folder / "take.lines", TakeLog(folder)

    def followed(journal: Journal) -> Take | None:
        log.follow(journal)
        log._writer.submit(int).result()
        return read_take_log(folder)

    assert followed(journal) == journal.take
    for k in range(3):
        journal.note(Entry(1000 * k, Edit((TempoSet(60.0 + k),))))
        assert followed(journal) == journal.take
    assert len(path.read_text().splitlines()) == 4
    journal.note(Entry(500, Edit((TempoSet(99.0),))))
    assert followed(journal) == journal.take, "something came in between"
    with path.open("a") as file:
        file.write('{"at": 5000, "do": [{"tem')  # the crash came here
    assert read_take_log(folder) == journal.take
    path.write_text("nonsense\n")
    assert read_take_log(folder) is None
    path.unlink()
    path.mkdir()  # a disk that refuses
    journal.note(Entry(5000, Edit((TempoSet(98.0),))))
    assert followed(journal) is None
    path.rmdir()
    assert followed(journal) == journal.take, "all of it, once it can be written"
    other = Journal(journal.take.without_entry(0))
    assert followed(other) == other.take
    log.end()
    assert read_take_log(tmp_path / "nowhere") is None


def test_a_long_take_costs_no_more_to_follow_than_a_short_one(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """All of it was taken apart with every frame of the window: 41 ms after five minutes of edits."""
    monkeypatch.setattr("dunefall.session.takelog.EVERY_S", 0.0)
    log, journal = TakeLog(tmp_path), Journal(Take(demo()))
    for k in range(5000):
        journal.note(Entry(1000 * k, Edit((TempoSet(60.0 + k % 100),))))
    log.follow(journal)
    size = log._writer.submit((tmp_path / "take.lines").stat).result().st_size
    opened = list[int]()
    monkeypatch.setattr("dunefall.patch.journal.pickle.loads", lambda piece: opened.append(len(piece)) or [])
    for k in range(20):
        journal.note(Entry(10_000_000 + k, Edit((TempoSet(60.0 + k),))))
        log.follow(journal)
    log._writer.submit(int).result()
    log.end()
    assert not opened
    assert 0 < (tmp_path / "take.lines").stat().st_size - size < 20 * 100
    assert len(read_take_log(tmp_path).entries) == 5020
