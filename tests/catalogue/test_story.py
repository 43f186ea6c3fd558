"""Stories: exact, and whole sentences in every language, whatever is told of a link, a module, a layer or a patch."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from dunefall.base.language import LANGUAGES
from dunefall.catalogue import catalogue
from dunefall.catalogue.joining import joined, with_empty_layer
from dunefall.catalogue.story import cause_story, layer_story, link_story, module_story, patch_story
from dunefall.patch.library import load_patch, starters
from dunefall.patch.model import CURVES, SHARED_ID, Link, Module, Patch, Place
from rig import demo, patch_of

LEVEL = Place("fog-air-output", "level_db")
GUSTS = Link("x", Place("gusts-1", "out"), LEVEL, -6.0, 1.5, "smooth", False)


def test_stories_are_exact() -> None:
    patch = demo()
    told = module_story(patch, "drip-line-droplet")
    assert "Set to pitch D5, shape sine, level 0 %." in told
    assert "Level: Strike raises it by up to 70 %, slowly at first." in told
    assert "It reaches Low-pass audio." in told
    assert "own rate" not in module_story(patch, "drip-line-hold")  # idle while a trigger is linked
    assert "It is bypassed." in module_story(
        patch.with_module(Module("gusts-1", "smooth-random", "Gusts", bypassed=True)), "gusts-1"
    )
    strange = patch.with_new_module(SHARED_ID, Module("x", "unheard-of", "X"))
    assert "does not know" in module_story(strange, "x")
    assert "Nothing is in it yet." in layer_story(Patch(), Patch().layers[0])
    assert "It repeats at once: nothing in it moves." in patch_story(Patch())


def test_stories_of_links() -> None:
    patch = demo()
    expected = "Gusts moves it up to 6.00 dB either way, turned over, shifted by +1.50 dB, gently at both ends (off)"
    assert link_story(patch, GUSTS) == expected
    feed = Link("y", Place("clock-1", "phase"), Place("drip-line-echo", "audio"), 0.5)
    assert link_story(patch, feed) == "Clock (phase) feeds it at +50 %"
    lowers = Link("z", Place("drip-line-strike", "out"), LEVEL, -6.0)
    assert link_story(patch, lowers) == "Strike lowers it by up to 6.00 dB"


@pytest.mark.parametrize(
    ("code", "expected"),
    [
        ("de", "Gusts bewegt es umgekehrt um bis zu 6,00 dB in beide Richtungen, um +1,50 dB verschoben, an beiden "
               "Enden sanft (aus)"),
        ("ja", "+1.50 dBずらして、Gustsが上下に最大6.00 dB、逆向きに動かす（両端はなだらかに）（オフ）"),
    ],
)  # fmt: skip
def test_a_language_has_its_own_order(speak: Callable[..., None], code: str, expected: str) -> None:
    """Japanese tells the offset before who moves it."""
    patch = demo()
    speak(DUNEFALL_LANGUAGE=code)
    assert link_story(patch, GUSTS) == expected


def test_a_layout_and_voices_are_told_in_sentences() -> None:
    tide, tone = Module("t", "lfo", "Tide", {"rate_hz": 1.0}), Module("o", "oscillator", "Tone")
    patch = patch_of(tide, tone, Module("a-output", "output", "A"), layout="quad", title="Lock",
                     links=(("t.out", "o.pitch", 1.0), ("o.out", "a-output.audio", 1.0)))  # fmt: skip
    layers = tuple(replace(layer, voices=3) if layer.id == "a" else layer for layer in patch.layers)
    patch = replace(patch, layers=layers)
    whole, layer = patch_story(patch), layer_story(patch, patch.layer("a"))
    assert whole.startswith("Lock: 1 layer, 3 modules, 2 links, 92 BPM, seed 0001, in quad. It never repeats, because ")
    assert "It has 3 voices, which meet at the layer's output. One voice alone repeats after 0.3833 bars, " in layer


@pytest.mark.parametrize("code", ["pseudo", *LANGUAGES])
@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(curve=st.sampled_from(CURVES), on=st.booleans(), amount=st.floats(-60.0, 60.0), offset=st.floats(-60.0, 60.0))
def test_a_link_is_told_whatever_it_is(
    speak: Callable[..., None], code: str, curve: str, on: bool, amount: float, offset: float
) -> None:
    """Its source is always named once, and in pseudo language nothing stands outside the brackets."""
    patch = demo()
    speak(DUNEFALL_LANGUAGE=code)
    told = link_story(patch, replace(GUSTS, curve=curve, on=on, amount=amount, offset=offset))
    assert told.count("Gusts") == 1
    assert "{" not in told
    if code == "pseudo":
        assert (told[0], told[-1]) == ("⟦", "⟧")


@pytest.mark.parametrize("code", LANGUAGES)
@pytest.mark.parametrize("name", sorted(starters()))
def test_the_story_of_every_starter_is_whole(speak: Callable[..., None], name: str, code: str) -> None:
    """No place is left empty, no sentence ends twice (but after a dotted note, 1/8.), and each line ends one."""
    patch = load_patch(starters()[name])
    speak(DUNEFALL_LANGUAGE=code)
    lines = patch_story(patch).splitlines()
    assert len(lines) > len(patch.layers)
    for line in lines:
        assert not any(wrong in line for wrong in ("{", "}", "。。", " ,", " .", ",,", "None")), line
        assert not re.search(r"(?<!\d)\.\.", line), line
        assert not line.startswith("  ") or line.endswith((".", "。", "!")), line


@pytest.mark.parametrize("code", LANGUAGES)
def test_every_module_has_a_story_and_a_cause(speak: Callable[..., None], code: str) -> None:
    speak(DUNEFALL_LANGUAGE=code)
    patch = with_empty_layer(Patch(), "Lock").patch
    layer = patch.layers[-1].id
    for name in catalogue():
        if name in ("master", "output"):
            continue
        made = joined(patch, layer, name)
        told = module_story(made.patch, made.module)
        assert told.endswith((".", "。")), told
        assert "{" not in told, told
        assert cause_story(made.patch, made.module) or not catalogue()[name].outputs
