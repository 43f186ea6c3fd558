"""Where a new module connects itself: to what a designer would expect beside what is selected.

An effect goes into the audio path behind the selection; an envelope to the layer's trigger and an amplifier; a source
to the layer's pitch and into what its other sources go into; a mover to the selected parameter; what changes pitches,
controls or triggers behind the one that is selected.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import NamedTuple

from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.compounds import face_of, spec_for
from dunefall.catalogue.declare import Input, ModuleSpec, Output, Param
from dunefall.patch.compounds import compound_of
from dunefall.patch.copying import free_name, starter_clip, with_copy
from dunefall.patch.model import SHARED_ID, Link, Module, Patch, Place
from dunefall.patch.userlibrary import compound_clip, main_compound

__all__ = [
    "Joined",
    "is_trigger",
    "joined",
    "main_pitch",
    "main_trigger",
    "movers_of",
    "new_link",
    "with_kept_compound",
    "with_starter",
]

USUAL_MOVERS = ("random-melody", "note-list", "lfo", "smooth-random", "sample-hold", "envelope")
"""What moves things most often (common practice); the first two play pitches."""
SOURCE_LEVEL = 0.5
"""What a second source gives to what is there already."""


class Joined(NamedTuple):
    """A patch with a new module in it, the module's id, and what was linked, in words."""

    patch: Patch
    module: str
    told: str


def _free_name(patch: Patch, name: str) -> str:
    return free_name(name, (module.name for module in patch.modules()))


def is_trigger(patch: Patch, place: Place) -> bool:
    """Whether a place is an input for triggers and gates."""
    spec = spec_for(patch.module(place.module))
    target = spec.target(place.port) if spec else None
    return isinstance(target, Input) and target.role == "gate"


def new_link(patch: Patch, source: Place, target: Place) -> Link:
    """A link that begins with a sensible, audible amount."""
    spec, source_spec = (spec_for(patch.module(place.module)) for place in (target, source))
    port = spec.target(target.port) if spec else None
    output = source_spec.output(source.port) if source_spec else None
    amount, offset = (port.amount or 1.0, 0.0) if isinstance(port, Param) else (1.0, 0.0)
    if isinstance(port, Param) and output and output.role == "pitch" and port.unit == "note":
        amount, offset = 1.0, -60.0  # a pitch is counted from C4
    return Link(patch.free_id("link"), source, target, amount, offset)


def _role_of(patch: Patch, place: Place) -> str:
    spec = spec_for(patch.module(place.module))
    output = spec.output(place.port) if spec else None
    return output.role if output else ""


def _most_used(patch: Patch, layer_id: str, role: str) -> Place | None:
    """The output of a role that most links into a layer come from; else the first one in the layer, else in Shared."""
    own = {module.id for module in patch.layer(layer_id).modules}
    used = Counter(x.source for x in patch.links if x.target.module in own and _role_of(patch, x.source) == role)
    if used:
        return used.most_common(1)[0][0]
    for layer in dict.fromkeys((layer_id, SHARED_ID)):
        for module in patch.layer(layer).modules:
            spec = spec_for(module)
            for output in spec.outputs if spec else ():
                if output.role == role:
                    return Place(module.id, output.id)
    return None


def main_trigger(patch: Patch, layer_id: str) -> Place | None:
    """What starts things in a layer: the trigger that most of its modules listen to."""
    return _most_used(patch, layer_id, "gate")


def main_pitch(patch: Patch, layer_id: str) -> Place | None:
    """What a layer plays: the pitch that most of its modules follow."""
    return _most_used(patch, layer_id, "pitch")


def movers_of(target: Input | Param) -> tuple[str, ...]:
    """Types of the modules that `joined` can make to move a parameter: the usual ones first.

    Parameters
    ----------
    target : Input or Param
        What is to be moved; nothing can be made for an input or a choice.

    Returns
    -------
    tuple of str
    """
    if not isinstance(target, Param) or target.choices:
        return ()
    roles = ("control", "pitch") if target.id == "pitch_note" else ("control",)
    fit = [
        spec.id for spec in catalogue().values()
        if spec.outputs and spec.outputs[0].role in roles and not spec.passes and not spec.lane_end
        and not spec.closes and all(port.role != "audio" for port in spec.inputs)
    ]  # fmt: skip
    return (*(name for name in USUAL_MOVERS if name in fit), *(name for name in fit if name not in USUAL_MOVERS))


def joined(patch: Patch, layer_id: str, type_id: str, beside: str = "", port: str = "") -> Joined:
    """A patch with a new module in a layer, connected.

    Parameters
    ----------
    patch : Patch
        The patch; it is not changed.
    layer_id : str
        Id of the layer.
    type_id : str
        Type of the module.
    beside : str
        The module that is selected, if one is.
    port : str
        Its selected parameter, if one is.

    Returns
    -------
    Joined
    """
    spec = spec_of(type_id)
    assert spec is not None
    module = Module(patch.free_id(type_id), type_id, _free_name(patch, spec.name), dict(spec.begins))
    joiner = _Joiner(patch, patch.with_new_module(layer_id, module), layer_id, module, spec, beside, port)
    return Joined(joiner.join(), module.id, joiner.told)


def with_kept_compound(patch: Patch, layer_id: str, kept: Patch, beside: str = "", port: str = "") -> Joined:
    """A patch with a compound of the user's library in a layer, connected as a module would be; ``kept`` is what the
    file of the library holds."""
    copied = with_copy(patch, compound_clip(kept), layer_id)
    compound = compound_of(copied.patch, copied.names[main_compound(kept).id])
    assert compound is not None
    face = face_of(copied.patch, compound)
    assert face.spec is not None
    joiner = _Joiner(patch, copied.patch, layer_id, face, face.spec, beside, port)
    return Joined(joiner.join(), compound.id, joiner.told)


def with_starter(patch: Patch, starter: Patch) -> Joined:
    """A patch with the layers of a starter; its clocks go to Shared, and keep the patch's tempo."""
    copied = with_copy(patch, starter_clip(starter))
    layers = [layer for layer in copied.patch.layers if not any(layer.id == old.id for old in patch.layers)]
    ends = [layer.output_id for layer in layers if not layer.effects]
    told = f"{starter.title}: {', '.join(layer.name for layer in layers)}"
    return Joined(copied.patch, ends[-1] if ends else "", f"{told}.")


class _Joiner:
    """Adds the links of one new module."""

    def __init__(
        self, before: Patch, patch: Patch, layer_id: str, module: Module, spec: ModuleSpec, beside: str, port: str
    ) -> None:
        self.before = before
        self.patch, self.layer_id, self.module, self.spec, self.port = patch, layer_id, module, spec, port
        layer = patch.layer(layer_id)
        self.beside = patch.module(beside) if beside and beside != layer.output_id else None
        self.beside_spec = spec_for(self.beside) if self.beside else None
        self.end = layer.output_id if any(m.id == layer.output_id for m in layer.modules) else ""
        self._told: list[str] = []

    @property
    def told(self) -> str:
        """What was linked."""
        return f"{self.module.name}: {'; '.join(self._told) or 'not linked yet'}."

    def join(self) -> Patch:
        """The patch with all links."""
        self._listen()
        if not self.spec.outputs:
            return self.patch
        first, takes = self.spec.outputs[0], [port for port in self.spec.inputs if port.role == "audio"]
        if first.role == "audio" and takes and self.spec.stage != "source":
            self._into_audio(takes[0], first)
        elif first.role == "audio":
            self._as_source(first)
        elif first.role == "pitch" and self.spec.passes:
            if not self._between_pitches(first):
                self._into_chain("pitch", main_pitch(self.before, self.layer_id))
        elif first.role == "pitch":
            self._play(first)
        elif first.role == "gate":
            self._as_trigger(first)
        elif self.spec.passes and self._gives("control", "pitch"):
            self._into_chain(self._gives("control", "pitch"), None)
        elif self.spec.output("ended") and self.spec.inputs and self.spec.inputs[0].listens and not self.port:
            self._as_envelope(first)
        else:
            self._move(first, takes)
        return self.patch

    # -- small steps --------------------------------------------------------------------------------------------

    def _name(self, module: str) -> str:
        return self.patch.module(module).name

    def _link(self, source: Place, target: Place, amount: float | None = None) -> None:
        link = new_link(self.patch, source.inner, target.inner)
        self.patch = self.patch.with_link(link if amount is None else replace(link, amount=amount))

    def _gives(self, *roles: str) -> str:
        """The role of the selection's first output, if it is one of these."""
        role = self.beside_spec.outputs[0].role if self.beside_spec else ""
        return role if role in roles else ""

    def _beside_out(self) -> Place:
        assert self.beside is not None
        assert self.beside_spec is not None
        return Place(self.beside.id, self.beside_spec.outputs[0].id)

    def _listen(self) -> None:
        """Where it needs a trigger, or is clocked by one: the selection, what starts the selection, or the layer's."""
        clocked = self.spec.stage == "motion"
        port = next((port for port in self.spec.inputs if port.listens or (clocked and port.starts)), None)
        if port is None:
            return
        source = self._beside_out() if self._gives("gate") else self._starts_beside()
        source = source or main_trigger(self.before, self.layer_id)
        if source is not None:
            self._link(source, Place(self.module.id, port.id))
            self._told.append(f"started by {self._name(source.module)}")

    def _started_port(self) -> str:
        """The input at which the selection is started; empty if it has none."""
        ports = [port for port in self.beside_spec.inputs if port.starts] if self.beside_spec else []
        return next((port.id for port in ports if port.listens), ports[0].id if ports else "")

    def _starts_beside(self) -> Place | None:
        """What starts the selection now, for a trigger that goes between."""
        if self.beside and self.spec.outputs and self.spec.outputs[0].role == "gate" and self._started_port():
            links = self.before.links_into(self.beside.id, self._started_port())
            return links[0].source if links else None
        return None

    def _takes_audio(self, link: Link) -> bool:
        spec = spec_for(self.patch.module(link.target.module))
        target = spec.target(link.target.port) if spec else None
        return isinstance(target, Input) and target.role == "audio" and target.id != "duck"

    def _divert(self, links: Sequence[Link], first: str) -> None:
        """Let links come from the new module."""
        for link in links:
            self.patch = self.patch.with_link(replace(link, source=Place(self.module.id, first).inner))

    # -- kinds of modules ---------------------------------------------------------------------------------------

    def _into_audio(self, takes: Input, first: Output) -> None:
        into = Place(self.module.id, takes.id).inner
        if self._gives("audio"):
            source = self._beside_out()
            after = [x for x in self.before.links if x.source == source and self._takes_audio(x)]
            self._divert(after, first.id)
            self._link(source, into)
            if not after and self.end:
                self._link(Place(self.module.id, first.id), Place(self.end, "audio"))
            self._told.append(f"behind {self._name(source.module)}")
        elif self.end:
            for link in self.before.links_into(self.end, "audio"):
                self.patch = self.patch.with_link(replace(link, target=into))
            self._link(Place(self.module.id, first.id), Place(self.end, "audio"))
            self._told.append("at the layer's end")

    def _as_source(self, first: Output) -> None:
        tones = [port.id for port in self.spec.targets if Place("", port.id).inner.port == "pitch_note"]
        pitch = self._beside_out() if self._gives("pitch") else main_pitch(self.before, self.layer_id)
        if tones and pitch is not None:
            for tone in tones:
                self._link(pitch, Place(self.module.id, tone))
            self._told.append(f"plays {self._name(pitch.module)}")
        target = next(self._where_sources_go(), Place(self.end, "audio") if self.end else None)
        if target is not None:
            alone = not self.before.links_into(target.module, target.port)
            self._link(Place(self.module.id, first.id), target, 1.0 if alone else SOURCE_LEVEL)
            self._told.append(f"into {self._name(target.module)}")

    def _where_sources_go(self) -> Iterator[Place]:
        """The selection, if it takes a sound; where the layer's other sources go; what waits for a sound."""
        if self.beside and self.beside_spec and self.beside_spec.stage != "source":
            for port in self.beside_spec.inputs[:1]:
                empty = not self.before.links_into(self.beside.id, port.id)
                if port.role == "audio" or (port.role == "control" and empty):
                    yield Place(self.beside.id, port.id).inner
        modules = [(module, spec_for(module)) for module in self.before.layer(self.layer_id).modules]
        for module, spec in modules:
            if spec and spec.stage == "source":
                for link in self.before.links_from(module.id):
                    if self._takes_audio(link):
                        yield link.target
        for module, spec in modules:
            if spec and spec.inputs and spec.inputs[0].role == "audio" and module.id != self.end:
                place = Place(module.id, spec.inputs[0].id).inner
                waits = not self.before.links_into(place.module, place.port)
                if waits and any(self._takes_audio(link) for link in self.before.links_from(module.id)):
                    yield place

    def _between_pitches(self, first: Output) -> bool:
        """Between what moves the selection's pitch and that pitch, or between a selected mover and the pitches it
        moves. The notes come out as the scale has them: the new module's input gets the whole pitch."""
        if self._gives("control"):
            found = [link for link in self.before.links if link.source == self._beside_out()]
        elif self.beside and not self._gives("pitch"):
            found = list(self.before.links_into(self.beside.id, "pitch_note"))
        else:
            return False
        taken = [link for link in found if link.target.port == "pitch_note"]
        for link in taken:
            target = self.patch.module(link.target.module)
            spec = spec_for(target)
            tone = spec.param("pitch_note") if spec else None
            if tone is None:
                continue
            base = target.params.get("pitch_note", tone.default)
            self.patch = self.patch.with_link(
                replace(link, target=Place(self.module.id, self.spec.passes).inner, offset=link.offset + base)
            )
            self.patch = self.patch.with_param(target.id, "pitch_note", 60.0)
            self._link(Place(self.module.id, first.id), link.target)
            self._told.append(f"between {self._name(link.source.module)} and {target.name}")
        return bool(taken)

    def _into_chain(self, role: str, fallback: Place | None) -> None:
        """Behind the selection, or behind what the layer plays: this moves everything that it moved in this layer."""
        source = self._beside_out() if self._gives(role) else fallback
        if source is None:
            return
        own = {module.id for module in self.before.layer(self.layer_id).modules}
        after = [x for x in self.before.links if x.source == source and (x.target.module in own or self._gives(role))]
        self._divert([x for x in after if not is_trigger(self.patch, x.target)], self.spec.outputs[0].id)
        self._link(source, Place(self.module.id, self.spec.passes))
        self._told.append(f"behind {self._name(source.module)}")

    def _play(self, first: Output) -> None:
        """The selection, if it has a pitch; otherwise every tone of the layer that nothing plays yet."""
        chosen = [self.beside] if self.beside and self.beside_spec and self.beside_spec.target("pitch_note") else []
        for module in chosen or self.before.layer(self.layer_id).modules:
            spec = spec_for(module)
            free = bool(chosen) or not self.before.links_into(module.id, "pitch_note")
            if spec and spec.target("pitch_note") and free:
                self._link(Place(self.module.id, first.id), Place(module.id, "pitch_note"))
                self._told.append(f"plays {module.name}")

    def _as_trigger(self, first: Output) -> None:
        """Behind a trigger or a signal that is selected; else before what starts the selection."""
        hears = next((port for port in self.spec.inputs if port.role == "control"), None)
        if hears and self._gives("control", "audio"):
            self._link(self._beside_out(), Place(self.module.id, hears.id))
            self._told.append(f"hears {self._name(self._beside_out().module)}")
            return
        if self._gives("gate") and self.spec.inputs and self.spec.inputs[0].starts:
            if not self.spec.inputs[0].listens:
                self._link(self._beside_out(), Place(self.module.id, self.spec.inputs[0].id))
                self._told.append(f"behind {self._name(self._beside_out().module)}")
            return
        if self.beside and (port := self._started_port()):
            for old in self.before.links_into(self.beside.id, port):
                self.patch = self.patch.without_link(old.id)
            self._link(Place(self.module.id, first.id), Place(self.beside.id, port))
            self._told.append(f"starts {self.beside.name}")

    def _as_envelope(self, first: Output) -> None:
        """Into the level of the layer's first amplifier that no envelope moves; a new one where there is none."""
        amplifiers = [m for m in self.before.layer(self.layer_id).modules if m.type == "amplifier"]
        free = [m for m in amplifiers if not self.before.links_into(m.id, "gain")]
        if self.beside and self.beside.type == "amplifier":
            free = [self.beside]
        if not free and not self.end:
            return
        if not free:
            name = _free_name(self.patch, "Amplifier")
            amplifier = Module(self.patch.free_id("amplifier"), "amplifier", name, {"gain": 0.0})
            self.patch = self.patch.with_new_module(self.layer_id, amplifier)
            for link in self.before.links_into(self.end, "audio"):
                self.patch = self.patch.with_link(replace(link, target=Place(amplifier.id, "audio")))
            self._link(Place(amplifier.id, "out"), Place(self.end, "audio"))
            free = [amplifier]
        else:
            self.patch = self.patch.with_param(free[0].id, "gain", 0.0)
        self._link(Place(self.module.id, first.id), Place(free[0].id, "gain"), 1.0)
        self._told.append(f"opens {free[0].name}")

    def _move(self, first: Output, takes: Sequence[Input]) -> None:
        """The selected parameter, or the selection's main one; what listens to a sound hears the selection's."""
        if takes and self._gives("audio"):
            self._link(self._beside_out(), Place(self.module.id, takes[0].id))
            self._told.append(f"hears {self._name(self._beside_out().module)}")
            return
        port = self.port or (self.beside_spec.face if self.beside_spec else "")
        target = self.beside_spec.target(port) if self.beside_spec and port else None
        if self.beside and isinstance(target, Param) and not target.choices:
            self._link(Place(self.module.id, first.id), Place(self.beside.id, target.id))
            self._told.append(f"moves {target.name.lower()} of {self.beside.name}")
