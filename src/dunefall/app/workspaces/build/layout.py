"""Where lanes and cards go: worked out from the patch alone, so that nobody has to drag boxes about.

The audio path is the lane's first row, in signal order from left to right, and ends in the last column that is seen;
what moves it fills the columns left of it, then the rows below, in the order of the stages. A longer path begins
further left; one that is longer than all columns runs on to the right.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import STAGES
from dunefall.catalogue.paths import sound_path
from dunefall.patch.compounds import modules_in
from dunefall.patch.model import SHARED_ID, Layer, Link, Module, Patch

__all__ = [
    "CARD_H",
    "CARD_W",
    "HEAD_W",
    "PITCH",
    "SOUNDS_FROM",
    "CardBox",
    "KeptGrid",
    "LaneBox",
    "Layout",
    "Mat",
    "is_delayed",
    "lay_out",
]

MARGIN, HEAD_W, CARDS_X, PITCH, CARD_W, CARD_H, GUTTER = 8, 150, 168, 128, 112, 64, 16
ROW_H, LANE_GAP, FOLDED_H, HEADINGS_H = 72, 8, 32, 24
LABEL_W, LABEL_H = 120, 16
SOUNDS_FROM = STAGES.index("source")
"""The column in which a path that is short enough begins."""


@dataclass(frozen=True)
class CardBox:
    """A card's place on the canvas in px, with its grid place in the lane."""

    module: str
    x: int
    y: int
    column: int
    row: int


@dataclass(frozen=True)
class Mat:
    """The area below the cards of an opened compound: the cards, how deep it is nested, and the place of its name."""

    compound: str
    cards: tuple[CardBox, ...]
    depth: int
    x: int
    y: int


@dataclass(frozen=True)
class LaneBox:
    """A lane's box, its cards, the cards that its sound flows through, in order, and the areas below cards."""

    layer: str
    y: int
    height: int
    cards: tuple[CardBox, ...]
    ribbon: tuple[str, ...]
    mats: tuple[Mat, ...] = ()


@dataclass(frozen=True)
class Layout:
    """The whole canvas; ``delayed`` keeps for pairs of cards that were asked about whether a link between them is."""

    lanes: tuple[LaneBox, ...]
    headings_y: int
    width: int
    height: int
    cards: dict[str, CardBox] = field(default_factory=dict)
    delayed: dict[tuple[str, str], bool] = field(default_factory=dict, compare=False)


Grid = tuple[dict[str, tuple[int, int]], tuple[str, ...]]
"""Column and row of each card, and the cards of the ribbon in order."""
KeptGrid = tuple[Layer, tuple[Link, ...], Grid]


def lay_out(patch: Patch, kept: dict[str, KeptGrid] | None = None) -> Layout:
    """Place all lanes and cards of a patch; ``kept`` holds what was worked out before, for layers that stayed."""
    kept = {} if kept is None else kept
    lanes, y, headings = [], MARGIN, 0
    compounds = _opened(patch)
    for layer in patch.layers:
        known = kept.get(layer.id)
        if known is None or known[0] is not layer or known[1] is not patch.links:
            made = _shared_grid(layer) if layer.id == SHARED_ID else _layer_grid(patch, layer)
            known = kept[layer.id] = (layer, patch.links, made)
        grid, ribbon = known[2]
        rows = 1 + max((row for _, row in grid.values()), default=0)
        opened = {name: cards for name, cards in compounds.items() if cards & set(grid)}
        low = rows == 1 and not opened
        height = FOLDED_H if layer.folded else (80 if low else 24 + ROW_H * rows)
        top = y + (8 if low else 20)
        cards = tuple(
            CardBox(module, CARDS_X + column * PITCH, top + row * ROW_H, column, row)
            for module, (column, row) in grid.items()
        )
        mats = () if layer.folded else _mats(opened, cards, y + 3)
        lanes.append(LaneBox(layer.id, y, height, () if layer.folded else cards, ribbon, mats))
        y += height + LANE_GAP
        if layer.id == SHARED_ID:
            headings, y = y - 4, y + HEADINGS_H - 4
    cards_by_id = {card.module: card for lane in lanes for card in lane.cards}
    right = max((card.x + CARD_W for card in cards_by_id.values()), default=0)
    add = max((len(lane.cards) for lane in lanes if lane.layer == SHARED_ID), default=0)
    width = max(CARDS_X + len(STAGES) * PITCH - GUTTER + 8, right + 8, CARDS_X + (add + 1) * PITCH - 4)
    return Layout(tuple(lanes), headings, width, y + (100 if len(lanes) == 1 else 40), cards_by_id)


def _opened(patch: Patch) -> dict[str, set[str]]:
    """The cards of each compound of which some are there: those that are opened."""
    there = {module.id for module in patch.modules()} if patch.compounds else set()
    found = {
        compound.id: (set(modules_in(patch, (compound.id,))) | set(compound.parts)) & there
        for compound in patch.compounds
    }
    found = {name: cards for name, cards in found.items() if cards and name not in there}
    nested = {x.id: [part for part in x.parts if part in found] for x in patch.compounds if x.id in found}
    for name in sorted(found, key=lambda name: len(found[name])):
        for part in nested[name]:
            found[name] |= found[part]
    return found


def _mats(opened: dict[str, set[str]], cards: tuple[CardBox, ...], y: int) -> tuple[Mat, ...]:
    """Their names sit side by side along the lane's upper edge, each over its first card if there is room."""
    mats: list[Mat] = []
    firsts = {name: min((c for c in cards if c.module in own), key=lambda c: c.x) for name, own in opened.items()}
    free = 0
    for name in sorted(opened, key=lambda name: (firsts[name].x, -len(opened[name]))):
        own, x = opened[name], max(firsts[name].x, free)
        depth = sum(own < other for other in opened.values())
        mats.append(Mat(name, tuple(card for card in cards if card.module in own), depth, x, y))
        free = x + LABEL_W + 8
    return tuple(sorted(mats, key=lambda mat: mat.depth))


def is_delayed(patch: Patch, source: str, target: str) -> bool:
    """Whether a link runs against the order of the patch within a loop: it is drawn as feedback."""
    order = [module.id for module in patch.modules()]
    if order.index(source) < order.index(target):
        return False
    after: dict[str, set[str]] = {}
    for link in patch.links:
        if link.on:
            after.setdefault(link.source.module, set()).add(link.target.module)
    reached, todo = set(), [target]
    while todo:
        module = todo.pop()
        if module not in reached:
            reached.add(module)
            todo += after.get(module, ())
    return source in reached


def _shared_grid(layer: Layer) -> Grid:
    return {module.id: (column, 0) for column, module in enumerate(layer.modules)}, ()


def _layer_grid(patch: Patch, layer: Layer) -> Grid:
    """The audio path by its depth, then what moves it, packed."""
    shown = [module for module in layer.modules if module.id != layer.output_id]
    depths = sound_path(patch, layer)
    longest = 1 + max(depths.values(), default=-1)
    start = max(0, min(SOUNDS_FROM, len(STAGES) - longest))
    grid: dict[str, tuple[int, int]] = {}
    for name, depth in depths.items():
        _put(grid, name, start + depth)
    ribbon = sorted((name for name in depths if grid[name][1] == 0), key=lambda name: grid[name][0])
    rest = [module for module in shown if module.id not in depths]
    for module in sorted(rest, key=_stage):
        if _stage(module) >= SOUNDS_FROM:
            _put(grid, module.id, min(start + _stage(module) - SOUNDS_FROM, len(STAGES) - 1))
        else:
            _pack(grid, module.id, start)
    return grid, tuple(ribbon)


def _pack(grid: dict[str, tuple[int, int]], module: str, start: int) -> None:
    """Into the first free place: left of the audio path, then in the rows below."""
    taken, row = set(grid.values()), 0
    while True:
        for column in range(start if row == 0 else len(STAGES)):
            if (column, row) not in taken:
                grid[module] = (column, row)
                return
        row += 1


def _put(grid: dict[str, tuple[int, int]], module: str, column: int) -> None:
    taken = set(grid.values())
    row = 0
    while (column, row) in taken:
        row += 1
    grid[module] = (column, row)


def _stage(module: Module) -> int:
    spec = spec_for(module)
    return STAGES.index(spec.stage) if spec else 0
