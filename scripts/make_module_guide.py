"""Writes docs/modules/: the guide from the declarations, and a picture of each module's effect made by the module.

Called as `.venv/bin/python scripts/make_module_guide.py`.
"""

from __future__ import annotations

import json
import os
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

os.environ["DUNEFALL_LANGUAGE"] = "en"  # whatever the desktop speaks

from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import ModuleSpec
from dunefall.catalogue.guide import guide_pages
from dunefall.patch.files import load_patch
from dunefall.patch.library import DATA, starters
from dunefall.patch.userlibrary import TinyPicture
from dunefall.render.offline import render_to_array
from dunefall.render.portrait import Portrait, portrait

FOLDER = Path(__file__).parent.parent / "docs" / "modules"
WIDTH, HEIGHT, MARGIN = 640, 132, 18
INKS = ("#b4531a", "#1f7a70", "#5b4a9e", "#8a6d3b")
THUMBNAILS, THUMB_SECONDS, MOST_TICKS = DATA / "thumbnails.json", 12.0, 8
TOP_DB, BOTTOM_DB = 24.0, -60.0
EXAMPLES = {
    "equaliser": {"low_db": 9.0, "a_db": -12.0, "a_q": 2.0, "b_db": 6.0, "high_db": -9.0},
    "low-pass-gate": {"opening": 0.6},
}
"""Where the defaults would show nothing."""


def main() -> None:
    """All pages and pictures."""
    (FOLDER / "pictures").mkdir(parents=True, exist_ok=True)
    for name, text in guide_pages().items():
        (FOLDER / name).write_text(text)
    for spec in catalogue().values():
        (FOLDER / "pictures" / f"{spec.id}.svg").write_text(picture(spec, portrait(spec, EXAMPLES.get(spec.id))))
    write_thumbnails()


def write_thumbnails() -> None:
    """The tiny pictures of the palette: for each module its first curve, for each starter its first seconds."""
    made: dict[str, dict[str, object]] = {}
    for spec in catalogue().values():
        seen = portrait(spec, EXAMPLES.get(spec.id))
        first = next(iter(seen.curves.values()))
        if spec.outputs[0].role == "gate":
            first = first[: _end_of_ticks(first)]
        made[spec.id] = thumbnail(spec.outputs[0].role, first, *_span(seen))
    for name, path in starters().items():
        sound = render_to_array(load_patch(path), seconds=THUMB_SECONDS, rate=24000.0)[:, 0]
        most = max(float(np.abs(sound).max()), 1e-6)
        made[name] = thumbnail("audio", sound, -most, most)
    lines = ",\n".join(f"{json.dumps(name)}: {json.dumps(thumb)}" for name, thumb in made.items())
    THUMBNAILS.write_text(f"{{\n{lines}\n}}\n")


def _end_of_ticks(gate: NDArray[np.float64]) -> int:
    """Where as many ticks as can be told apart in a tiny picture have gone by."""
    rises = np.flatnonzero(np.diff(gate) > 0.5)
    return int(rises[MOST_TICKS]) if len(rises) > MOST_TICKS else len(gate)


def thumbnail(role: str, values: NDArray[np.float64], low: float, high: float) -> dict[str, object]:
    """A curve's tiny picture, as it stands in the file."""
    return TinyPicture.drawn(role, np.stack([values, values], axis=1), low, high)._asdict()


def picture(spec: ModuleSpec, seen: Portrait) -> str:
    """An SVG of the curves, each in an ink of its own, with their names."""
    low, high = _span(seen)
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{HEIGHT}" font-family="sans-serif" '
        f'font-size="11"><rect width="{WIDTH}" height="{HEIGHT}" fill="#fbf6ea"/>'
    ]
    middle = _down(0.0, low, high)
    lines.append(f'<path d="M0 {middle:.1f}H{WIDTH}" stroke="#d9cdb8"/>')
    for k, (port, values) in enumerate(seen.curves.items()):
        ink, name = INKS[k % len(INKS)], next(output.name for output in spec.outputs if output.id == port)
        lines.append(f'<path d="{_stroke(values, low, high)}" fill="none" stroke="{ink}" stroke-width="1.3"/>')
        lines.append(f'<text x="{8 + 90 * k}" y="13" fill="{ink}">{name}</text>')
    over_hz = ("20 Hz", "20 kHz, +24 to −60 dB")
    ends = {"response": over_hz, "spectrum": over_hz, "wave": ("0", "20 ms"), "course": ("0", "4 s")}[seen.kind]
    for place, anchor, text in ((4, "start", ends[0]), (WIDTH - 4, "end", ends[1])):
        lines.append(f'<text x="{place}" y="{HEIGHT - 4}" text-anchor="{anchor}" fill="#6b6152">{text}</text>')
    return "\n".join([*lines, "</svg>"]) + "\n"


def _span(seen: Portrait) -> tuple[float, float]:
    if seen.kind in ("response", "spectrum"):
        return BOTTOM_DB, TOP_DB
    values = np.concatenate(list(seen.curves.values()))
    low, high = min(float(values.min()), 0.0), max(float(values.max()), 0.0)
    return (low, high) if high > low else (-1.0, 1.0)


def _down(value: float, low: float, high: float) -> float:
    share = (min(max(value, low), high) - low) / (high - low)
    return HEIGHT - MARGIN - share * (HEIGHT - 2 * MARGIN)


def _stroke(values: NDArray[np.float64], low: float, high: float) -> str:
    """Lowest and highest value of each column, as a path."""
    points = []
    for x in range(WIDTH):
        column = values[x * len(values) // WIDTH : max((x + 1) * len(values) // WIDTH, x * len(values) // WIDTH + 1)]
        points.append((x, float(column.min())))
        if column.max() > column.min():
            points.append((x, float(column.max())))
    return "M" + "L".join(f"{x} {_down(value, low, high):.1f}" for x, value in points)


if __name__ == "__main__":
    main()
