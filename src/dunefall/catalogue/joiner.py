"""Adds the links of one new module: where it goes beside what is selected, the usual way and the others."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from functools import partial

from dunefall.base.language import inline, tr
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Input, ModuleSpec, Param
from dunefall.catalogue.linking import free_module_name, is_trigger, main_pitch, main_trigger, new_link
from dunefall.catalogue.paths import end_of
from dunefall.patch.model import SHARED_ID, Link, Module, Patch, Place

__all__ = ["Joiner"]

SOURCE_LEVEL = 0.5
"""What a second source gives to what is there already."""
MOST_VALUES = 6
"""So many values of the selection are offered to a mover."""
Way = Callable[[], None]


class Joiner:
    """Adds the links of one new module, once.

    Parameters
    ----------
    before, patch : Patch
        Without and with the module, which has no links yet.
    layer_id : str
        Its layer.
    module : Module
        The module, or a compound's face.
    spec : ModuleSpec
        Its declaration.
    beside, port : str
        The selected module and parameter; empty: none.
    output : str
        The output that it is wanted for; empty: the first.

    Attributes
    ----------
    patch : Patch
        With the links that were added.
    """

    def __init__(
        self, before: Patch, patch: Patch, layer_id: str, module: Module, spec: ModuleSpec, beside: str, port: str,
        output: str = "",
    ) -> None:  # fmt: skip
        self.before = before
        self.patch, self.layer_id, self.module, self.spec, self.port = patch, layer_id, module, spec, port
        layer = patch.layer(layer_id)
        self.beside = patch.module(beside) if beside and beside != end_of(layer) else None
        self.beside_spec = spec_for(self.beside) if self.beside else None
        self.end = end_of(layer)
        self.first = next((x for x in spec.outputs if x.id == output), spec.outputs[0] if spec.outputs else None)
        self._told: list[str] = []

    @property
    def told(self) -> str:
        """What was linked."""
        return f"{self.module.name}: {'; '.join(self._told) or tr('not linked')}."

    def ways(self) -> list[Way]:
        """How it can be joined, the usual way first; the last one leaves it without links."""
        return [*map(self._listening, self._by_role()), lambda: None]

    def _by_role(self) -> list[Way]:
        first, takes = self.first, [port for port in self.spec.inputs if port.role == "audio"]
        if first is None:
            return [lambda: None]
        if first.role == "audio" and takes and self.spec.stage != "source":
            return self._audio_ways(takes[0])
        if first.role == "audio":
            return self._source_ways()
        if first.role == "pitch":
            return self._pitch_ways()
        if first.role == "gate":
            return self._trigger_ways()
        return self._control_ways(takes)

    def _listening(self, way: Way) -> Way:
        def both() -> None:
            self._listen()
            way()

        return both

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
        if source is None and port.listens and not self.spec.begins and self.spec.sound != "file":
            source = self._new_clock()
        if source is not None:
            self._link(source, Place(self.module.id, port.id))
            for param in self.spec.begins:  # it stays as it is until it is started
                self.patch = self.patch.with_param(self.module.id, param, self.spec.param(param).default)
            self._told.append(tr("started by {name}", name=self._name(source.module)))

    def _new_clock(self) -> Place:
        """A clock in Shared, for what does nothing without one."""
        beats = 4.0 if self.spec.output("ended") else 1.0 if self.spec.stage == "source" else 0.25
        name = free_module_name(self.patch, tr("Clock"))
        clock = Module(self.patch.free_id("clock"), "clock", name, {"period_beats": beats})
        self.patch = self.patch.with_new_module(SHARED_ID, clock)
        return Place(clock.id, "gate")

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

    @property
    def _out(self) -> Place:
        """What the new module gives."""
        assert self.first is not None
        return Place(self.module.id, self.first.id)

    def _divert(self, links: Sequence[Link]) -> None:
        """Let links come from the new module."""
        for link in links:
            self.patch = self.patch.with_link(replace(link, source=self._out.inner))

    def _lead(self, links: Sequence[Link], into: Place) -> None:
        """Let links lead into the new module."""
        for link in links:
            self.patch = self.patch.with_link(replace(link, target=into))

    # -- sound ----------------------------------------------------------------------------------------------------

    def _audio_ways(self, takes: Input) -> list[Way]:
        """Behind the selection, before it, beside it, at the end of the layer."""
        into, found = Place(self.module.id, takes.id).inner, list[Way]()
        heard = self._heard_by_selection()
        if self._gives("audio"):
            found.append(partial(self._behind, into))
        if heard:
            found.append(partial(self._before, heard, into))
            if self._gives("audio"):
                found.append(partial(self._in_parallel, heard, into))
        if loop := self._loop():
            found.append(partial(self._in_loop, *loop, into))
        if self.end:
            found.append(partial(self._at_end, into))
        return found

    def _loop(self) -> tuple[Place, Place] | None:
        """Where a loop leaves the selection, or what is in it already, and where it comes back."""
        if self.beside is None or self.beside_spec is None or not self.beside_spec.loop:
            return None
        leaves, returns = (Place(self.beside.id, port) for port in self.beside_spec.loop)
        inside = self.before.links_into(returns.module, returns.port)
        return (inside[0].source if inside else leaves), returns

    def _in_loop(self, leaves: Place, returns: Place, into: Place) -> None:
        """Through the new module goes what the selection feeds back, behind what is in its loop already."""
        for link in self.before.links_into(returns.module, returns.port):
            self.patch = self.patch.without_link(link.id)
        self._link(leaves, into)
        self._link(self._out, returns)
        self._told.append(tr("in the loop of {name}", name=self._name(returns.module)))

    def _heard_by_selection(self) -> list[Link]:
        """The links into the selection's first audio input."""
        ports = [port for port in self.beside_spec.inputs if port.role == "audio"] if self.beside_spec else []
        return list(self.before.links_into(self.beside.id, ports[0].id)) if self.beside and ports else []

    def _behind(self, into: Place) -> None:
        source = self._beside_out()
        after = [x for x in self.before.links if x.source == source and self._takes_audio(x)]
        self._divert(after)
        self._link(source, into)
        if not after and self.end:
            self._link(self._out, Place(self.end, "audio"))
        self._told.append(tr("behind {name}", name=self._name(source.module)))

    def _before(self, heard: list[Link], into: Place) -> None:
        self._lead(heard, into)
        self._link(self._out, heard[0].target, 1.0)
        self._told.append(tr("before {name}", name=self._name(heard[0].target.module)))

    def _in_parallel(self, heard: list[Link], into: Place) -> None:
        """It hears what the selection hears, and goes where the selection goes."""
        for link in heard:
            self.patch = self.patch.with_link(replace(link, id=self.patch.free_id("link"), target=into))
        for link in self.before.links:
            if link.source == self._beside_out() and self._takes_audio(link):
                self._link(self._out, link.target, link.amount)
        self._told.append(tr("beside {name}", name=self._name(heard[0].target.module)))

    def _at_end(self, into: Place) -> None:
        self._lead(self.before.links_into(self.end, "audio"), into)
        self._link(self._out, Place(self.end, "audio"))
        last = spec_for(self.patch.module(self.end))
        self._told.append(
            tr("before {name}", name=self._name(self.end)) if last and last.closes else tr("at the layer's end")
        )

    def _source_ways(self) -> list[Way]:
        """Into what the layer's other sources go into, or another place that takes a sound; onto a value."""
        places = [*self._where_sources_go(), *([Place(self.end, "audio")] if self.end else [])]
        found = [partial(self._sound_into, place) for place in dict.fromkeys(places)]
        sounding: list[Way] = [*found] or [self._plays_only]
        return [*sounding, *(partial(self._move_value, value) for value in self._values()[:1])]

    def _plays_only(self) -> None:
        tones = [port.id for port in self.spec.targets if Place("", port.id).inner.port == "pitch_note"]
        pitch = self._beside_out() if self._gives("pitch") else main_pitch(self.before, self.layer_id)
        if tones and pitch is not None:
            for tone in tones:
                self._link(pitch, Place(self.module.id, tone))
            self._told.append(tr("plays {name}", name=self._name(pitch.module)))

    def _sound_into(self, target: Place) -> None:
        self._plays_only()
        alone = not self.before.links_into(target.module, target.port)
        self._link(self._out, target, 1.0 if alone else SOURCE_LEVEL)
        self._told.append(tr("into {name}", name=self._name(target.module)))

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
            takes = spec is not None and spec.stage != "source" and module.id != self.end
            if spec and takes and spec.inputs and spec.inputs[0].role == "audio":
                place = Place(module.id, spec.inputs[0].id).inner
                waits = not self.before.links_into(place.module, place.port)
                if waits and any(self._takes_audio(link) for link in self.before.links_from(module.id)):
                    yield place

    # -- pitches --------------------------------------------------------------------------------------------------

    def _pitch_ways(self) -> list[Way]:
        """What changes pitches: between or behind; what makes them: into the selection, or into all that is free."""
        if not self.spec.passes:
            chosen = self.beside is not None and self._has_tone(self.beside)
            free = [m for m in self.before.layer(self.layer_id).modules if self._has_tone(m)]
            free = [m for m in free if not self.before.links_into(m.id, "pitch_note")]
            every = partial(self._play, free)
            return [partial(self._play, [self.beside]), every] if chosen and self.beside else [every]
        played, found = self._pitches(), list[Way]()
        if played:
            found.append(partial(self._between_pitches, played))
        source = self._beside_out() if self._gives("pitch") else main_pitch(self.before, self.layer_id)
        if source is not None:
            found.append(partial(self._into_chain, source, whole=self._gives("pitch") != ""))
        return found

    def _has_tone(self, module: Module) -> bool:
        spec = spec_for(module)
        return spec is not None and spec.target("pitch_note") is not None

    def _play(self, modules: Sequence[Module]) -> None:
        for module in modules:
            self._link(self._out, Place(module.id, "pitch_note"))
            self._told.append(tr("plays {name}", name=module.name))

    def _pitches(self) -> list[Link]:
        """Links between what moves the selection's pitch and that pitch, or between a selected mover and the pitches
        that it moves."""
        if self._gives("control"):
            found = [link for link in self.before.links if link.source == self._beside_out()]
        elif self.beside and not self._gives("pitch"):
            found = list(self.before.links_into(self.beside.id, "pitch_note"))
        else:
            found = []
        return [link for link in found if link.target.port == "pitch_note"]

    def _between_pitches(self, played: Sequence[Link]) -> None:
        """The notes come out as the scale has them: the new module's input gets the whole pitch."""
        for link in played:
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
            self._link(self._out, link.target)
            self._told.append(
                tr("between {name} and {name_2}", name=self._name(link.source.module), name_2=target.name)
            )

    def _into_chain(self, source: Place, *, whole: bool) -> None:
        """Behind a source: this moves everything that the source moved, in this layer or in the whole patch."""
        own = {module.id for module in self.before.layer(self.layer_id).modules}
        after = [x for x in self.before.links if x.source == source and (x.target.module in own or whole)]
        self._divert([x for x in after if not is_trigger(self.patch, x.target)])
        self._link(source, Place(self.module.id, self.spec.passes))
        self._told.append(tr("behind {name}", name=self._name(source.module)))

    # -- triggers -------------------------------------------------------------------------------------------------

    def _trigger_ways(self) -> list[Way]:
        """Behind a trigger or a signal that is selected; else before what starts the selection."""
        found, hears = list[Way](), next((port for port in self.spec.inputs if port.role == "control"), None)
        if hears and self._gives("control", "audio"):
            found.append(partial(self._hear, hears))
        if self._gives("gate") and self.spec.inputs and self.spec.inputs[0].starts:
            return [*found, self._behind_trigger, *self._free_inputs("gate")]
        found += self._free_inputs("gate")
        if self.beside and (port := self._started_port()):
            found.append(partial(self._start, Place(self.beside.id, port)))
        return found or [lambda: None]

    def _hear(self, port: Input) -> None:
        self._link(self._beside_out(), Place(self.module.id, port.id))
        self._told.append(tr("hears {name}", name=self._name(self._beside_out().module)))

    def _behind_trigger(self) -> None:
        if not self.spec.inputs[0].listens:
            self._link(self._beside_out(), Place(self.module.id, self.spec.inputs[0].id))
            self._told.append(tr("behind {name}", name=self._name(self._beside_out().module)))

    def _start(self, target: Place) -> None:
        """Between what starts the selection and the selection."""
        takes = self.spec.inputs[0] if self.spec.inputs and self.spec.inputs[0].starts else None
        for old in self.before.links_into(target.module, target.port):
            self.patch = self.patch.without_link(old.id)
            if takes and not self.patch.links_into(self.module.id, takes.id):
                self._link(old.source, Place(self.module.id, takes.id))
        self._link(self._out, target)
        self._told.append(tr("starts {name}", name=self._name(target.module)))

    # -- movements ------------------------------------------------------------------------------------------------

    def _control_ways(self, takes: Sequence[Input]) -> list[Way]:
        """Behind the selection, or between a value and what moves it; an envelope to an amplifier; onto a value."""
        found, values = self._free_inputs("control"), self._values()
        if self.spec.passes:
            if self._gives("control", "pitch"):
                found.append(partial(self._into_chain, self._beside_out(), whole=True))
            moved = self.before.links_into(values[0].module, values[0].port) if values else ()
            if moved and not takes:
                found.append(partial(self._between, moved))
        envelope = self.spec.output("ended") and self.spec.inputs and self.spec.inputs[0].listens
        moves = [partial(self._move_value, value) for value in values[:MOST_VALUES]]
        if takes and self._gives("audio"):
            found.append(partial(self._hear, takes[0]))
        opens = [partial(self._open, amplifiers)] if envelope and (amplifiers := self._amplifiers()) else []
        found += [*moves[:1], *opens, *moves[1:]] if self.port else [*opens, *moves]
        return found or [lambda: None]

    def _free_inputs(self, role: str) -> list[Way]:
        """Into the first input of a role that the selection has and that nothing feeds: where it combines several, or
        passes on what comes in."""
        if not self.beside or not self.beside_spec:
            return []
        ports = [x for x in self.beside_spec.inputs if x.role == role and (role != "gate" or x.starts)]
        combines = len(ports) > 1 or any(x.id == self.beside_spec.passes for x in ports)
        free = [x for x in ports if not self.before.links_into(self.beside.id, x.id)]
        return [partial(self._feed, free[0])] if combines and free else []

    def _feed(self, port: Input) -> None:
        assert self.beside is not None
        self._link(self._out, Place(self.beside.id, port.id))
        self._told.append(tr("into {name} of {name_2}", name=inline(port.name), name_2=self.beside.name))

    def _values(self) -> list[Place]:
        """The selection's values that can be moved: the selected or main one, then the others."""
        if not self.beside or not self.beside_spec:
            return []
        main = self.port or self.beside_spec.face
        params = [x for x in self.beside_spec.params if self.beside_spec.target(x.id) and not x.choices]
        shown = [x.id for x in params if x.id == main or self.beside_spec.counts(x, self.beside.params)]
        return [Place(self.beside.id, name) for name in sorted(shown, key=lambda name: name != main)]

    def _move_value(self, value: Place) -> None:
        target = self.beside_spec.target(value.port) if self.beside_spec else None
        assert isinstance(target, Param)
        self._link(self._out, value)
        self._told.append(tr("moves {name} of {name_2}", name=inline(target.name), name_2=self._name(value.module)))

    def _between(self, moved: Sequence[Link]) -> None:
        """Between a value and what moves it: the amounts stay at the value."""
        for link in moved:
            self._link(link.source, Place(self.module.id, self.spec.passes), 1.0)
        self.patch = self.patch.with_link(replace(moved[0], source=self._out.inner))
        for link in moved[1:]:
            self.patch = self.patch.without_link(link.id)
        names = ", ".join(self._name(link.source.module) for link in moved)
        self._told.append(tr("between {names} and {name}", names=names, name=self._name(moved[0].target.module)))

    def _amplifiers(self) -> list[Module | None]:
        """The amplifier that an envelope opens: the selected one, or the layer's first that no envelope moves; None
        for a new one at the layer's end."""
        if self.beside and self.beside.type == "amplifier":
            return [self.beside]
        own = [m for m in self.before.layer(self.layer_id).modules if m.type == "amplifier"]
        free: list[Module | None] = [m for m in own if not self.before.links_into(m.id, "gain")]
        return free[:1] or ([None] if self.end else [])

    def _open(self, amplifiers: Sequence[Module | None]) -> None:
        opened = amplifiers[0]
        if opened is None:
            name = free_module_name(self.patch, tr("Amplifier"))
            opened = Module(self.patch.free_id("amplifier"), "amplifier", name, {"gain": 0.0})
            self.patch = self.patch.with_new_module(self.layer_id, opened)
            self._lead(self.before.links_into(self.end, "audio"), Place(opened.id, "audio"))
            self._link(Place(opened.id, "out"), Place(self.end, "audio"))
        else:
            self.patch = self.patch.with_param(opened.id, "gain", 0.0)
        self._link(self._out, Place(opened.id, "gain"), 1.0)
        self._told.append(tr("opens {name}", name=opened.name))
