"""Broken files, made from whole ones: JSON by its structure and by what modules declare, everything by its bytes.

All chance comes from a `random.Random`: the same seed makes the same file.
"""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from typing import Any, TypeAlias

from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import ModuleSpec

__all__ = ["broken_bytes", "broken_json", "broken_text"]

Dice: TypeAlias = random.Random
Node: TypeAlias = Any
EDGES = (b"\xff\xff\xff\xff", b"\x00\x00\x00\x00", b"\x7f\xff\xff\xff", b"\x80\x00\x00\x00")
LINES = (
    "²", "٣", "1/0", "-1.", ".", "9" * 5000, "1e9", "nan", "!x", "", "3/2 x", "\x00", "700.0 cents", "0x10",
)  # fmt: skip
SPECS = tuple(catalogue().values())
ODD: tuple[Node, ...] = (
    None, True, False, 0, 1, -1, 2, 3, 64, 65, 2**31, 2**53, 2**64, -(2**63), 10**400, 0.0, -0.0, 0.5, 1e-320, 1e-9,
    1e9, 1e30, 1.7e308, -1e300, "", " ", ".", "..", "a.b", "a.b.c", "#", "\ud800", "\x00", "\n", "\u202e", "ä",
    "\U0001f30a", "x" * 61, "y" * 20_000, "clock", "output", "master", "shared", "../../etc/passwd", "/dev/zero", [],
    {}, [[]], [0] * 5000, {"": ""}, [None], ["a"], [1, 2, 3],
)  # fmt: skip


def broken_bytes(data: bytes, dice: Dice) -> bytes:
    """A file with some of its bytes changed, taken out, doubled or cut off."""
    made = bytearray(data)
    for _ in range(1 << dice.randrange(4)):
        if not made:
            break
        at, many = dice.randrange(len(made)), 1 << dice.randrange(8)
        way = dice.randrange(6)
        if way == 0:
            made[at] ^= 1 << dice.randrange(8)
        elif way == 1:
            made[at : at + many] = bytes(dice.randrange(256) for _ in range(many))
        elif way == 2:
            del made[at : at + many]
        elif way == 3:
            made[at:at] = made[at : at + many]
        elif way == 4:
            made[at : at + 4] = dice.choice(EDGES)
        else:
            del made[at:]
    return bytes(made)


def broken_text(text: str, dice: Dice) -> bytes:
    """A text with lines and numbers of it changed."""
    lines = text.splitlines()
    for _ in range(1 << dice.randrange(3)):
        at = dice.randrange(len(lines) + 1)
        what = dice.choice(LINES)
        if dice.random() < 0.5 or at == len(lines):
            lines.insert(at, what)
        else:
            lines[at] = what
    made = "\n".join(lines).encode("utf-8", errors="replace")
    return broken_bytes(made, dice) if dice.random() < 0.3 else made


def broken_json(raw: Node, dice: Dice) -> bytes:
    """A file whose objects, lists and values are changed in some places; now and then in its bytes as well."""
    made = json.loads(json.dumps(raw))
    for _ in range(1 << dice.randrange(4)):
        dice.choice(_WAYS)(made, dice)
    data = json.dumps(made).encode("ascii")
    return broken_bytes(data, dice) if dice.random() < 0.08 else data


def _nodes(raw: Node, kind: type) -> list[Node]:
    found, todo = [], [raw]
    while todo:
        node = todo.pop()
        if isinstance(node, kind):
            found.append(node)
        if isinstance(node, dict):
            todo += node.values()
        elif isinstance(node, list) and len(node) < 300:
            todo += node
    return found


def _odd_one(dice: Dice) -> Node:
    return json.loads(json.dumps(dice.choice(ODD)))


def _odd(raw: Node, dice: Dice) -> None:
    """Any field or item becomes something odd."""
    node = dice.choice(_nodes(raw, dict) + _nodes(raw, list))
    if node:
        key = dice.choice(list(node)) if isinstance(node, dict) else dice.randrange(len(node))
        node[key] = _odd_one(dice)


def _gone(raw: Node, dice: Dice) -> None:
    node = dice.choice(_nodes(raw, dict) + _nodes(raw, list))
    if node:
        del node[dice.choice(list(node)) if isinstance(node, dict) else dice.randrange(len(node))]


def _twice(raw: Node, dice: Dice) -> None:
    node = dice.choice(_nodes(raw, list) or [[0]])
    if node:
        node.insert(dice.randrange(len(node) + 1), json.loads(json.dumps(dice.choice(node))))


def _new_field(raw: Node, dice: Dice) -> None:
    name = dice.choice(("x", "kind", "params", "series", "sound", "extra", "\ud800", ""))
    dice.choice(_nodes(raw, dict) or [{}])[name] = _odd_one(dice)


def _swapped(raw: Node, dice: Dice) -> None:
    nodes = [node for node in _nodes(raw, dict) if node]
    if nodes:
        a, b = dice.choice(nodes), dice.choice(nodes)
        i, j = dice.choice(list(a)), dice.choice(list(b))
        a[i], b[j] = json.loads(json.dumps(b[j])), json.loads(json.dumps(a[i]))


def _modules(raw: Node) -> list[Node]:
    return [node for node in _nodes(raw, dict) if isinstance(node.get("type"), str) and "id" in node]


def _spec(module: Node, dice: Dice) -> ModuleSpec:
    return next((spec for spec in SPECS if spec.id == module.get("type")), dice.choice(SPECS))


def _other_kind(raw: Node, dice: Dice) -> None:
    """Another type of module under the same links."""
    for module in dice.sample(found := _modules(raw), min(1, len(found))):
        module["type"] = dice.choice(SPECS).id


def _values(raw: Node, dice: Dice) -> None:
    """Values that the declaration knows, anywhere in their range, at its ends or beyond."""
    for module in dice.sample(found := _modules(raw), min(1, len(found))):
        spec, params = _spec(module, dice), module.setdefault("params", {})
        for param in dice.sample(spec.params, min(len(spec.params), 3)):
            if isinstance(params, dict):
                span = param.high - param.low
                params[param.id] = dice.choice(
                    (param.low, param.high, param.low + dice.random() * span, param.high + span, param.low - 1.0, 0.0)
                )


def _drawn(raw: Node, dice: Dice) -> None:
    """Series of any length."""
    for module in dice.sample(found := _modules(raw), min(1, len(found))):
        spec = _spec(module, dice)
        if spec.series and isinstance(drawn := module.setdefault("series", {}), dict):
            series = dice.choice(spec.series)
            many = dice.choice((0, 1, 2, series.most, series.most + 1, 64))
            drawn[series.id] = [series.low + dice.random() * (series.high - series.low) for _ in range(many)]


def _led_elsewhere(raw: Node, dice: Dice) -> None:
    """A link from or to any port of any module."""
    links = [node for node in _nodes(raw, dict) if isinstance(node.get("from"), str) and "to" in node]
    modules = _modules(raw)
    if not links or not modules:
        return
    link, module = dice.choice(links), dice.choice(modules)
    spec = _spec(module, dice)
    if dice.random() < 0.5:
        link["from"] = f"{module['id']}.{dice.choice(spec.outputs).id}"
    elif spec.targets:
        link["to"] = f"{module['id']}.{dice.choice(spec.targets).id}"
    link["amount"] = dice.choice((1.0, -1.0, 0.0, 1e6, 1e-6, dice.uniform(-100, 100)))


def _layers(raw: Node, dice: Dice) -> None:
    """Voices, the place where they meet, layouts, the tempo."""
    if isinstance(raw, dict):
        raw["layout"] = dice.choice(("stereo", "quad", "5.1", "7.1"))
        raw["tempo_bpm"] = dice.choice((10, 400, 92.5, 9.99, 1e9))
    for layer in dice.sample(found := [x for x in _nodes(raw, dict) if "modules" in x], min(1, len(found))):
        layer["voices"], layer["spread"] = dice.choice((1, 2, 4, 8, 9, 0)), dice.choice((0.0, 0.5, 1.0, 2.0))
        layer["id"] = dice.choice((layer.get("id"), "shared", "master", "a"))


_WAYS: tuple[Callable[[Node, Dice], None], ...] = (
    _odd, _odd, _gone, _twice, _new_field, _swapped, _other_kind, _values, _values, _drawn, _led_elsewhere,
    _led_elsewhere, _layers,
)  # fmt: skip
