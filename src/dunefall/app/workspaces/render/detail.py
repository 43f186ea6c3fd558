"""One result at close range: its waveform, the seam of a loop, and what is written into the file."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dunefall import __version__
from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.theme import Theme, mono, numerals, sans
from dunefall.app.workspaces.render.results import draw_waveform, seam_text
from dunefall.base.language import tr
from dunefall.deliver.making import File
from dunefall.deliver.queue import Entry

__all__ = ["ResultDetail"]

SHORTEST_S, LONGEST_S, USUAL_S = 0.005, 0.5, 0.04
MOST_READ_S = 0.5
SEAM_SPECTRUM_S, SPECTRUM_HZ, SPECTRUM_BANDS, SPECTRUM_DB = 0.2, (50.0, 16_000.0), 50, 60.0
REST_PIECES = 24


class _Wave(QWidget):
    """The whole file, with the place that is heard."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.picture, self.place = theme, list[list[float]](), 0.0
        self.setFixedHeight(58)
        self.setAccessibleName(tr("Waveform"))

    def paintEvent(self, event: QPaintEvent) -> None:
        """Waveform and playhead."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.colour("ground"))
        draw_waveform(
            painter, QRectF(self.rect()).adjusted(0, 4, 0, -4), _wider(self.picture, self.width()), self.theme
        )
        if self.place:
            painter.setPen(QPen(self.theme.colour("text"), 2))
            x = self.place * self.width()
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.end()


def _wider(picture: list[list[float]], width: int) -> list[list[float]]:
    """As many columns as there are pixels."""
    return [picture[min(len(picture) - 1, k * len(picture) // max(width, 1))] for k in range(width)] if picture else []


class _SeamPicture(QWidget):
    """The end of the file at the left, its start at the right; the wheel shows more or less of both."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.seconds, self.rate = theme, USUAL_S, 48000
        self.end, self.start = np.zeros(0), np.zeros(0)
        self.setFixedHeight(96)
        self.setAccessibleName(tr("Loop seam"))
        self.setToolTip(tr("The end of the file meets its start; the wheel shows more or less of both"))

    def wheelEvent(self, event: QWheelEvent) -> None:
        """More or less."""
        self.seconds = min(LONGEST_S, max(SHORTEST_S, self.seconds * (0.8 if event.angleDelta().y() > 0 else 1.25)))
        self.update()
        event.accept()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Both halves, and the seam between them."""
        painter, theme, width = QPainter(self), self.theme, self.width()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(QRectF(0, 0, width / 2, 78), theme.colour("ground"))
        painter.fillRect(QRectF(width / 2, 0, width / 2, 78), theme.colour("line"))
        count = max(2, round(self.seconds * self.rate))
        both = np.concatenate([self.end[-count:], self.start[:count]])
        top = float(np.abs(both).max(initial=0.0)) or 1.0
        if len(both) > 1:
            step = max(1, len(both) // (2 * width))
            xs = np.linspace(0, width, len(both))[::step]
            points = [QPointF(float(x), 39 - float(y) / top * 35) for x, y in zip(xs, both[::step], strict=True)]
            painter.setPen(QPen(theme.colour("audio"), 1.5))
            painter.drawPolyline(QPolygonF(points))
        painter.setPen(QPen(theme.colour("text"), 2))
        painter.drawLine(QPointF(width / 2, 0), QPointF(width / 2, 78))
        milliseconds = tr("{seconds:.0f} ms", seconds=1000 * self.seconds)
        low = QRectF(0, 80, width, 16)
        draw_text(painter, low, tr("last {milliseconds}", milliseconds=milliseconds), sans(11), theme.colour("text2"))
        draw_text(painter, low, tr("end | start"), sans(11, 600), theme.colour("text"), centre=True)
        draw_text(
            painter,
            low,
            tr("first {milliseconds}", milliseconds=milliseconds),
            sans(11),
            theme.colour("text2"),
            right=True,
        )
        painter.end()


class _SpectrumPicture(QWidget):
    """The spectrum at the seam as a line, that of the rest as an area, 50 Hz to 16 kHz over 60 dB."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.worst_hz = theme, 0.0
        self.seam, self.rest = np.zeros(0), np.zeros(0)
        self.setFixedHeight(86)
        self.setAccessibleName(tr("Seam spectrum"))
        self.setToolTip(tr("Line: 200 ms at the seam. Area: the rest of the file"))

    def show_ends(self, end: NDArray[np.float64], start: NDArray[np.float64], rest: list[NDArray[np.float64]],
                  rate: int, worst_hz: float) -> None:  # fmt: skip
        """Work out both spectra."""
        half, self.worst_hz = round(SEAM_SPECTRUM_S * rate / 2), worst_hz
        both = np.concatenate([end[-half:], start[:half]])
        self.seam = _levels([both], rate) if len(both) == 2 * half else np.zeros(0)
        self.rest = _levels(rest, rate) if rest else np.zeros(0)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Area, line, the frequency at which they differ most."""
        painter, theme, width = QPainter(self), self.theme, self.width()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(QRectF(0, 0, width, 70), theme.colour("ground"))
        if len(self.seam) and len(self.rest):
            top = max(float(self.seam.max()), float(self.rest.max())) + 3.0
            points = [self._points(levels, top) for levels in (self.seam, self.rest)]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("edge"))
            painter.setOpacity(0.4)
            painter.drawPolygon(QPolygonF([QPointF(0, 70), *points[1], QPointF(width, 70)]))
            painter.setOpacity(1.0)
            painter.setPen(QPen(theme.colour("audio"), 1.5))
            painter.drawPolyline(QPolygonF(points[0]))
            x = width * _across(self.worst_hz)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("text"))
            painter.drawPolygon(QPolygonF([QPointF(x - 4, 2), QPointF(x + 4, 2), QPointF(x, 9)]))
        for hz, text in ((100.0, "100"), (1000.0, "1 k"), (10_000.0, "10 kHz")):
            x = width * _across(hz)
            painter.setPen(theme.colour("line"))
            painter.drawLine(QPointF(x, 0), QPointF(x, 70))
            draw_text(painter, QRectF(x - 30, 71, 60, 15), text, sans(11), theme.colour("text2"), centre=True)
        painter.end()

    def _points(self, levels: NDArray[np.float64], top: float) -> list[QPointF]:
        xs = np.linspace(0.0, self.width(), len(levels))
        heights = np.clip((top - levels) / SPECTRUM_DB, 0.0, 1.0) * 70
        return [QPointF(float(x), float(y)) for x, y in zip(xs, heights, strict=True)]


def _across(hz: float) -> float:
    return float(np.log(max(hz, SPECTRUM_HZ[0]) / SPECTRUM_HZ[0]) / np.log(SPECTRUM_HZ[1] / SPECTRUM_HZ[0]))


def _levels(pieces: list[NDArray[np.float64]], rate: int) -> NDArray[np.float64]:
    """Mean power in dB of bands of a sixth of an octave."""
    size = len(pieces[0])
    power = np.mean([np.abs(np.fft.rfft(piece * np.hanning(size))) ** 2 for piece in pieces], axis=0)
    edges = np.geomspace(*SPECTRUM_HZ, SPECTRUM_BANDS + 1) * size / rate
    bands = [power[int(a) : max(int(b), int(a) + 1)].mean() for a, b in pairwise(edges) if a < len(power)]
    return np.asarray(10.0 * np.log10(np.array(bands) + 1e-12))


class ResultDetail(QWidget):
    """The chosen result.

    Signals
    -------
    again_asked (bool)
        Make it again; with another seed.
    cure_asked (), seam_asked (), folder_asked (), step_asked (int)
        Make it again with its cure, play across the seam, open the folder, choose another file.
    """

    again_asked = Signal(bool)
    cure_asked = Signal()
    seam_asked = Signal()
    folder_asked = Signal()
    step_asked = Signal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.file: File | None = None
        self.setObjectName("detail")
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 10)
        column.setSpacing(6)
        head = QHBoxLayout()
        self._which = QLabel(tr("Chosen result"))
        self.earlier, self.later = QPushButton("▲"), QPushButton("▼")
        for button, step, name in ((self.earlier, -1, tr("Earlier result")), (self.later, 1, tr("Later result"))):
            button.setFixedSize(30, 26)
            button.setStyleSheet("padding: 0")
            button.setAccessibleName(name)
            button.setToolTip(name)
            button.clicked.connect(lambda _=False, step=step: self.step_asked.emit(step))
        head.addWidget(self._which, 1)
        head.addWidget(self.earlier)
        head.addWidget(self.later)
        column.addLayout(head)
        self.name, self.figures, self.told = QLabel(), QLabel(), QLabel()
        self.name.setFont(sans(16, 600))
        numerals(self.figures, 11, 500)
        self.told.setWordWrap(True)
        self.wave, self.seam = _Wave(theme), _SeamPicture(theme)
        self.seam_head, self.spectrum, self.colours = QLabel(), QLabel(), _SpectrumPicture(theme)
        self.spectrum.setWordWrap(True)
        self.cure = QPushButton()
        self.cure.setToolTip(
            tr("Make this file again so that it is right; the old one stays until the new one is whole")
        )
        self.cure.clicked.connect(self.cure_asked.emit)
        for part in (self.name, self.figures, self.wave, self.told, self.cure, self.seam_head, self.seam,
                     self.colours, self.spectrum):  # fmt: skip
            column.addWidget(part)
        self.across = QPushButton(tr("Play across the seam"))
        self.across.setToolTip(tr("Goes round the last and the first second"))
        self.across.clicked.connect(self.seam_asked.emit)
        column.addWidget(self.across)
        written = QLabel(tr("Written into the file"))
        written.setFont(sans(13, 600))
        column.addWidget(written)
        self._written, self._grid = written, QGridLayout()
        self._grid.setVerticalSpacing(3)
        column.addLayout(self._grid)
        column.addStretch(1)
        column.addLayout(self._make_buttons())
        self.show_file(None, None, 0, 0)

    def _make_buttons(self) -> QHBoxLayout:
        buttons = QHBoxLayout()
        self.again, self.other, self.folder = (
            QPushButton(tr("Make again")),
            QPushButton(tr("Next seed")),
            QPushButton(tr("Open folder")),
        )
        self.again.setToolTip(
            tr("The same seed with the present settings; the old file stays until the new one is whole")
        )
        self.other.setToolTip(tr("Make it again with the next seed that is free"))
        self.folder.setToolTip(tr("Open the folder of the files"))
        self.again.clicked.connect(lambda: self.again_asked.emit(False))
        self.other.clicked.connect(lambda: self.again_asked.emit(True))
        self.folder.clicked.connect(self.folder_asked.emit)
        for button in (self.again, self.other, self.folder):
            button.setStyleSheet("padding: 5px 6px")
            buttons.addWidget(button)
        return buttons

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = self.wave.theme = self.seam.theme = self.colours.theme = theme
        self.update()

    def show_file(self, entry: Entry | None, file: File | None, number: int, count: int) -> None:
        """Show a file of a job, the ``number``-th of ``count``; nothing of None."""
        self.file = file
        shown = file is not None and entry is not None
        for part in (self.name, self.figures, self.wave, self.told, self._written, self.again, self.other, self.folder,
                     self.earlier, self.later):  # fmt: skip
            part.setVisible(shown)
        cure = next((finding.cure for finding in file.findings if finding.cure), "") if shown and file else ""
        self.cure.setText(cure)
        self.cure.setVisible(bool(cure))
        looped = shown and file is not None and file.seam is not None
        for low in (self.seam_head, self.seam, self.colours, self.spectrum, self.across):
            low.setVisible(bool(looped))
        while (item := self._grid.takeAt(0)) is not None:
            held = item.widget()
            if held is not None:
                held.deleteLater()
        if not shown or file is None or entry is None:
            self._which.setText(tr("Choose a result to see and hear it."))
            return
        m = file.measures
        self._which.setText(tr("{number} of {count}", number=number, count=count))
        self.name.setText(file.names[0])
        verdict = tr("▲ check") if file.findings else tr("✓ good")
        figures = tr("{verdict} {seconds:.2f} s {lufs:.1f} LUFS {true_peak_db:.1f} dBTP", verdict=verdict,
                     seconds=m.seconds, lufs=m.lufs, true_peak_db=m.true_peak_db)  # fmt: skip
        self.figures.setText(figures.replace("-", "−"))
        self.told.setText(" ".join([*(finding.text for finding in file.findings), file.told]).strip())
        self.told.setVisible(bool(self.told.text()))
        self.wave.picture, self.wave.place = file.picture, 0.0
        self.wave.update()
        if file.seam is not None:
            self.seam_head.setText(tr("Loop seam: {seam_text}", seam_text=seam_text(file)))
            seam = file.seam
            self.spectrum.setText(
                tr(
                    "Spectra differ by {spectrum_db:.1f} dB, most at {worst_hz:.0f} Hz; elsewhere by "
                    "up to {usual:.1f} dB. Loudness differs by {loudness_lu:.1f} LU.",
                    spectrum_db=seam.spectrum_db,
                    worst_hz=seam.worst_hz,
                    usual=seam.usual[1],
                    loudness_lu=seam.loudness_lu,
                )
            )
            path = Path(entry.tasks[0].folder) / file.names[0]
            self.seam.end, self.seam.start, rate = ends = _ends(path)
            self.seam.rate = rate
            self.seam.update()
            rest = _elsewhere(path, 2 * round(SEAM_SPECTRUM_S * rate / 2))
            self.colours.show_ends(*ends[:2], rest, rate, seam.worst_hz)
        self._describe(entry, file)

    def _describe(self, entry: Entry, file: File) -> None:
        rows = [
            (tr("Seed"), f"{file.seed:04d}"), (tr("Patch"), entry.source.patch.title),
            (tr("Made"), entry.made.replace("T", " ")),
            (tr("Formats"), ", ".join(Path(name).suffix[1:] for name in file.names)),
            (tr("Range, mono loss"), f"{file.measures.range_lu:.1f} LU, {file.measures.mono_loss_lu:.1f} LU"),
            (tr("Made by"), tr("Dunefall {version}", version=__version__)),
        ]  # fmt: skip
        if file.seam is not None:
            last = f"{round(file.measures.seconds * entry.job.rate_hz) - 1:,}".replace(",", " ")
            rows.insert(3, (tr("Loop points"), tr("0 to {last}", last=last)))
        for row, (name, value) in enumerate(rows):
            left, right = QLabel(name), QLabel(value)
            right.setFont(mono(11, 500))
            right.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            self._grid.addWidget(left, row, 0)
            self._grid.addWidget(right, row, 1)
        self._grid.setColumnStretch(1, 1)


def _ends(path: Path) -> tuple[NDArray[np.float64], NDArray[np.float64], int]:
    """The end and the start of a file, one channel of them; nothing where it cannot be read."""
    try:
        with soundfile.SoundFile(path) as file:
            count = min(round(MOST_READ_S * file.samplerate), file.frames)
            start = file.read(count, always_2d=True).mean(axis=1)
            file.seek(file.frames - count)
            return file.read(count, always_2d=True).mean(axis=1), start, file.samplerate
    except (OSError, soundfile.SoundFileError):
        return np.zeros(0), np.zeros(0), 48000


def _elsewhere(path: Path, size: int) -> list[NDArray[np.float64]]:
    """Pieces from all over a file, one channel of each."""
    try:
        with soundfile.SoundFile(path) as file:
            found = []
            for at in np.linspace(0, max(0, file.frames - size), REST_PIECES).astype(int):
                file.seek(int(at))
                found.append(file.read(size, always_2d=True).mean(axis=1))
            return [piece for piece in found if len(piece) == size]
    except (OSError, soundfile.SoundFileError):
        return []
