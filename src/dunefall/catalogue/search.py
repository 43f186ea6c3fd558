"""Finding a module or a starter by its name, its purpose or plain words."""

from __future__ import annotations

import difflib
import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, lru_cache, partial

from dunefall.base.errors import DunefallError
from dunefall.base.language import capital, tr
from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.compounds import face_sentence
from dunefall.catalogue.declare import ModuleSpec, Preset
from dunefall.catalogue.validate import check_patch
from dunefall.patch.files import load_patch
from dunefall.patch.library import starters
from dunefall.patch.model import Patch
from dunefall.patch.userlibrary import TinyPicture, UserLibrary, main_compound, picture_of

__all__ = ["EMPTY_LAYER", "Entry", "entries", "found", "kept_entries", "next_stages", "starter"]

_WORD = re.compile(r"[\w&#]+")
_DROPPED = frozenset(("a", "an", "and", "for", "like", "of", "or", "sound", "that", "the", "to", "which", "with"))
_VOWEL = re.compile("[aeiouy]")
_LIKENESS = 0.78
"""Of two words, 0 to 1, from which on one is taken for the other, mistyped (`difflib.SequenceMatcher.ratio`)."""
USUAL = (
    "oscillator", "noise", "drone-cloud", "struck-body", "plucked-string", "sample-player", "filter", "amplifier",
    "low-pass-gate", "drive", "delay", "reverb", "chorus", "lfo", "smooth-random", "stepped-random", "envelope",
    "sample-hold", "step-sequencer", "clock", "scatter", "chance", "divider", "burst", "quantiser", "note-list",
    "random-melody", "chord",
)  # fmt: skip
"""What is reached for most often (common practice): first among its stage where nothing is typed."""
SHORTEST_MENDED = 3
"""Words up to this length are not taken for mistyped ones."""
_NAMED, _CALLED = 100.0, 50.0
"""Points for an entry whose name, or one of whose plain words, is just what was typed."""


@dataclass(frozen=True)
class Entry:
    """Something that can be added.

    Attributes
    ----------
    id : str
        Of the module type, or the starter's name.
    preset : str
        Name of the module's preset that it stands for; "" for none.
    stage : str
        ``time`` to ``space``, ``starter``, or ``compound``: one of the user's library, by its file's name.
    ranks : tuple of frozenset
        Words by which it is found: those of its name, its plain words, its sentence, its ports.
    names : tuple of str
        Its name and its plain words, in the form that is compared with the typed text.
    picture : TinyPicture or None
        Of a compound of the user's; what ships with the program has its pictures apart.
    """

    id: str
    name: str
    stage: str
    sentence: str
    ranks: tuple[frozenset[str], ...]
    names: tuple[str, ...]
    picture: TinyPicture | None = None
    preset: str = ""

    @property
    def kind(self) -> str:
        """What it is, in a word or three: "Shape", "Starter", "Preset of Filter"."""
        spec = spec_of(self.id)
        return tr("Preset of {name}", name=spec.name) if spec and self.preset else capital(tr(self.stage))


EMPTY_LAYER = Entry(
    "", tr("Empty layer"), "layer", tr("A layer with nothing in it but its level and its place."), (), ()
)


def next_stages(role: str, *, value: bool) -> tuple[str, ...]:
    """Stages of what one would add next.

    Parameters
    ----------
    role : str
        Of what the selection gives; "" where nothing is selected.
    value : bool
        Whether one of its values is selected.

    Returns
    -------
    tuple of str
    """
    if value:
        return ("motion", "time", "pitch")
    after = {
        "audio": ("shape", "space", "motion"), "control": ("motion", "pitch"), "pitch": ("pitch", "source"),
        "gate": ("time", "motion", "pitch", "source"),
    }  # fmt: skip
    return after.get(role, ("source", "starter"))


def _split(text: str) -> list[str]:
    """The words of a text, in the British spelling."""
    plain = text.lower().replace("-", " ").replace("s+h", "s&h")
    return [re.sub(r"i[sz](e|er|ed|ing)$", r"is\1", word) for word in _WORD.findall(plain)]


def _words(text: str) -> frozenset[str]:
    return frozenset(_split(text)) - _DROPPED


def _plain(text: str) -> str:
    return " ".join(_split(text))


@cache
def starter(name: str) -> Patch:
    """The patch of a starter."""
    return load_patch(starters()[name])


@cache
def entries() -> tuple[Entry, ...]:
    """All modules that can be added, then all starters, then the modules' presets."""
    found = []
    for spec in catalogue().values():
        if not spec.ends and not spec.brings_mix:
            ports = " ".join(port.name for port in (*spec.targets, *spec.outputs))
            texts = (spec.name, " ".join(spec.words), spec.sentence, ports)
            names = tuple(map(_plain, (spec.name, *spec.words)))
            found.append(Entry(spec.id, spec.name, spec.stage, spec.sentence, tuple(map(_words, texts)), names))
    for name in starters():
        patch = starter(name)
        modules = " ".join(module.name for module in patch.modules())
        sentence, _, plain = tr(patch.about).partition(":")
        title = tr(patch.title)
        texts = (f"{title} {patch.title}", plain, sentence, modules)
        ranks, names = tuple(map(_words, texts)), (_plain(title), _plain(patch.title))
        found.append(Entry(name, title, "starter", f"{sentence}.", ranks, names))
    return (*found, *(_preset_entry(spec, preset) for spec in catalogue().values() for preset in spec.presets))


def _preset_entry(spec: ModuleSpec, preset: Preset) -> Entry:
    texts = (preset.name, " ".join(preset.words), spec.name, preset.sentence)
    names = tuple(map(_plain, (preset.name, *preset.words)))
    return Entry(
        spec.id, preset.name, spec.stage, preset.sentence, tuple(map(_words, texts)), names, preset=preset.name
    )


def kept_entries(library: UserLibrary) -> tuple[tuple[Entry, ...], tuple[str, ...]]:
    """The compounds of the user's library, and what is wrong with files that cannot be used."""
    found, troubles = [], []
    for name in library.files():
        try:
            found.append(_kept_entry(library, name, library.digest(name)))
        except DunefallError as error:
            troubles.append(str(error))
    return tuple(found), tuple(troubles)


@lru_cache(maxsize=1000)
def _kept_entry(library: UserLibrary, name: str, _digest: str) -> Entry:
    patch = library.load(name)
    check_patch(patch)
    compound = main_compound(patch)
    sentence = face_sentence(patch, compound)
    shown = " ".join((*compound.names().values(), *(module.name for module in patch.modules())))
    texts = (compound.name, "compound own mine library", sentence, shown)
    ranks, names = tuple(map(_words, texts)), (_plain(compound.name),)
    return Entry(name, compound.name, "compound", sentence, ranks, names, picture_of(patch))


def _stem(word: str) -> str:
    """A word without the endings that make it another form of itself; "spring" and "string" keep theirs."""
    for ending in ("ing", "ies", "es", "s", "y"):
        stem = word.removesuffix(ending)
        if stem != word and len(stem) >= 3 and _VOWEL.search(stem):
            return stem
    return word


@cache
def _known_words() -> tuple[str, ...]:
    return tuple(sorted(frozenset().union(*(words for entry in entries() for words in entry.ranks))))


def _scores(word: str, listed: Sequence[Entry]) -> list[float]:
    """What a word is worth for each entry; where none has it, what the word is worth for which it was mistyped."""
    scores = [_score(entry, _stem(word)) for entry in listed]
    if any(scores) or len(word) <= SHORTEST_MENDED:
        return scores
    near = difflib.get_close_matches(word, _known_words(), 1, _LIKENESS)
    return [_score(entry, _stem(near[0])) for entry in listed] if near else scores


def found(text: str, kept: Sequence[Entry] = (), first: Sequence[str] = ()) -> Sequence[Entry]:
    """Entries that fit all words of a text, the best first; where none fits all, those that fit some.

    Exact names come first, then matches among the plain words. A word that no entry has is taken for the nearest one
    that some have, mistyped. An empty text finds everything but presets: what the user has kept, the stages ``first``,
    then all others in the order of the stages.

    Parameters
    ----------
    text : str
        What was typed.
    kept : sequence of Entry
        The compounds of the user's library.
    first : sequence of str
        Stages of what one would add next, see ``next_stages``.

    Returns
    -------
    sequence of Entry

    Examples
    --------
    >>> [entry.id for entry in found("wobble")][:1]
    ['lfo']
    >>> [entry.id for entry in found("revreb")][:1]
    ['reverb']
    """
    wanted, listed = [word for word in _split(text) if word not in _DROPPED], (*kept, *entries())
    if not wanted:
        return sorted((entry for entry in listed if not entry.preset), key=partial(_reached_for, tuple(first)))
    scored, whole = [], _plain(text)
    for entry, *scores in zip(listed, *(_scores(word, listed) for word in wanted), strict=True):
        hits = sum(score > 0 for score in scores)
        if hits:
            called = _NAMED if entry.names[0] == whole else _CALLED if whole in entry.names else 0.0
            scored.append((hits, called + sum(scores), entry))
    most = max((hits for hits, _, _ in scored), default=0)
    scored.sort(key=lambda item: (-item[1], item[2].name))
    return [entry for hits, _, entry in scored if hits == most]


def _reached_for(first: tuple[str, ...], entry: Entry) -> tuple[int, int]:
    """Order where nothing is typed: what the user has kept, the stages that come next, there the usual modules."""
    if not first or entry.stage == "compound":
        return -1, 0
    stage = first.index(entry.stage) if entry.stage in first else len(first)
    return stage, USUAL.index(entry.id) if entry.id in USUAL and stage < len(first) else len(USUAL)


def _score(entry: Entry, word: str) -> float:
    """Half as much for each rank further down; a little more where less of the known word is left over."""
    for rank, words in enumerate(entry.ranks):
        shortest = min((len(known) for known in words if known.startswith(word)), default=0)
        if shortest:
            return 8.0 * 0.5**rank + 1.0 / shortest
    return 0.0
