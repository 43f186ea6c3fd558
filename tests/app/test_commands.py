"""Commands act on a context: here on one without a window, whose questions are answered by the test."""

from __future__ import annotations

from pathlib import Path
from types import SimpleNamespace

import pytest

from dunefall.app.controls.theme import DUSK, NOON
from dunefall.app.editing import copies, layers, links, modules
from dunefall.app.listening import hearing, transport
from dunefall.app.model.command import MENUS
from dunefall.app.model.context import Context, Settings
from dunefall.app.shell import files, preferences
from dunefall.app.shell.commands import gathered
from dunefall.app.workspaces import WORKSPACES
from dunefall.patch.document import Document
from dunefall.patch.files import load_patch
from dunefall.patch.model import Patch, Place
from dunefall.patch.userlibrary import UserLibrary
from dunefall.session.clickwatch import ClickWatch
from dunefall.session.trial import Trial
from rig import demo


class Answers:
    """Notes what is told and answers what is asked."""

    parent = None

    def __init__(self, *answers: object) -> None:
        self.told: list[str] = []
        self.warned: list[str] = []
        self.answers = list(answers)

    def tell(self, text: str, action: object = None) -> None:
        self.told.append(text)
        self.action = action

    def quiet(self) -> None:
        self.told.clear()

    def warn(self, title: str, text: str) -> None:
        self.warned.append(f"{title}: {text}")

    def _answer(self, *_: object, **__: object) -> object:
        return self.answers.pop(0)

    ask_text = ask_item = confirm = choose = open_file = save_file = show = offer = _answer


class Silent:
    """An engine that only notes what it is to sound."""

    def __init__(self) -> None:
        self.sounding: list[Patch] = []
        self.acts: list[object] = []

    def set_patch(self, patch: Patch) -> None:
        self.sounding.append(patch)

    def act(self, what: object) -> None:
        self.acts.append(what)


class SilentSession:
    """A document and no sound."""

    changed_elsewhere = False

    def __init__(self, patch: Patch) -> None:
        self.document, self.engine = Document(patch), Silent()
        self.trial, self.clicks = Trial(self.document, self.engine), ClickWatch()

    @property
    def patch(self) -> Patch:
        return self.document.patch

    def save(self, path: Path) -> None:
        self.document.mark_saved(path)


def context(*answers: object) -> Context:
    shell = SimpleNamespace(key_of=lambda name: f"<{name}>", themes=[])
    shell.set_theme = shell.themes.append
    return Context(SilentSession(demo()), Answers(*answers), shell, NOON, Settings(), UserLibrary(Path("unused")))


def test_every_command_has_its_own_id_key_and_a_menu_that_is_there() -> None:
    commands = gathered(WORKSPACES)
    assert len({command.id for command in commands}) == len(commands) > 60
    assert {command.menu for command in commands} == set(MENUS)
    keys = [command.key for command in commands if command.key]
    assert len(set(keys)) == len(keys)


def test_a_key_that_is_given_twice_is_refused() -> None:
    with pytest.raises(ValueError, match="declared twice: build"):
        gathered((*WORKSPACES, WORKSPACES[0]))


def test_rename_and_undo() -> None:
    here = context("Gull hiss")
    here.selection.select("fog-air-noise")
    modules.ask_name(here)
    assert here.session.patch.module("fog-air-noise").name == "Gull hiss"
    layers.undo(here)
    assert here.session.patch == demo()
    layers.redo(here)
    assert here.selection.name == "Gull hiss"


def test_thinking_better_of_it_changes_nothing() -> None:
    here = context(None, None)
    modules.ask_name(here)
    links.ask_range(here, here.session.patch.links_into("drip-line-low-pass", "cutoff_hz")[0].id)
    assert here.session.patch == demo()


def test_bypass_pin_and_remove_act_on_the_selection() -> None:
    here = context()
    modules.remove(here)
    assert here.session.patch == demo(), "nothing is selected"
    here.selection.select("fog-air-band")
    modules.bypass(here)
    modules.pin(here)
    assert here.session.patch.module("fog-air-band").bypassed
    assert Place("fog-air-band", "low") in here.session.patch.pins
    modules.remove(here)
    assert not here.session.patch.has("fog-air-band")
    assert here.talk.told[-1] == "Band was removed."
    assert here.selection.module == "", "what has gone is no longer selected"


def test_movements_are_copied_from_value_to_value() -> None:
    here = context()
    here.selection.select("fog-air-band")
    links.take_movement(here, "cutoff_hz")
    assert "Copy a movement first" in here.talk.told[-1]
    links.copy_movement(here, "cutoff_hz")
    here.selection.select("drip-line-low-pass")
    links.take_movement(here, "form")
    sources = {link.source for link in here.session.patch.links_into("fog-air-band", "cutoff_hz")}
    assert {link.source for link in here.session.patch.links_into("drip-line-low-pass", "form")} == sources


def test_a_typed_range_and_what_is_wrong_with_it() -> None:
    here = context("100 Hz to 2 kHz", "low to high")
    link = here.session.patch.links_into("drip-line-low-pass", "cutoff_hz")[0].id
    links.ask_range(here, link)
    assert here.session.document.undo_label
    links.ask_range(here, link)
    assert "low" in here.talk.told[-1]


def test_heard_alone_and_everything_again() -> None:
    here = context()
    here.selection.select("fog-air-band")
    hearing.hear_from_here(here)
    assert here.session.trial.part == "fog-air-band"
    assert here.session.engine.sounding[-1] != here.session.patch
    assert "<hear> again" in here.talk.told[-1]
    hearing.hear_from_here(here)
    assert here.session.engine.sounding[-1] == here.session.patch
    hearing.hear_without(here)
    assert here.session.engine.sounding[-1].module("fog-air-band").bypassed
    modules.bypass(here)
    assert here.session.trial.part == "", "any edit sounds as it is"


def test_vary_leaves_what_is_not_selected_alone() -> None:
    here = context()
    copies.vary_a_little(here)
    assert here.session.patch == demo()
    here.selection.select("fog-air-band")
    copies.vary_a_little(here)
    changed = [m.id for m in demo().modules() if m != here.session.patch.module(m.id)]
    assert changed == ["fog-air-band"]


def test_saving_asks_for_a_name_and_adds_the_suffix(tmp_path: Path) -> None:
    here = context(tmp_path / "night")
    assert files.save(here)
    assert here.session.document.path == tmp_path / "night.dunefall"
    assert files.may_leave(here), "it is saved"
    here.session.document.edit("Change", Patch())
    here.talk.answers = ["Cancel"]
    assert not files.may_leave(here)
    here.talk.answers = ["Discard"]
    assert files.may_leave(here)


def test_a_file_that_cannot_be_opened_is_explained(tmp_path: Path) -> None:
    path = tmp_path / "broken.dunefall"
    path.write_text("{")
    here = context()
    assert not files.open_path(here, path)
    assert here.talk.warned[0].startswith("This file cannot be opened")
    assert here.session.patch == demo()


def test_theme_is_kept_and_shown() -> None:
    here = context()
    preferences.toggle_theme(here)
    assert here.shell.themes == [DUSK]
    assert here.settings.values.theme == "dusk"


def test_softening_the_last_click() -> None:
    here = context()
    command = next(command for command in transport.COMMANDS if command.id == "soften")
    assert not command.enabled(here)
    here.session.clicks.culprit = SimpleNamespace(module="drip-line-hold")
    assert command.enabled(here)
    command.run(here)
    assert here.session.patch.module(here.selection.module).type == "slew"
    assert not command.enabled(here)


def test_the_demo_of_the_bench_is_a_patch() -> None:
    path = Path(__file__).parents[2] / "bench" / "first-demo.dunefall"
    assert load_patch(path) == demo()
