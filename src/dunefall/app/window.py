"""The main window: header, lanes, inspector and Watch around one session."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint, QStandardPaths, Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QCursor, QKeySequence, QResizeEvent
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.actions import COMMANDS
from dunefall.app.build.canvas import BuildCanvas
from dunefall.app.header import Header, position_text
from dunefall.app.theme import DUSK, NOON, Theme, apply_theme
from dunefall.app.widgets.inspector import Inspector
from dunefall.app.widgets.linkdialog import LinkDialog
from dunefall.app.widgets.menus import show_menu
from dunefall.app.widgets.renderdialog import RenderDialog
from dunefall.app.widgets.watch import Watch
from dunefall.base.errors import DunefallError, ParameterError
from dunefall.base.units import parse_value
from dunefall.catalogue import catalogue, spec_of
from dunefall.catalogue.declare import STAGES, Param
from dunefall.engine import messages as say
from dunefall.engine.shared import Status
from dunefall.patch.library import DEMO
from dunefall.patch.model import SHARED_ID, Patch, Place
from dunefall.session import Session, open_patch

__all__ = ["MainWindow"]

FRAME_MS = 33
NOTICE_MS = 12_000


class MainWindow(QMainWindow):
    """The window of one session; it owns the session and closes it."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.session, self._theme = session, theme
        self._bins_seen, self._play_when_ready = -1, True
        self.setWindowTitle("Dunefall")
        self.setMinimumSize(1100, 700)
        self.resize(1280, 800)
        self.header = Header(theme)
        self.canvas = BuildCanvas(session.patch, session.engine, theme)
        self.inspector = Inspector(theme, session.engine)
        self.watch = Watch(theme, session.engine, session.options.rate)
        self.notice = QLabel()
        self.actions_by_id: dict[str, QAction] = {}
        self._build()
        self._connect()
        self._show_patch(session.patch, session.patch)
        self.watch.show_pins(session.patch)
        self.inspector.show_module(session.patch, "")
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._frame)
        self._timer.start(FRAME_MS)
        self._notice_timer = QTimer(self)
        self._notice_timer.setSingleShot(True)
        self._notice_timer.timeout.connect(self.notice.hide)

    # -- making -------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        self.notice.setWordWrap(True)
        self.notice.setAccessibleName("Notice")
        self.notice.hide()
        column.addWidget(self.notice)
        row = QHBoxLayout()
        row.setSpacing(0)
        left = QVBoxLayout()
        left.setSpacing(0)
        left.addWidget(self.canvas, 1)
        left.addWidget(self.watch)
        row.addLayout(left, 1)
        row.addWidget(self.inspector)
        column.addLayout(row, 1)
        self.setCentralWidget(page)
        menu = QMenu(self)
        for command in COMMANDS:
            action = QAction(command.text, self)
            if command.shortcut:
                action.setShortcut(QKeySequence(command.shortcut))
            action.setToolTip(f"{command.text} ({command.shortcut})" if command.shortcut else command.text)
            action.triggered.connect(lambda _=False, name=command.method: getattr(self, name)())
            self.addAction(action)
            self.actions_by_id[command.id] = action
            if command.separator:
                menu.addSeparator()
            if command.menu:
                menu.addAction(action)
        menu.aboutToShow.connect(self._update_actions)
        self.header.title.setMenu(menu)
        self._style()

    def _style(self) -> None:
        theme = self._theme
        self.header.setStyleSheet(f"Header {{ background: {theme.raised}; border-bottom: 1px solid {theme.line} }}")
        self.notice.setStyleSheet(
            f"background: {theme.card}; color: {theme.text}; border-bottom: 2px solid {theme.edge}; padding: 6px 16px"
        )

    def _connect(self) -> None:
        header, canvas, inspector, session = self.header, self.canvas, self.inspector, self.session
        session.document.changed.connect(self._show_patch)
        header.play.clicked.connect(self.toggle_play)
        header.stop.clicked.connect(self.rewind)
        header.reroll.clicked.connect(self.reroll)
        header.tempo.editingFinished.connect(self._tempo_typed)
        header.seed.editingFinished.connect(self._seed_typed)
        canvas.selected.connect(self._selected)
        canvas.fold_asked.connect(session.toggle_fold)
        canvas.add_asked.connect(self._ask_module)
        canvas.layer_asked.connect(self.add_layer)
        inspector.value_moved.connect(self._value_moved)
        inspector.settled.connect(lambda: session.document.end_merge())
        inspector.link_asked.connect(self.ask_link)
        inspector.link_changed.connect(session.change_link)
        inspector.link_removed.connect(session.remove_link)
        inspector.renamed.connect(lambda _: self.rename())
        inspector.bypass_asked.connect(self.toggle_bypass)
        inspector.module_asked.connect(canvas.select)

    # -- showing ------------------------------------------------------------------------------------------------

    def _show_patch(self, _before: Patch, patch: Patch) -> None:
        document = self.session.document
        self.header.show_title(patch.title, document.modified)
        for field, text in ((self.header.tempo, f"{patch.tempo_bpm:.1f} BPM"), (self.header.seed, f"{patch.seed:04d}")):
            if not field.hasFocus():
                field.setText(text)
        self.canvas.set_patch(patch)
        self.watch.show_pins(patch)
        self.inspector.show_module(patch, self.canvas.selection)
        self._update_actions()

    def _update_actions(self) -> None:
        document, chosen = self.session.document, bool(self.canvas.selection)
        for name, label in (("undo", document.undo_label), ("redo", document.redo_label)):
            self.actions_by_id[name].setEnabled(bool(label))
            self.actions_by_id[name].setText(f"{name.capitalize()} {label[:1].lower()}{label[1:]}".rstrip())
        for name in ("link", "bypass", "pin", "remove"):
            self.actions_by_id[name].setEnabled(chosen)

    def _selected(self, module: str) -> None:
        self.inspector.show_module(self.session.patch, module)
        self._update_actions()

    def tell(self, text: str) -> None:
        """Show a sentence below the header for a while."""
        self.notice.setText(text)
        self.notice.show()
        self._notice_timer.start(NOTICE_MS)

    def _frame(self) -> None:
        """One frame: messages of the engine, then everything that is live."""
        engine = self.session.engine
        for message in engine.poll():
            self._heard(message)
        status = engine.status
        rate = status[Status.RATE] or self.session.options.rate
        self.header.position.setText(position_text(status[Status.POSITION] / rate))
        self.header.meter.show_levels(
            status[Status.PEAK_LEFT], status[Status.PEAK_RIGHT], status[Status.TRUE_PEAK], status[Status.LUFS]
        )
        self.header.show_load(status[Status.LOAD], int(status[Status.UNDERRUNS]))
        if engine.bins_written != self._bins_seen:
            self._bins_seen = engine.bins_written
            self.canvas.animate()
            self.inspector.animate()
            self.watch.animate()

    def _heard(self, message: object) -> None:
        if isinstance(message, say.Progress) and message.name:
            self.tell(
                f"Preparing the sound engine for this machine, once: {message.name} ({message.done + 1} of "
                f"{message.total}). You can look around meanwhile."
            )
        elif isinstance(message, say.Prepared):
            self.notice.hide()
            if self._play_when_ready:
                self._play_when_ready = False
                self.play()
        elif isinstance(message, say.DeviceChosen):
            self.header.meter.setToolTip(f"Output through the {message.name}")
            if message.note:
                self.tell(message.note)
        elif isinstance(message, say.Faults):
            self.canvas.set_faults(message.modules)
            if message.modules:
                names = ", ".join(self.session.patch.module(module).name for module in message.modules)
                self.tell(f"{names} gave no usable number and was silenced. Stop and play to start it again.")
        elif isinstance(message, say.Trouble):
            self.tell(message.text)

    # -- transport ----------------------------------------------------------------------------------------------

    def play(self) -> None:
        """Let sound run."""
        self.session.engine.play()
        self.header.show_playing(True)

    def toggle_play(self) -> None:
        """Play or pause."""
        if self.header.property("playing"):
            self.session.engine.stop()
            self.header.show_playing(False)
        else:
            self.play()

    def rewind(self) -> None:
        """Stop and go back to the start."""
        self.session.engine.rewind()
        self.header.show_playing(False)

    def reroll(self) -> None:
        """Another seed."""
        self.session.reroll()

    def toggle_freeze(self) -> None:
        """Hold or release Watch."""
        self.watch.freeze.toggle()

    # -- values -------------------------------------------------------------------------------------------------

    def _value_moved(self, param: str, value: float) -> None:
        self.session.set_param(self.canvas.selection, param, value)

    def _tempo_typed(self) -> None:
        field, patch = self.header.tempo, self.session.patch
        try:
            bpm = parse_value(field.text(), "bpm")
            if not 10 <= bpm <= 400:
                raise ParameterError(f"The tempo must be 10 to 400 BPM; got {field.text()}.")
            self.session.set_tempo(bpm)
            self.session.document.end_merge()
        except ParameterError as error:
            self.tell(str(error))
        field.setText(f"{self.session.patch.tempo_bpm:.1f} BPM")
        if patch is not self.session.patch:
            self.canvas.setFocus()

    def _seed_typed(self) -> None:
        field = self.header.seed
        text = field.text().strip()
        if text.isascii() and text.isdigit() and int(text) < 2**32:
            self.session.set_seed(int(text))
        else:
            self.tell(f"A seed is a whole number from 0 to {2**32 - 1}; got “{text}”.")
        field.setText(f"{self.session.patch.seed:04d}")

    # -- modules and links --------------------------------------------------------------------------------------

    def link_selection(self) -> None:
        """ "Move this…" for the selected module's main parameter, or the rail that has the focus."""
        focused = next((port for port, rail in self.inspector.rails.items() if rail.hasFocus()), None)
        spec = spec_of(self.session.patch.module(self.canvas.selection).type) if self.canvas.selection else None
        if spec is not None:
            port = focused or spec.face or (spec.inputs[0].id if spec.inputs else "")
            if port:
                self.ask_link(port)

    def ask_link(self, port: str) -> None:
        """Let the user choose what moves a port of the selected module."""
        patch, target = self.session.patch, Place(self.canvas.selection, port)
        module = patch.module(target.module)
        spec = spec_of(module.type)
        found = spec.target(port) if spec else None
        if found is None:
            return
        verb = "moves" if isinstance(found, Param) else "feeds"
        title = f"What {verb} {found.name.lower()} of {module.name}?"
        dialog = LinkDialog(patch, title, self.session.engine, self._theme, self)
        dialog.accepted.connect(lambda: self._link(dialog.chosen, target))
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _link(self, source: Place | None, target: Place) -> None:
        if source is not None:
            try:
                self.session.add_link(source, target)
            except DunefallError as error:
                self.tell(str(error))

    def add_module(self) -> None:
        """Add a module to the selected module's layer, or to Shared."""
        chosen = self.canvas.selection
        layer = self.session.patch.layer_of(chosen).id if chosen else SHARED_ID
        self._ask_module(layer, QCursor.pos())

    def _ask_module(self, layer: str, where: QPoint) -> None:
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        title = menu.addAction(f"Add to {self.session.patch.layer(layer).name}")
        title.setEnabled(False)
        for stage in STAGES:
            specs = [spec for spec in catalogue().values() if spec.stage == stage and not spec.lane_end]
            if specs:
                part = menu.addMenu(stage.capitalize())
                part.setToolTipsVisible(True)
                for spec in specs:
                    action = part.addAction(spec.name, partial(self._add_module, layer, spec.id))
                    action.setToolTip(spec.sentence)
        show_menu(menu, where)

    def _add_module(self, layer: str, type_id: str) -> None:
        self.canvas.select(self.session.add_module(layer, type_id))

    def add_layer(self) -> None:
        """Add an empty layer under a name."""
        name, good = QInputDialog.getText(self, "Add layer", "Name of the new layer")
        if good and name.strip():
            self.canvas.select(self.session.add_layer(name.strip()[:60]))

    def toggle_bypass(self) -> None:
        """Bypass the selected module, or use it again."""
        chosen = self.canvas.selection
        spec = spec_of(self.session.patch.module(chosen).type) if chosen else None
        if spec and not spec.lane_end:
            self.session.toggle_bypass(chosen)

    def toggle_pin(self) -> None:
        """Pin the selected module in Watch, or take it away."""
        if self.canvas.selection:
            self.session.toggle_pin(self.canvas.selection)

    def rename(self) -> None:
        """Rename the selected module or layer, or the patch if nothing is selected."""
        chosen, patch = self.canvas.selection, self.session.patch
        now = patch.module(chosen).name if chosen else patch.title
        name, good = QInputDialog.getText(self, "Rename", "Name" if chosen else "Title of the patch", text=now)
        if good and chosen:
            self.session.rename(chosen, name)
        elif good:
            self.session.set_title(name)

    def remove(self) -> None:
        """Remove the selected module, or the layer whose head is selected."""
        chosen = self.canvas.selection
        if not chosen:
            return
        layer = self.session.patch.layer_of(chosen)
        if chosen == layer.output_id:
            self.session.remove_layer(layer.id)
        else:
            self.session.remove_module(chosen)

    def toggle_fold(self) -> None:
        """Fold or open the selected module's lane."""
        if self.canvas.selection:
            self.session.toggle_fold(self.session.patch.layer_of(self.canvas.selection).id)

    def undo(self) -> None:
        """Take back the last step."""
        self.session.document.undo()

    def redo(self) -> None:
        """Do again what was taken back."""
        self.session.document.redo()

    # -- files --------------------------------------------------------------------------------------------------

    def _folder(self) -> str:
        path = self.session.document.path
        if path is not None:
            return str(path.parent)
        music = Path(QStandardPaths.writableLocation(QStandardPaths.StandardLocation.MusicLocation) or Path.home())
        return str(music if music.is_dir() else Path.home())

    def new_patch(self) -> None:
        """An empty patch."""
        if self._may_leave():
            self._open(Patch(), None)

    def open_demo(self) -> None:
        """The shipped demo."""
        if self._may_leave():
            self._open(*open_patch(DEMO))

    def open_file(self) -> None:
        """Choose a file and open it."""
        if self._may_leave():
            name, _ = QFileDialog.getOpenFileName(self, "Open a patch", self._folder(), "Patches (*.dunefall)")
            if name:
                self.open_path(Path(name))

    def open_path(self, path: Path) -> bool:
        """Open a file; a dialog says what is wrong with it, and the open patch stays."""
        try:
            patch, _ = open_patch(str(path))
        except DunefallError as error:
            self._warn("This file cannot be opened", str(error))
            return False
        self._open(patch, path)
        return True

    def _open(self, patch: Patch, path: Path | None) -> None:
        before = self.session.patch
        self.canvas.select("")
        self.session.replace_document(patch, path)
        self._show_patch(before, patch)

    def save(self) -> bool:
        """Save to the patch's file, or ask for one."""
        path = self.session.document.path
        return self.save_as() if path is None else self.save_path(path)

    def save_as(self) -> bool:
        """Choose a file and save to it."""
        start = str(Path(self._folder()) / f"{self.session.patch.title}.dunefall".replace("/", "-"))
        name, _ = QFileDialog.getSaveFileName(self, "Save the patch", start, "Patches (*.dunefall)")
        if not name:
            return False
        path = Path(name)
        return self.save_path(path if path.suffix else path.with_suffix(".dunefall"))

    def save_path(self, path: Path) -> bool:
        """Save to a file; a dialog says why it could not be, and the old file stays whole."""
        try:
            self.session.save(path)
        except DunefallError as error:
            self._warn("The patch was not saved", str(error))
            return False
        self._show_patch(self.session.patch, self.session.patch)
        return True

    def render_file(self) -> None:
        """Open the render dialog."""
        path = Path(self._folder()) / f"{self.session.patch.title}.wav".replace("/", "-")
        dialog = RenderDialog(self.session.patch, path, self.session.options.rate, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def _warn(self, title: str, text: str) -> None:
        box = QMessageBox(QMessageBox.Icon.Warning, title, title, QMessageBox.StandardButton.Ok, self)
        box.setInformativeText(text)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()

    def _may_leave(self) -> bool:
        """Whether the patch is saved, or the user does not mind."""
        if not self.session.document.modified:
            return True
        buttons = QMessageBox.StandardButton
        choice = QMessageBox.question(
            self, "Unsaved changes", f"Save the changes to “{self.session.patch.title}”?",
            buttons.Save | buttons.Discard | buttons.Cancel,
        )  # fmt: skip
        return self.save() if choice == buttons.Save else choice == buttons.Discard

    # -- the window itself --------------------------------------------------------------------------------------

    def toggle_theme(self) -> None:
        """The other theme."""
        self.set_theme(DUSK if self._theme is NOON else NOON)

    def set_theme(self, theme: Theme) -> None:
        """Draw everything in this theme."""
        self._theme = theme
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        apply_theme(app, theme)
        self._style()
        self.header.set_theme(theme)
        self.canvas.set_theme(theme)
        self.inspector.set_theme(theme)
        self.watch.set_theme(theme, self.session.patch)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """A low window folds Watch away."""
        self.watch.setVisible(self.height() >= 640)
        super().resizeEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ask about unsaved changes, then end the engine."""
        if not self._may_leave():
            event.ignore()
            return
        self._timer.stop()
        self.session.close()
        event.accept()
