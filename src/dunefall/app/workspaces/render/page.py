"""The Render workspace: presets and settings at the left, queue and results in the middle, the chosen result right."""

from __future__ import annotations

import sys
from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QTimer, QUrl
from PySide6.QtGui import QDesktopServices, QResizeEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.theme import Theme, sans
from dunefall.app.listening.audition import Audition
from dunefall.app.model.context import Context
from dunefall.app.workspaces.render.detail import ResultDetail
from dunefall.app.workspaces.render.queueview import QueueView, cancelled_told, done_told, with_flagged
from dunefall.app.workspaces.render.results import ResultsTable
from dunefall.app.workspaces.render.settings import JobSettings, usual_folder
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr, tr_count
from dunefall.deliver.job import Job, Source
from dunefall.deliver.jobfiles import JobFile, preset_folder, presets, save_job
from dunefall.deliver.making import File
from dunefall.deliver.names import clean
from dunefall.deliver.plan import ExistsError
from dunefall.deliver.queue import Entry, RenderQueue, queue_folder
from dunefall.deliver.verdict import Finding
from dunefall.patch.mixing import mixed_layers
from dunefall.session.edits.layers import set_seed

__all__ = ["RenderPage"]

LEFT_W, RIGHT_W, NARROW_W = 300, 290, 1180
STEP_MS = 80
QUEUE_H = 196


class RenderPage(QWidget):
    """All of the Render workspace; the queue goes on while another workspace is shown."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._context, self._theme = context, context.theme
        self.queue = RenderQueue(queue_folder())
        if context.settings.lasting:
            self.queue.load()
        self.audition = Audition(context.session.options.audio)
        self.chosen: Entry | None = None
        self._presets = presets(preset_folder())
        self.settings = JobSettings(self._presets[0].job, self._source(), self._theme)
        self.jobs, self.results, self.detail = (
            QueueView(self._theme),
            ResultsTable(self._theme),
            ResultDetail(self._theme),
        )
        self.preset_buttons: list[QPushButton] = []
        self._shown = False
        self._build()
        self._connect()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._step)
        self._usual_folder = usual_folder(self._context)
        self.settings.take_preset(self._presets[0].job, self._usual_folder)
        self._show_queue()
        self._timer.start(STEP_MS)

    # -- making -----------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        self._columns = row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(self._left())
        row.addLayout(self._middle(), 1)
        self.detail.setFixedWidth(RIGHT_W)
        row.addWidget(self.detail)
        self._style()

    def _left(self) -> QWidget:
        self.left = QWidget()
        self.left.setObjectName("left")
        self.left.setFixedWidth(LEFT_W)
        column = QVBoxLayout(self.left)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(2)
        head = QHBoxLayout()
        head.setContentsMargins(16, 0, 16, 2)
        head.addWidget(_heading(tr("Presets")), 1)
        self.keep = QPushButton(tr("Save as new"))
        self.keep.setStyleSheet("padding: 3px 8px")
        self.keep.setToolTip(tr("Keep the present settings as a preset of your own"))
        self.keep.clicked.connect(self.save_preset)
        head.addWidget(self.keep)
        column.addLayout(head)
        self._preset_column = QVBoxLayout()
        self._preset_column.setContentsMargins(8, 0, 8, 4)
        self._preset_column.setSpacing(0)
        column.addLayout(self._preset_column)
        self._list_presets()
        line = QHBoxLayout()
        line.setContentsMargins(16, 2, 16, 0)
        self._settings_head = _heading(tr("Settings"))
        self.back = QPushButton()
        self.back.setProperty("plain", True)
        self.back.setToolTip(tr("Press to go back to the preset"))
        self.back.clicked.connect(self.settings.back_to_preset)
        line.addWidget(self._settings_head, 1)
        line.addWidget(self.back)
        column.addLayout(line)
        column.addWidget(self.settings, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 6, 16, 10)
        foot.addWidget(self.settings.length_told, 1)
        foot.addWidget(self.settings.add)
        column.addLayout(foot)
        return self.left

    def _list_presets(self) -> None:
        for button in self.preset_buttons:
            button.deleteLater()
        self.preset_buttons = []
        for k, file in enumerate(self._presets):
            button = QPushButton(tr(file.name))
            button.setObjectName(f"preset {file.name}")
            button.setCheckable(True)
            button.setToolTip(tr(file.about) or tr("Your own preset {name}", name=file.name))
            button.setProperty("preset", True)
            button.clicked.connect(partial(self.choose_preset, k))
            self._preset_column.addWidget(button)
            self.preset_buttons.append(button)
        self.preset_buttons[0].setChecked(True)

    def _middle(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(_heading(tr("Queue")))
        self.queue_told = QLabel()
        self.pause_all = QPushButton(tr("Pause all"))
        self.pause_all.setToolTip(tr("Begin no more files; those under way are finished"))
        self.pause_all.clicked.connect(self._pause_all)
        head.addWidget(self.queue_told, 1)
        head.addWidget(self.pause_all)
        column.addLayout(head)
        self.empty_queue = QLabel(tr("Nothing rendered yet. Choose a preset, then Add to queue."))
        column.addWidget(self.empty_queue)
        self._queue_area = QScrollArea()
        self._queue_area.setWidget(self.jobs)
        self._queue_area.setWidgetResizable(True)
        self._queue_area.setFrameShape(QFrame.Shape.NoFrame)
        column.addWidget(self._queue_area)
        line = QHBoxLayout()
        line.addWidget(_heading(tr("Results")))
        self.results_told = QLabel()
        self.flagged = QPushButton(tr("Only flagged"))
        self.flagged.setCheckable(True)
        self.flagged.setToolTip(tr("Show only what missed its limits"))
        self.flagged.toggled.connect(self.results.filter)
        self.cure_all = QPushButton(tr("Make flagged again"))
        self.cure_all.setToolTip(tr("Make every flagged file again with its own cure"))
        self.cure_all.clicked.connect(self.make_flagged_again)
        line.addWidget(self.results_told, 1)
        line.addWidget(self.flagged)
        line.addWidget(self.cure_all)
        column.addLayout(line)
        column.addWidget(self.results, 1)
        return column

    def _connect(self) -> None:
        settings, results, detail = self.settings, self.results, self.detail
        settings.changed.connect(self._show_settings)
        settings.add_asked.connect(self.add)
        settings.folder_asked.connect(self.choose_folder)
        self.jobs.chosen.connect(self.show_entry)
        self.jobs.asked.connect(self._asked)
        results.chosen.connect(self._show_result)
        results.play_asked.connect(self.play)
        results.open_asked.connect(self._open_seed)
        results.cure_asked.connect(self.cure)
        detail.again_asked.connect(self._again)
        detail.cure_asked.connect(self._cure_chosen)
        detail.seam_asked.connect(lambda: self.play(detail.file, seam=True))
        detail.folder_asked.connect(self._open_folder)
        detail.step_asked.connect(results.step_to)
        self._context.closing.connect(self._end)
        self._context.session.document.saved.connect(self._follow_file)

    def _end(self) -> None:
        self._timer.stop()
        self.audition.stop()
        self.queue.close()

    def _style(self) -> None:
        t = self._theme
        self.setStyleSheet(
            f"QWidget#left, QWidget#detail {{ background: {t.raised} }}"
            f"QPushButton[preset] {{ text-align: left; padding: 4px 8px; background: transparent;"
            f" border: 1px solid transparent; }}"
            f"QPushButton[preset]:focus {{ border: 2px solid {t.edge}; padding: 3px 7px; }}"
            f"QPushButton[preset]:checked {{ background: {t.card}; color: {t.text}; border: 2px solid {t.text};"
            f" padding: 3px 7px; font-weight: 600; }}"
            f"QWidget#left QScrollArea, QWidget#left QScrollArea > QWidget > QWidget {{ background: {t.raised} }}"
            f"QPushButton#add {{ background: {t.text}; color: {t.on_accent}; }}"
            f"QPushButton#add:disabled {{ background: {t.line}; color: {t.text2}; }}"
        )

    # -- what is rendered -------------------------------------------------------------------------------------------

    def _source(self) -> Source:
        return Source.of(self._context.session.patch)

    def _follow_file(self) -> None:
        """The patch has another file: files go beside it, unless a folder was chosen."""
        before, self._usual_folder = self._usual_folder, usual_folder(self._context)
        if self._usual_folder != before == self.settings.job.folder:
            self.settings.set(folder=self._usual_folder)

    def choose_preset(self, place: int, _checked: bool = False) -> None:
        """Begin with the settings of a preset."""
        for k, button in enumerate(self.preset_buttons):
            button.setChecked(k == place)
        self.settings.take_preset(self._presets[place].job, self.settings.job.folder or usual_folder(self._context))

    def choose_named(self, name: str) -> None:
        """Begin with the settings of the preset of this name."""
        self.choose_preset(next(k for k, file in enumerate(self._presets) if file.name == name))

    def save_preset(self) -> None:
        """Keep the settings as a preset of the user's own."""
        name = self._context.talk.ask_text(tr("Save as new preset"), tr("Name of the preset"), self.settings.job.title)
        if not name:
            return
        job = replace(self.settings.job, title=name, layer="", module="", folder="")
        folder = preset_folder()
        try:
            folder.mkdir(parents=True, exist_ok=True)
            save_job(JobFile(job, None, name), folder / f"{clean(name)}.dunejob")
        except (DunefallError, OSError) as error:
            self._context.talk.warn(tr("The preset was not saved"), str(error))
            return
        self._presets = presets(folder)
        self._list_presets()
        self._context.tell(tr("{name} is a preset now.", name=name))

    def choose_folder(self) -> None:
        """Another folder for the files."""
        name = QFileDialog.getExistingDirectory(self, tr("Folder for the files"), self.settings.job.folder)
        if name:
            self.settings.set(folder=name)

    def _wanted(self) -> tuple[Job, Source]:
        """The job with what it is of: the patch, the take, a range of it, or its end."""
        job, session = self.settings.job, self._context.session
        if job.of in ("patch", "range"):
            return job, self._source() if job.of == "patch" else Source.of(session.engine.take)
        played = max(0.1, session.seconds)
        if job.of == "take":
            return replace(job, seconds=played, bars=0.0), Source.of(session.engine.played)
        seconds = min(job.seconds, played)
        return replace(job, start_s=played - seconds, seconds=seconds, bars=0.0), Source.of(session.engine.played)

    def add(self) -> None:
        """Add the job to the queue."""
        try:
            entry = self.queue.add(*self._wanted())
        except DunefallError as error:
            self._context.tell(tr("Not added: {error}.", error=error))
            if isinstance(error, ExistsError):
                self.settings.set(existing="ask")
            return
        self.chosen = entry
        self._show_queue()
        self._timer.start(STEP_MS)

    # -- the queue --------------------------------------------------------------------------------------------------

    def _asked(self, what: str, entry: Entry) -> None:
        if entry not in self.queue.entries:
            return  # the second half of a double click on Remove
        if what == "folder":
            self.chosen = entry
            self._open_folder()
        elif what == "remove":
            self.queue.remove(entry)
            self.chosen = None if self.chosen is entry else self.chosen
        else:
            getattr(self.queue, what)(entry)
            if what == "cancel":
                self._context.tell(cancelled_told(entry))
        self._show_queue()
        self._timer.start(STEP_MS)

    def _pause_all(self) -> None:
        active = [entry for entry in self.queue.entries if entry.state in ("running", "waiting")]
        for entry in active or [entry for entry in self.queue.entries if entry.state == "paused"]:
            (self.queue.pause if active else self.queue.resume)(entry)
        self._show_queue()

    def _step(self) -> None:
        """Let the queue go on; shown or not."""
        before = self.queue.running
        busy = self.queue.step()
        for trouble in self.queue.troubles:
            self._context.tell(trouble)
        self.queue.troubles.clear()
        for error in self.queue.unexpected:
            sys.excepthook(type(error), error, error.__traceback__)  # to where all errors go that nobody expected
        self.queue.unexpected.clear()
        if self.isVisible() and busy:
            self._show_queue()
        if before is not None and self.queue.running is None:
            self._finished(before)
        if not busy and self.audition.path is None:
            self._timer.stop()
        self.detail.wave.place = self.audition.place
        self.results.mark_playing(self.audition.path.name if self.audition.path else "")
        if self.audition.path is not None:
            self.detail.wave.update()

    def _finished(self, entry: Entry) -> None:
        if entry.state == "done":
            self._context.tell(done_told(entry))
        elif entry.state == "failed":
            self._context.tell(f"{tr(entry.job.title)}: {next(iter(entry.failed.values()))}")
        self._show_queue()

    def _show_queue(self) -> None:
        entries = self.queue.entries
        if self.chosen is None and entries:
            self.chosen = entries[-1]
        self.jobs.show_entries(entries, self.chosen)
        self.empty_queue.setVisible(not entries)
        self._queue_area.setVisible(bool(entries))
        self._queue_area.setFixedHeight(min(QUEUE_H, max(46, self.jobs.sizeHint().height() + 4)))
        states = [entry.state for entry in entries]
        told = [f"{states.count(s)} {tr(s)}" for s in ("running", "waiting", "paused", "done", "failed") if s in states]
        self.queue_told.setText(", ".join(told))
        active = any(state in ("running", "waiting") for state in states)
        self.pause_all.setVisible(active or "paused" in states)
        self.pause_all.setText(tr("Pause all") if active else tr("Go on"))
        self.show_entry(self.chosen)

    # -- results ----------------------------------------------------------------------------------------------------

    def show_entry(self, entry: Entry | None) -> None:
        """Show the results of a job."""
        if entry is not self.chosen:
            self.chosen = entry
            self.jobs.show_entries(self.queue.entries, entry)
        files = entry.files if entry is not None else []
        self.results.show_files(files, any(file.seam is not None for file in files))
        flagged = entry.flagged if entry is not None else 0
        whole = entry.total if entry is not None else 0
        told = tr("{count} of {whole}", count=len(files), whole=whole) if whole > len(files) else f"{len(files)}"
        self.results_told.setText(with_flagged(told, entry) if entry is not None else "")
        self.cure_all.setEnabled(any(finding.cure for file in files for finding in file.findings))
        self.flagged.setEnabled(bool(flagged) or self.flagged.isChecked())

    def _show_result(self, file: File | None) -> None:
        shown = self.results.shown
        number = shown.index(file) + 1 if file in shown else 0
        self.detail.show_file(self.chosen, file, number, len(shown))

    def _path(self, file: File) -> Path:
        assert self.chosen is not None
        return Path(self.chosen.tasks[0].folder) / file.names[0]

    def play(self, file: File | None, *, seam: bool = False) -> None:
        """Play a file, or stop it."""
        if file is None:
            return
        if self.audition.path == self._path(file) and not seam:
            self.audition.stop()
        else:
            try:
                self.audition.play(self._path(file), seam=seam)
            except DunefallError as error:
                self._context.tell(str(error))
        self._timer.start(STEP_MS)

    def _open_seed(self, file: File) -> None:
        set_seed(self._context.session.document, file.seed)
        self._context.shell.show_workspace("build")
        name, seed = file.names[0], file.seed
        self._context.tell(tr("The patch has the seed of {name} now, {seed:04d}.", name=name, seed=seed))

    def cure(self, file: File, finding: Finding) -> None:
        """Make a flagged file again with its cure."""
        if self.chosen is not None and finding.changes:
            self.queue.make_again(self.chosen, [file.number], finding.changes)
            self._context.tell(tr("{cure}: {names} is made again.", cure=finding.cure, names=file.names[0]))
            self._show_queue()
            self._timer.start(STEP_MS)

    def _cure_chosen(self) -> None:
        if (file := self.detail.file) is not None:
            self.cure(file, next(finding for finding in file.findings if finding.cure))

    def make_flagged_again(self) -> None:
        """Make every flagged file again with its own cure."""
        for file in self.chosen.files if self.chosen is not None else ():
            for finding in [finding for finding in file.findings if finding.changes][:1]:
                self.cure(file, finding)

    def _again(self, other_seed: bool) -> None:
        if self.chosen is not None and self.detail.file is not None:
            self.queue.make_again(self.chosen, [self.detail.file.number], {"seed": "next"} if other_seed else {})
            self._show_queue()
            self._timer.start(STEP_MS)

    def _open_folder(self) -> None:
        if self.chosen is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(self.chosen.tasks[0].folder))

    # -- as a page --------------------------------------------------------------------------------------------------

    def _show_settings(self) -> None:
        differing = self.settings.differing()
        count = len(differing)
        self.back.setText(tr_count("{count} setting changed", "{count} settings changed", count) if count else "")
        self.back.setVisible(bool(count))
        self._settings_head.setText(tr(self.settings.job.title))

    def show_patch(self) -> None:
        """The patch has changed: what is rendered next is as it is now."""
        if self.isVisible():
            self._follow_file()
            self.settings.set_source(self._source())

    def show_selection(self) -> None:
        """Nothing is selected here; the layer of what is selected elsewhere is offered when this page is shown."""

    def _offer_layer(self) -> None:
        selection, patch = self._context.selection, self._context.session.patch
        if selection.inside and patch.has(selection.inside[0]):
            layer = patch.layer_of(selection.inside[0])
            if layer in mixed_layers(patch) and layer.id != self.settings.job.layer:
                self.settings.set(layer=layer.id)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        for part in (self.settings, self.jobs, self.results, self.detail):
            part.set_theme(theme)
        self._style()
        self._show_queue()

    def listen(self, on: bool) -> None:
        """A result that plays stops when another workspace is shown."""
        if on and not self._shown:
            self._follow_file()
            self.settings.set_source(self._source())
            self._offer_layer()
            self._show_queue()
        elif not on:
            self.audition.stop()
        self._shown = on

    def animate(self) -> None:
        """Nothing here follows the sound."""

    def follow(self) -> None:
        """Nothing is kept."""

    def hear(self, message: object) -> None:
        """The engine has nothing to say to it."""

    def take_focus(self) -> None:
        """The preset that is chosen."""
        next((button for button in self.preset_buttons if button.isChecked()), self.preset_buttons[0]).setFocus()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow window the chosen result makes way."""
        wide = self.width() >= NARROW_W
        self.detail.setVisible(wide)
        self._columns.setContentsMargins(0, 0, 0 if wide else 8, 0)
        super().resizeEvent(event)


def _heading(text: str) -> QLabel:
    label = QLabel(text)
    label.setFont(sans(14, 600))
    return label
