"""Draws docs/structure.svg from the imports: every folder a box, the layers from top to bottom, an arrow for imports.

Called as `python scripts/draw_structure.py`; a test holds the picture against the code.
"""

from __future__ import annotations

import ast
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "dunefall"
PICTURE = ROOT / "docs" / "structure.svg"
ROWS = (
    ("app/shell", "cli"), ("app/workspaces",), ("app/inspector", "app/watch"), ("app/editing", "app/listening"),
    ("app/model", "app/controls"), ("session",), ("engine", "render"), ("compiler",), ("catalogue", "analysis"),
    ("dsp", "patch"), ("base",),
)  # fmt: skip
"""Each row may import from the rows below it."""
WIDTH, BOX_W, BOX_H, GAP_Y = 760, 190, 44, 30
INK, PAPER, LINE = "#2B2420", "#FBF6EC", "#8A7B6B"


def part_of(name: str) -> str:
    """The box in which a module stands."""
    parts = name.split(".")[1:]
    return "/".join(parts[:2]) if parts[0] == "app" and len(parts) > 1 else parts[0]


def links() -> Counter[tuple[str, str]]:
    """How often each box imports from each other one."""
    found: Counter[tuple[str, str]] = Counter()
    for file in SOURCE.rglob("*.py"):
        here = part_of(".".join(("dunefall", *file.relative_to(SOURCE).with_suffix("").parts)))
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("dunefall."):
                found[here, part_of(node.module)] += 1
    return found


def places() -> dict[str, tuple[int, int]]:
    """The upper left corner of each box."""
    found = {}
    for k, row in enumerate(ROWS):
        first = (WIDTH - len(row) * BOX_W - (len(row) - 1) * 60) // 2
        found |= {name: (first + j * (BOX_W + 60), 16 + k * (BOX_H + GAP_Y)) for j, name in enumerate(row)}
    return found


def drawn() -> str:
    """The picture as SVG."""
    at, counts = places(), links()
    height = 16 + len(ROWS) * (BOX_H + GAP_Y)
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {height}" font-family="IBM Plex Sans">',
        f'<rect width="{WIDTH}" height="{height}" fill="{PAPER}"/>',
    ]
    for (here, there), count in sorted(counts.items()):
        if here in at and there in at and at[here][1] < at[there][1]:
            (x0, y0), (x1, y1) = at[here], at[there]
            far = (y1 - y0) > BOX_H + GAP_Y
            bow = (-1 if x0 <= x1 else 1) * 150 if far else 0
            start, end = (x0 + BOX_W // 2, y0 + BOX_H), (x1 + BOX_W // 2, y1)
            middle = ((start[0] + end[0]) // 2 + bow, (start[1] + end[1]) // 2)
            width = min(0.5 + count / 25, 4)
            lines.append(
                f'<path d="M{start[0]} {start[1]} Q{middle[0]} {middle[1]} {end[0]} {end[1]}" fill="none" '
                f'stroke="{LINE}" stroke-width="{width:.1f}" opacity="0.45"/>'
            )
    for name, (x, y) in at.items():
        files = len([*(SOURCE / name).rglob("*.py")]) or 1
        lines += [
            f'<rect x="{x}" y="{y}" width="{BOX_W}" height="{BOX_H}" rx="6" fill="white" stroke="{INK}"/>',
            f'<text x="{x + 12}" y="{y + 27}" fill="{INK}" font-size="15" font-weight="600">{name}</text>',
            f'<text x="{x + BOX_W - 12}" y="{y + 27}" fill="{LINE}" font-size="12" text-anchor="end">{files}</text>',
        ]
    return "\n".join([*lines, "</svg>", ""])


if __name__ == "__main__":
    PICTURE.write_text(drawn())
