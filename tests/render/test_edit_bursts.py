"""Many edits in quick order: nothing gets louder than what is there, and all ends where it should."""

from __future__ import annotations

import random
from dataclasses import replace

import numpy as np
import pytest

from dunefall.compiler.build import compile_patch
from dunefall.compiler.changes import same_structure
from dunefall.compiler.records import QUANTUM, RAMP_S
from dunefall.compiler.takeover import Takeover
from dunefall.patch.library import DEMO
from dunefall.patch.mixing import mixed_layers, with_key, with_moved_layer
from dunefall.patch.model import Layer, Link, Module, Patch, Place
from dunefall.render.player import NOW, Player, Step, glide
from dunefall.session import open_patch
from rig import RATE


class Edited:
    """A sounding patch that is edited as the engine does it."""

    def __init__(self, patch: Patch) -> None:
        self.patch, self.latest = patch, compile_patch(patch, rate=RATE)
        self.player = Player(self.latest)

    def edit(self, patch: Patch, *, anew: bool = False) -> None:
        before, self.patch = self.patch, patch
        if same_structure(before, patch) and not anew:
            self.player.steps.append(Step(NOW, glide(before, patch)))
            return
        program = compile_patch(patch, rate=RATE)
        takeover, self.latest = Takeover(program, self.latest), program
        self.player.steps.append(Step(NOW, lambda player: player.swap(program, None, takeover), structural=True))

    def hear(self, quantums: int) -> np.ndarray:
        out = np.zeros((quantums * QUANTUM, 2))
        self.player.fill(out)
        return out


def test_a_value_that_has_glided_into_a_new_program_stays_there() -> None:
    """A glide that ends with a quantum once left its module reading a row that other modules write."""
    layers = []
    links = []
    for k in range(4):
        layer = Layer(f"l{k}", f"L{k}")
        tone = Module(f"tone-{k}", "oscillator", "T", {"pitch_note": 45.0 + k, "level": 0.1, "shape": 0.0})
        layers.append(replace(layer, modules=(tone, Module(layer.output_id, "output", "O", {"mute": 1.0 * (k < 2)}))))
        links.append(Link(f"x{k}", Place(tone.id, "out"), Place(layer.output_id, "audio")))
    before = Patch(layers=(Layer("shared", "Shared"), *layers), links=tuple(links))
    after = before
    for k in range(4):
        after = after.with_param(f"l{k}-output", "mute", 0.0).with_param(f"l{k}-output", "level_db", -6.0 + k)
    after = with_moved_layer(after, "l2", -1).with_link(
        Link("y", Place("tone-0", "out"), Place("tone-1", "fine_ct"), 0.0)
    )
    edited = Edited(before)
    edited.hear(40)
    edited.edit(after)
    edited.hear(round(RAMP_S * RATE / QUANTUM) + 40)
    settled = Player(compile_patch(after, rate=RATE))
    reference = np.zeros((400 * QUANTUM, 2))
    settled.fill(reference)
    heard = edited.hear(400)
    assert np.abs(heard).max() < 1.2 * np.abs(reference[100 * QUANTUM :]).max()
    program = edited.player.program
    plan, pools = program.plan, program.memory.bases["pool"]
    for module in plan.modules:
        for i in range(module["input_first"], module["input_last"]):
            if plan.inputs[i]["link_first"] == plan.inputs[i]["link_last"]:
                assert plan.ports[module["port_first"] + i - module["input_first"]] == pools[i]


@pytest.mark.parametrize("seed", range(4))
def test_bursts_of_edits_never_get_louder_than_the_patch(seed: int) -> None:
    demo = open_patch(DEMO)[0]
    names, chance = [layer.id for layer in mixed_layers(demo)], random.Random(seed)
    edited, loudest = Edited(demo), 0.0
    edited.hear(300)
    for _ in range(30):
        name, patch = chance.choice(names), edited.patch
        output, what = f"{name}-output", chance.randrange(6)
        if what == 0:
            edited.edit(patch.with_param(output, "mute", float(chance.random() < 0.5)))
        elif what == 1:
            edited.edit(patch.with_param(output, "solo", float(chance.choice((0, 1, 2)))))
        elif what == 2:
            edited.edit(with_key(patch, patch.layer(name), None))
        elif what == 3:
            edited.edit(with_moved_layer(patch, name, chance.choice((-1, 1))))
        elif what == 4:
            edited.edit(patch, anew=True)
        else:
            edited.edit(demo)
        loudest = max(loudest, float(np.abs(edited.hear(chance.choice((1, 1, 2, 8, 60)))).max()))
    assert loudest < 2.0, "the demo itself peaks at about 0.5"
