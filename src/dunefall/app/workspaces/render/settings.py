"""The settings of a job: only those that matter for what is chosen, each with the control that fits it."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

from PySide6.QtCore import QStandardPaths, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.rail import Rail
from dunefall.app.controls.replacing import replace_content
from dunefall.app.controls.theme import Theme, numerals, sans
from dunefall.app.model.context import Context
from dunefall.base.errors import DunefallError, ParameterError
from dunefall.base.language import tr
from dunefall.base.layouts import LAYOUTS
from dunefall.base.units import format_value
from dunefall.catalogue import spec_of
from dunefall.catalogue.declare import Param
from dunefall.deliver.job import RATES_HZ, Job, Source, settings
from dunefall.deliver.plan import preview
from dunefall.patch.mixing import mixed_layers
from dunefall.patch.model import Patch

__all__ = ["JobSettings", "event_modules", "usual_folder"]

WHAT = (
    ("mix", tr("Whole mix")),
    ("layer", tr("One layer")),
    ("stems", tr("Stems: layers apart")),
    ("hits", tr("Single hits")),
)
OF = (
    ("patch", tr("The patch, from its start")), ("take", tr("The take, as you played it")),
    ("range", tr("A range of the take")), ("last", tr("What you just heard")),
)  # fmt: skip
EFFECTS = (
    ("with", tr("With effect lanes")),
    ("apart", tr("Effect lanes apart")),
    ("without", tr("Without effect lanes")),
)
ENDS = (("cut", tr("At this length")), ("silence", tr("At silence")), ("loop", tr("Seamless loop")))
LOOPS = (
    ("best", tr("The best way")),
    ("period", tr("By its period")),
    ("fold", tr("Tail over start")),
    ("crossfade", tr("Crossfade")),
)
LOUDNESS = (("as it is", tr("As it is")), ("each file", tr("Each file at")), ("whole set", tr("Whole set at")))
EXISTING = (("ask", tr("Ask")), ("replace", tr("Replace")), ("number", tr("Number on")), ("skip", tr("Skip")))
FORMATS = (("wav", "WAV"), ("flac", "FLAC"), ("ogg", tr("Ogg")), ("opus", tr("Opus")))
DEPTHS = (("16", tr("16 bit")), ("24", tr("24 bit")), ("32f", tr("32 bit float")))
EVENTS = (("none", tr("None")), ("mid", tr("As MIDI")), ("csv", tr("As a table")))
LAYOUTS_SHOWN = (("patch", tr("As the patch")), ("mono", tr("Mono")), *((x.id, x.name) for x in LAYOUTS))
RAIL_RANGES = {"seconds": (0.1, 3600.0), "fade_in_s": (0.0, 10.0), "fade_out_s": (0.0, 10.0), "lufs": (-40.0, -6.0),
               "peak_db": (-12.0, 0.0), "fold_s": (0.02, 30.0), "search_s": (0.0, 30.0)}  # fmt: skip
"""Where a rail's ends are narrower than what can be typed into a job file."""
TIPS = {
    "seconds": tr("How long each file is; at silence, the longest it may be. Type 90, 2:30 or 2 min."),
    "fold_s": tr("How much of the sound at the end is laid over the start."),
    "search_s": tr("The loop may be this much shorter or longer, to meet the start at its best."),
    "fade_in_s": tr("Fade in at the start; 0: none."), "fade_out_s": tr("Fade out at the end; 0: none."),
    "lufs": tr("Integrated loudness, ITU-R BS.1770-5."), "peak_db": tr("No true peak is above this."),
}  # fmt: skip


def event_modules(patch: Patch, layer: str) -> list[tuple[str, str]]:
    """Modules of a layer that have events: id and name. Those that are triggered come first."""
    triggered, triggering = [], []
    inside = {module.id for found in patch.layers if found.id == layer for module in found.modules}
    gates = {(m.id, port.id) for m in patch.modules() if (spec := spec_of(m.type)) for port in spec.inputs
             if port.role == "gate"}  # fmt: skip
    into = {link.target.module for link in patch.links if link.on and (link.target.module, link.target.port) in gates}
    for module in patch.modules():
        spec = spec_of(module.type)
        if module.id not in inside or spec is None:
            continue
        if module.id in into:
            triggered.append((module.id, module.name))
        elif any(output.role == "gate" for output in spec.outputs):
            triggering.append((module.id, module.name))
    return triggered + triggering


def usual_folder(context: Context) -> str:
    """Where files go unless a folder is chosen: beside the patch, or into a folder of the user's music."""
    path = context.session.document.path
    if path is not None:
        return str(path.parent / tr("Renders"))
    music = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.MusicLocation)
    return str(Path(context.settings.values.folder or music or Path.home()) / "Dunefall")


class JobSettings(QScrollArea):
    """The settings of one job; what does not apply is not shown.

    Signals
    -------
    changed ()
        ``job`` is another one.
    add_asked (), folder_asked ()
        Add it to the queue; choose another folder.
    """

    changed = Signal()
    add_asked = Signal()
    folder_asked = Signal()

    def __init__(self, job: Job, source: Source, theme: Theme) -> None:
        super().__init__()
        self.job, self._preset, self._source, self._theme = job, job, source, theme
        self._count = 0
        self.add, self.length_told = QPushButton(tr("Add to queue")), QLabel()
        self.add.setObjectName("add")
        self.add.setToolTip(tr("Add these files to the render queue (Ctrl+Return)"))
        self.add.clicked.connect(self.add_asked.emit)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._build()

    # -- what is shown ---------------------------------------------------------------------------------------------

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self._build()

    def set_source(self, source: Source) -> None:
        """Another patch is open, or it has changed; the layer that was chosen stays if it is there."""
        shape = self._shape()
        self._source = source
        layers = [layer.id for layer in mixed_layers(source.patch)]
        if self.job.layer not in layers:
            self.job = replace(self.job, layer=layers[0] if layers else "")
        if self._shape() != shape:
            self._build()
        else:
            self._say()

    def _shape(self) -> object:
        patch = self._source.patch
        return [(x.id, x.name) for x in mixed_layers(patch)], event_modules(patch, self.job.layer), patch.tempo_bpm

    def take_preset(self, job: Job, folder: str) -> None:
        """Begin with the settings of a preset; layer and folder stay."""
        layers = [layer.id for layer in mixed_layers(self._source.patch)]
        layer = self.job.layer or (layers[0] if layers else "")
        self._preset = replace(job, layer=layer, folder=job.folder or folder, module=self._module_of(layer))
        self.job = self._preset
        self._build()
        self.changed.emit()

    def _module_of(self, layer: str) -> str:
        found = event_modules(self._source.patch, layer)
        return found[0][0] if found else ""

    def differing(self) -> list[str]:
        """The settings that differ from the preset's; where files go is no such setting."""
        free = ("folder", "layer", "module", "existing")
        return [
            name for name in vars(self.job) if name not in free and vars(self.job)[name] != vars(self._preset)[name]
        ]

    def back_to_preset(self) -> None:
        """All as the preset has it."""
        kept = {name: getattr(self.job, name) for name in ("folder", "layer", "module", "existing")}
        self.job = replace(self._preset, **kept)
        self._build()
        self.changed.emit()

    def set(self, **values: Any) -> None:
        """Change settings; what is shown follows."""
        before = self.job
        if values.get("variations", 1) > 1 and not re.search(r"\{(n|seed)\b", self.job.name):
            values["name"] = f"{self.job.name}_{{n:02}}"  # or all files would have one name
        self.job = replace(self.job, **values)
        if "layer" in values:
            self.job = replace(self.job, module=self._module_of(self.job.layer))
        shaping = ("what", "ends", "loudness", "trim_db", "layer", "of", "loop", "limit", "folder", "spread")
        if any(getattr(before, name) != getattr(self.job, name) for name in shaping):
            self._build()
        if self._name.text() != self.job.name:
            self._name.setText(self.job.name)
        self._say()
        self.changed.emit()

    # -- making -----------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(16, 4, 16, 8)
        column.setSpacing(4)
        self._what(column)
        self._length(column)
        self._level(column)
        self._files(column)
        column.addStretch(1)
        replace_content(self, page)
        self._say()

    def _what(self, column: QVBoxLayout) -> None:
        job, patch = self.job, self._source.patch
        column.addWidget(self._chosen("what", tr("What"), WHAT))
        if job.what in ("mix", "layer", "stems"):
            column.addWidget(self._chosen("of", tr("Of"), OF))
        if job.what in ("layer", "hits"):
            layers = tuple((layer.id, layer.name) for layer in mixed_layers(patch))
            column.addWidget(self._chosen("layer", tr("Layer"), layers))
        if job.what == "hits":
            column.addWidget(self._chosen("module", tr("Events of"), tuple(event_modules(patch, job.layer))))
        if job.what in ("layer", "stems"):
            column.addWidget(self._chosen("effects", tr("Effects"), EFFECTS))
        if job.spread:
            alone = QPushButton(tr("Seeds instead"))
            alone.setObjectName("seeds instead")
            alone.setToolTip(tr("Files of the patch as it is, each with another seed"))
            alone.clicked.connect(lambda: self.set(spread=0.0, spread_kinds=(), spread_modules=(), seeds=()))
            told = tr("{count} variations, values spread {spread:.0f} %", count=len(job.seeds), spread=100 * job.spread)
            column.addWidget(self._row(told, alone))
        elif job.what in ("mix", "layer") and job.of == "patch":
            count = QSpinBox()
            count.setObjectName("variations")
            count.setRange(1, 10_000)
            count.setValue(job.variations)
            count.setAccessibleName(tr("Seeds"))
            count.setToolTip(tr("So many files, each with another seed"))
            numerals(count, 13)
            count.setMinimumWidth(76)
            count.valueChanged.connect(lambda value: self.set(variations=value))
            column.addWidget(self._row(tr("Seeds, from {seed:04d}", seed=patch.seed), count))

    def _length(self, column: QVBoxLayout) -> None:
        job = self.job
        column.addWidget(self._chosen("ends", tr("Ends"), ENDS))
        column.addWidget(self._rail("seconds"))
        if job.ends == "loop":
            column.addWidget(self._chosen("loop", tr("Loop by"), LOOPS))
            column.addWidget(self._rail("fold_s"))
            if job.loop in ("best", "crossfade"):
                column.addWidget(self._rail("search_s"))
            return
        column.addWidget(self._rail("fade_in_s"))
        column.addWidget(self._rail("fade_out_s"))
        if job.what != "stems":
            trim = self._tick(
                tr("Trim ends"), tr("Cut off what is quieter than this at both ends"), job.trim_db is not None
            )
            trim.toggled.connect(lambda on: self.set(trim_db=-60.0 if on else None))
            column.addWidget(trim)
            if job.trim_db is not None:
                column.addWidget(self._rail("trim_db"))

    def _level(self, column: QVBoxLayout) -> None:
        job = self.job
        offered = LOUDNESS if job.what in ("stems", "hits") else LOUDNESS[:2]
        column.addWidget(self._chosen("loudness", tr("Loudness"), offered))
        if job.loudness != "as it is":
            column.addWidget(self._rail("lufs"))
        column.addWidget(self._rail("peak_db"))
        if job.what not in ("stems", "hits"):
            limiter = self._tick(
                tr("Limiter"), tr("Keeps peaks under this; without it, the whole is made quieter"), job.limit
            )
            limiter.toggled.connect(lambda on: self.set(limit=on))
            column.addWidget(limiter)

    def _files(self, column: QVBoxLayout) -> None:
        job = self.job
        name = QLineEdit(job.name)
        name.setObjectName("name")
        name.setAccessibleName(tr("File name"))
        name.setToolTip(tr("{title} {layer} {seed} {n:02} {date} {rate} are filled in for each file"))
        numerals(name, 12, 500)
        name.textEdited.connect(lambda text: self.set(name=text))
        self._name = name
        label = QLabel(tr("File name   also {n:02} {seed} {layer} {date}"))
        label.setFont(sans(12))
        column.addSpacing(4)
        column.addWidget(label)
        column.addWidget(name)
        self._told = QLabel()
        self._told.setObjectName("names told")
        self._told.setWordWrap(True)
        column.addWidget(self._told)
        folder = QPushButton(_short(job.folder) or tr("Choose a folder…"))
        folder.setObjectName("folder")
        folder.setToolTip(tr("Files go to {folder}. Press to choose another folder.", folder=job.folder))
        folder.setAccessibleName(tr("Folder"))
        folder.clicked.connect(self.folder_asked.emit)
        column.addWidget(self._row(tr("Folder"), folder))
        self._existing_row = self._chosen("existing", tr("Existing files"), EXISTING)
        column.addWidget(self._existing_row)
        chips = QHBoxLayout()
        chips.setSpacing(4)
        for kind, text in FORMATS:
            chip = QPushButton(text)
            chip.setObjectName(f"format {kind}")
            chip.setCheckable(True)
            chip.setChecked(kind in job.formats)
            chip.setStyleSheet("padding: 4px 6px")
            chip.setToolTip(tr("Write {text} files", text=text))
            chip.clicked.connect(self._format_clicked(kind))
            chips.addWidget(chip)
        held = QWidget()
        held.setLayout(chips)
        chips.setContentsMargins(0, 0, 0, 0)
        column.addWidget(held)
        rates = tuple((rate, tr("{rate:g} kHz", rate=rate / 1000)) for rate in RATES_HZ)
        column.addWidget(
            self._pair(self._combo("rate_hz", tr("Rate"), rates), self._combo("depth", tr("Depth"), DEPTHS))
        )
        column.addWidget(self._chosen("layout", tr("Channels"), LAYOUTS_SHOWN))
        if job.ends != "loop" and job.what != "hits":
            column.addWidget(self._chosen("events", tr("Events"), EVENTS))
            pinned = tuple(str(pin) for pin in self._source.patch.pins)
            movements = (((), tr("None")), (job.movements or pinned, tr("Of what Watch shows")))
            column.addWidget(self._chosen("movements", tr("Movements"), movements[: 1 + bool(movements[1][0])]))
        broadcast = self._tick(
            tr("Broadcast metadata"), tr("Writes title, seed and loudness into WAV files (bext, iXML)"), job.broadcast
        )
        broadcast.toggled.connect(lambda on: self.set(broadcast=on))
        column.addWidget(broadcast)

    def _format_clicked(self, kind: str) -> Callable[[bool], None]:
        def clicked(on: bool) -> None:
            kept = tuple(k for k, _ in FORMATS if (k in self.job.formats and k != kind) or (k == kind and on))
            self.set(formats=kept or (kind,))
            if not kept:
                self._build()

        return clicked

    def _row(self, text: str, control: QWidget) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        label = QLabel(text)
        label.setFont(sans(13, 500))
        line.addWidget(label)
        line.addStretch(1)
        line.addWidget(control)
        return row

    def _pair(self, first: QWidget, second: QWidget) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        for part in (first, second):
            line.addWidget(part, 1)
        return row

    def _combo(self, name: str, words: str, choices: tuple[tuple[Any, str], ...]) -> QComboBox:
        combo = QComboBox()
        combo.setObjectName(name)
        combo.setAccessibleName(words)
        combo.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        for value, text in choices:
            combo.addItem(text, value)
        values = [value for value, _ in choices]
        combo.setCurrentIndex(values.index(getattr(self.job, name)) if getattr(self.job, name) in values else 0)
        combo.activated.connect(lambda place: self.set(**{name: choices[place][0]}))
        return combo

    def _chosen(self, name: str, words: str, choices: tuple[tuple[Any, str], ...]) -> QWidget:
        combo = self._combo(name, words, choices)
        combo.setMaximumWidth(190)
        return self._row(words, combo)

    def _tick(self, text: str, tip: str, on: bool) -> QCheckBox:
        box = QCheckBox(text)
        box.setObjectName(text)
        box.setToolTip(tip)
        box.setFont(sans(13, 500))
        box.setChecked(on)
        return box

    def _rail(self, name: str) -> Rail:
        entry = settings()[name]
        low, high = RAIL_RANGES.get(name, (entry.low, entry.high))
        unit = {"LUFS": "lufs", "dBTP": "db", "dB": "db"}.get(entry.unit, entry.unit)
        words = {
            "seconds": tr("Longest") if self.job.ends == "silence" else tr("Length"),
            "lufs": tr("Target"),
            "trim_db": tr("Quieter than"),
        }.get(name, entry.words)
        value = float(getattr(self.job, name))
        taper: Literal["even", "octaves"] = "octaves" if low > 0 else "even"
        param = Param(name, words, unit, low, high, value, help=TIPS.get(name, entry.words), taper=taper)
        rail = Rail(param, value, self._theme, self._source.patch.tempo_bpm)
        rail.setObjectName(name)
        rail.moved.connect(lambda moved: self.set(**{name: float(moved)}))
        return rail

    # -- what it would do -------------------------------------------------------------------------------------------

    def _say(self) -> None:
        """The names of the first and the last file, or what is wrong with them."""
        wrong, text, existing = "", "", list[str]()
        try:
            self.job.checked()
            shown = preview(self.job, self._source)
            first, last, count, existing = shown.first, shown.last, shown.count, shown.there
            self._count = count
            text = f"{first} …" if count != 1 and first == last else first if first == last else f"{first} … {last}"
            if self.job.existing == "ask" and existing:
                wrong = tr("Files of these names are there: replace, number on or skip?")
        except (ParameterError, DunefallError) as error:
            wrong = f"{error}"
        self._existing_row.setVisible(bool(existing) or self.job.existing != "ask")
        self._told.setText(wrong[:1].upper() + wrong[1:] if wrong else text)
        self._told.setStyleSheet(f"color: {self._theme.hot if wrong else self._theme.text2}")
        self.add.setEnabled(not wrong)
        self.length_told.setText(tr("{estimate} of sound", estimate=self.estimate) if not wrong and self._count else "")
        self.add.setText(tr("Add {count} to queue", count=self._count) if self._count > 1 else tr("Add to queue"))

    @property
    def told(self) -> str:
        """What is said under the file name."""
        return self._told.text()

    @property
    def estimate(self) -> str:
        """How long all files are together."""
        seconds = self.job.length_s(self._source.patch.tempo_bpm) * max(1, self._count)
        return format_value(seconds, "s")


def _short(folder: str) -> str:
    return folder if len(folder) <= 26 else f"…{folder[-25:]}"
