"""The module guide as text, from the declarations."""

from __future__ import annotations

from dunefall.catalogue import catalogue
from dunefall.catalogue.declare import STAGES, Input, ModuleSpec, Output, Param, Series

__all__ = ["guide_pages"]

STAGE_SAYS = {
    "time": "when things happen",
    "motion": "what moves other things",
    "pitch": "which notes",
    "source": "what sounds",
    "shape": "what a sound goes through",
    "space": "where it is heard",
}

PICTURES = {
    "response": "Level over frequency",
    "spectrum": "Partials over frequency",
    "wave": "Twenty milliseconds",
    "course": "Four seconds",
}


def guide_pages() -> dict[str, str]:
    """Markdown by file name: an index and a page for each stage that has modules. Pictures are looked for in
    ``pictures/<id>.svg``."""
    specs = sorted(catalogue().values(), key=lambda spec: spec.name)
    stages = [stage for stage in STAGES if any(spec.stage == stage for spec in specs)]
    index = [
        "# Modules",
        "",
        f"All {len(specs)} modules, made from their declarations by `scripts/make_module_guide.py`.",
    ]
    pages = {}
    for stage in stages:
        title = f"{stage.capitalize()}: {STAGE_SAYS[stage]}"
        mine = [spec for spec in specs if spec.stage == stage]
        index += ["", f"## [{title}]({stage}.md)", ""]
        index += [f"- **[{spec.name}]({stage}.md#{_anchor(spec.name)})**: {spec.sentence}" for spec in mine]
        pages[f"{stage}.md"] = "\n\n".join([f"# {title}", *(_module(spec) for spec in mine)]) + "\n"
    return {"README.md": "\n".join(index) + "\n", **pages}


def _anchor(name: str) -> str:
    return "".join(letter for letter in name.lower().replace(" ", "-") if letter.isalnum() or letter == "-")


def _module(spec: ModuleSpec) -> str:
    parts = [f"## {spec.name}", spec.sentence, f"![{PICTURES[spec.shows_as]}](pictures/{spec.id}.svg)"]
    if spec.inputs:
        parts.append("\n".join(["**Takes**", "", *(_input(port) for port in spec.inputs)]))
    set_here = [param for param in spec.params if not param.follows]
    if set_here:
        rows = ["| parameter | from | to | default | what it does |", "|---|---|---|---|---|"]
        parts.append("\n".join(rows + [_param(param) for param in set_here]))
    if spec.series:
        parts.append("\n".join(["**Is drawn**", "", *(_series(series) for series in spec.series)]))
    parts.append("\n".join(["**Gives**", "", *(_output(port, spec) for port in spec.outputs)]))
    if spec.presets:
        parts.append("\n".join(["**Presets**", "", *(f"- {x.name}: {x.sentence}" for x in spec.presets)]))
    parts.append(f"*Method: {'; '.join(spec.sources)}.*")
    return "\n\n".join(parts)


def _input(port: Input) -> str:
    both = ", both channels" if port.stereo else ""
    return f"- {port.name} ({port.role}{both}){': ' + port.help if port.help else ''}"


def _series(series: Series) -> str:
    count = f"{series.least} to {series.most}" if series.least < series.most else f"{series.most}"
    span = "one of " + ", ".join(series.choices) if series.choices else ""
    span = span or f"{series.format(series.low)} to {series.format(series.high)}"
    return f"- {series.name} ({count} numbers, {span}): {series.help}"


def _output(port: Output, spec: ModuleSpec) -> str:
    span = f", {port.low:g} to {port.high:g}" if port.role == "control" else ""
    wide = ""
    if port.stereo:
        wide = f", stereo while {spec.param(port.width).name} is not 0" if port.width else ", both channels"
    return f"- {port.name} ({port.role}{span}{wide})".replace("-1", "−1")


def _param(param: Param) -> str:
    span = (", ".join(param.choices), "") if param.choices else (param.format(param.low), param.format(param.high))
    return f"| {param.name} | {span[0]} | {span[1]} | {param.format(param.default)} | {param.help} |"
