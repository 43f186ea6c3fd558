"""The header: patch, workspace, transport, tempo, seed, meter, load."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PySide6.QtCore import QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import QIcon, QPainter, QPaintEvent, QPixmap, QResizeEvent
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLayout,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.painting import draw_text, elided, text_width
from dunefall.app.controls.theme import Theme, mono, numerals, sans
from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Workspace
from dunefall.base.errors import ParameterError
from dunefall.base.language import decimal, tr
from dunefall.base.units import parse_value
from dunefall.catalogue.repeats import Repeat
from dunefall.patch.library import DATA
from dunefall.session.edits.layers import set_seed, set_tempo

__all__ = ["Header", "Meter", "icon", "position_text", "type_seed", "type_tempo"]

HEIGHT, LOAD_W = 52, 116
NARROW, SHORTEST_TITLE, LONGEST_TITLE = 1200, 60, 220
METER_W, NARROW_METER_W = 168, 150
BUTTON, NARROW_BUTTON = 14, 8
"""Room beside the name of a workspace."""
LEADS = {
    ("", False): (tr("Tempo"), tr("Tempo in BPM"), ""),
    ("clock", True): (tr("MIDI clock"), tr("Tempo of the MIDI clock"), tr("Follow a MIDI clock")),
    ("clock", False): (tr("No clock"), tr("No MIDI clock comes in"), tr("Follow a MIDI clock")),
    ("transport", True): ("JACK", tr("Play, place and tempo of the JACK transport"), tr("Follow the JACK transport")),
    ("transport", False): (tr("No JACK"), tr("There is no JACK"), tr("Follow the JACK transport")),
}
"""Who leads the tempo, and whether it is there: what stands above the tempo, what that means, and the command."""
METER_LOW_DB = -60.0


def icon(name: str, colour: str) -> QIcon:
    """One of the project's icons in a colour."""
    svg = (DATA / "icons" / f"{name}.svg").read_text().replace("currentColor", colour)
    picture = QPixmap(48, 48)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    QSvgRenderer(QByteArray(svg.encode())).render(painter)
    painter.end()
    return QIcon(picture)


def position_text(seconds: float) -> str:
    """Hours, minutes, seconds and tenths.

    Examples
    --------
    >>> position_text(192.44)
    '00:03:12.4'
    """
    tenths = int(seconds * 10)
    return f"{tenths // 36000:02d}:{tenths // 600 % 60:02d}:{tenths // 10 % 60:02d}.{tenths % 10}"


def _decibels(level: float) -> float:
    return 20 * math.log10(level) if level > 1e-10 else -math.inf


class Meter(QWidget):
    """A bar with a peak mark for each channel, short-term loudness and true peak."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._peaks, self._held = [-math.inf] * 2, [-math.inf] * 2
        self._lufs = self._true = -math.inf
        self._reduction_db = 0.0
        self.setFixedSize(METER_W, 40)
        self.setAccessibleName(tr("Output meter"))
        self.set_device("")

    @property
    def peaks_db(self) -> tuple[float, ...]:
        """What the bars show, in dBFS."""
        return tuple(self._peaks)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme

    def set_device(self, device: str) -> None:
        """Name the device in the tooltip."""
        told = tr("Output: peak of each channel, short-term loudness, true peak, limiter gain reduction")
        self.setToolTip(tr("{told}. Through the {device}", told=told, device=device) if device else told)

    @property
    def reduction_db(self) -> float:
        """What the limiter takes off, in dB below 0."""
        return self._reduction_db

    def show_levels(self, peaks: Sequence[float], true_peak: float, lufs: float, reduction: float) -> None:
        """Show each channel's linear peak, loudness in LUFS and the limiter's lowest gain."""
        self._reduction_db = min(0.0, _decibels(reduction))
        if len(peaks) != len(self._held):
            self._held = [-math.inf] * len(peaks)
        self._peaks = [_decibels(level) for level in peaks]
        self._held = [max(now, held - 0.3) for now, held in zip(self._peaks, self._held, strict=True)]
        self._lufs, self._true = lufs, max(_decibels(true_peak), self._true - 0.3)
        self.setAccessibleDescription(self._text(self._lufs, "LUFS"))
        self.update()

    @staticmethod
    def _text(value: float, unit: str) -> str:
        return (decimal(f"{value:.1f} {unit}") if value > -99 else f"−∞ {unit}").replace("-", "−")

    def paintEvent(self, event: QPaintEvent) -> None:
        """Bars, marks, numbers."""
        theme, painter = self._theme, QPainter(self)
        width = self.width() - 108.0
        count = len(self._peaks)
        step, height = (16.0, 7.0) if count == 2 else (36.0 / count, 36.0 / count - 2)
        for k, (peak, held) in enumerate(zip(self._peaks, self._held, strict=True)):
            y = (8.0 if count == 2 else 3.0) + step * k
            painter.fillRect(QRectF(0, y, width, height), theme.colour("line"))
            share = max(0.0, min(1.0, 1 - peak / METER_LOW_DB)) if peak > -999 else 0.0
            painter.fillRect(QRectF(0, y, width * share, height), theme.colour("hot" if peak > 0 else "audio"))
            if held > METER_LOW_DB:
                x = width * min(1.0, 1 - held / METER_LOW_DB)
                painter.fillRect(QRectF(x - 1, y - 1, 2, height + 2), theme.colour("text"))
        for k in range(0, 7 if count == 2 else 0):
            painter.fillRect(QRectF(width * k / 6 - 0.5, 18, 1, 3), theme.colour("edge"))
        ink = theme.colour("hot" if self._true > 0 else "text")
        box = QRectF(width + 2, 3, self.width() - width - 2, 16)
        draw_text(painter, box, self._text(self._lufs, "LUFS"), mono(12), theme.colour("text"), right=True)
        if self._reduction_db < -0.05:
            text = tr("limit {reduction_db:.1f} dB", reduction_db=self._reduction_db).replace("-", "−")
            draw_text(painter, box.translated(0, 17), text, mono(12), theme.colour("hot"), right=True)
        else:
            draw_text(painter, box.translated(0, 17), self._text(self._true, "dBTP"), mono(12), ink, right=True)
        painter.end()


class Header(QWidget):
    """The bar at the top; the window connects its buttons."""

    def __init__(self, theme: Theme, workspaces: Sequence[Workspace]) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT)
        self._shown, self._labels = ("", False), dict[QWidget, QLabel]()
        self._row = row = QHBoxLayout(self)
        self.title = QToolButton()
        self.title.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.title.setFont(sans(14, 600))
        self.title.setIconSize(QSize(26, 20))
        self.title.setAccessibleName(tr("Title of the patch"))
        self.title.setToolTip(tr("The patch. Click to rename it"))
        self.workspaces: dict[str, QPushButton] = {}
        for workspace in workspaces:
            button = QPushButton(workspace.name)
            button.setCheckable(True)
            button.setToolTip(f"{workspace.sentence} ({workspace.key})")
            button.setStyleSheet("padding: 5px 2px")
            self.workspaces[workspace.id] = button
        self.play, self.stop, self.keep, self.reroll = QPushButton(), QPushButton(), QPushButton(), QPushButton()
        for button, name, tip in (
            (self.play, tr("Play or pause"), tr("Play or pause (Space)")),
            (self.stop, tr("Stop"), tr("Stop and go back to the start (Shift+Space)")),
            (self.keep, tr("Keep the last minutes"),
             tr("Keep the last minutes, as a sound and as a take (Ctrl+Shift+K)")),
            (self.reroll, tr("Another seed"), tr("Another seed: everything random falls differently (Ctrl+R)")),
        ):  # fmt: skip
            button.setFixedSize(32, 32)
            button.setStyleSheet("padding: 0")
            button.setAccessibleName(name)
            button.setToolTip(tip)
        self.position = QLabel(position_text(0))
        numerals(self.position, 14, 500)
        self.tempo, self.seed, self.repeats = QLineEdit(), QLineEdit(), QLabel()
        numerals(self.repeats, 12)
        self.meter, self._playing = Meter(theme), False
        self.load = QLabel("0 %")
        numerals(self.load, 12)
        self.load.setFixedWidth(LOAD_W)
        self.load.setToolTip(tr("Engine: load of one core"))
        row.addWidget(self.title)
        places = QHBoxLayout()
        places.setSpacing(2)
        for button in self.workspaces.values():
            places.addWidget(button)
        row.addLayout(places)
        row.addStretch(1)
        for widget in (self.play, self.stop, self.keep, self.position):
            row.addWidget(widget)
        row.addStretch(1)
        row.addLayout(self._labelled(tr("Tempo"), self.tempo, 68, tr("Tempo in BPM")))
        row.addLayout(self._labelled(tr("Seed"), self.seed, 56, tr("Seed: the same number gives the same sound")))
        row.addWidget(self.reroll)
        row.addLayout(self._labelled(tr("Repeats"), self.repeats, 84, ""))
        row.addStretch(1)
        row.addWidget(self.meter)
        row.addSpacing(8)
        row.addLayout(self._labelled(tr("Engine"), self.load, LOAD_W, ""))
        self.set_theme(theme)

    def _labelled(self, text: str, widget: QWidget, width: int, tip: str) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(0)
        label = QLabel(text)
        label.setFont(sans(11))
        self._labels[widget] = label
        label.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        column.addWidget(label)
        widget.setFixedWidth(width)
        if isinstance(widget, QLineEdit):
            numerals(widget, 12)
            widget.setAccessibleName(text)
            widget.setToolTip(tip)
            widget.setFixedHeight(21)
            widget.setStyleSheet("QLineEdit { padding: 0 2px; border: 1px solid transparent; background: transparent }")
        widget.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        column.addWidget(widget)
        return column

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.meter.set_theme(theme)
        self.title.setIcon(icon("dunes", theme.audio))
        self.stop.setIcon(icon("stop", theme.text))
        self.keep.setIcon(icon("keep", theme.text))
        self.reroll.setIcon(icon("reroll", theme.text))
        self.show_playing(self._playing)

    def show_playing(self, playing: bool) -> None:
        """Show what the play button would do."""
        self._playing = playing
        self.play.setIcon(icon("pause" if playing else "play", self._theme.text))
        self.play.setAccessibleDescription(tr("playing") if playing else tr("stopped"))

    def show_workspace(self, shown: str) -> None:
        """Mark a workspace's button."""
        for name, button in self.workspaces.items():
            button.setChecked(name == shown)

    def show_title(self, title: str, modified: bool) -> None:
        """Show the patch's title, with a dot if it is not saved."""
        self._shown = title, modified
        self.title.setToolTip(tr("{title}. Click to rename it", title=title))
        self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Everything has its room, and the title what is left."""
        super().resizeEvent(event)
        narrow = self.width() < NARROW
        self._row.setSpacing(4 if narrow else 5)
        self._row.setContentsMargins(*((6, 6, 4, 6) if narrow else (12, 6, 12, 6)))
        self.meter.setFixedWidth(NARROW_METER_W if narrow else METER_W)
        for button in self.workspaces.values():
            room = NARROW_BUTTON if narrow else BUTTON
            button.setFixedWidth(round(text_width(button.text(), sans(13, 600))) + room)
        for part in (self.repeats, self._labels[self.repeats]):  # Survey tells it, too
            part.setVisible(not narrow)
        self._fit()
        self._row.activate()

    def _fit(self) -> None:
        title, modified = self._shown
        mark, font = " •" if modified else "", self.title.font()
        self.title.setText(f" {mark} ")
        for layout in (*self._row.children(), self._row):  # they remember the widths of before
            if isinstance(layout, QLayout):
                layout.invalidate()
        room = self.width() - self._row.minimumSize().width()
        self.title.setText(f" {elided(title, font, min(max(room, SHORTEST_TITLE), LONGEST_TITLE))}{mark} ")

    def show_repeat(self, repeat: Repeat, tempo_bpm: float) -> None:
        """Show when the patch begins again, or that it never does; the tooltip says why."""
        self.repeats.setText(repeat.short)
        told = repeat.told(tempo_bpm, tr("The patch"))
        self.repeats.setToolTip(told)
        self.repeats.setAccessibleName(told)

    def show_lead(self, lead: str, runs: bool) -> None:
        """Say whom the tempo follows: a MIDI ``clock``, the ``transport`` of JACK, or with an empty text nobody; and
        whether it is there."""
        told, sentence, command = LEADS[lead, runs]
        if self._labels[self.tempo].text() != told:
            self._labels[self.tempo].setText(told)
            self.tempo.setToolTip(
                tr("{sentence}. Sound, {command}", sentence=sentence, command=command) if command else sentence
            )
            self.tempo.setAccessibleDescription(sentence)

    def show_load(self, share: float, underruns: int) -> None:
        """Show the engine's share of a core, and how often the sound came too late."""
        load, late = f"{share:.0%}".replace("%", " %"), underruns if underruns < 100 else "99+"
        self.load.setText(tr("{load} · {late} late", load=load, late=late) if underruns else load)
        self.load.setAccessibleDescription(tr("{underruns} blocks were late", underruns=underruns))


def type_tempo(context: Context, field: QLineEdit) -> bool:
    """Take a typed tempo; whether it changed anything."""
    document = context.session.document
    before = document.patch
    try:
        bpm = parse_value(field.text(), "bpm")
        if not 10 <= bpm <= 400:
            raise ParameterError(tr("The tempo must be 10 to 400 BPM; got {field}.", field=field.text()))
        set_tempo(document, bpm)
        document.end_merge()
    except ParameterError as error:
        context.tell(str(error))
    field.setText(decimal(f"{document.patch.tempo_bpm:.1f} BPM"))
    return document.patch is not before


def type_seed(context: Context, field: QLineEdit) -> None:
    """Take a typed seed."""
    document, text = context.session.document, field.text().strip()
    if text.isascii() and text.isdigit() and int(text) < 2**32:
        set_seed(document, int(text))
    else:
        context.tell(tr("A seed is a whole number from 0 to {value}; got “{text}”.", value=2**32 - 1, text=text))
    field.setText(f"{document.patch.seed:04d}")
