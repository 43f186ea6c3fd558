"""The main window: header, lanes, inspector and Watch around one session."""

from __future__ import annotations

import threading
from dataclasses import replace

from PySide6.QtCore import QTimer
from PySide6.QtGui import QAction, QCloseEvent, QCursor, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.actions import COMMANDS
from dunefall.app.build.canvas import BuildCanvas
from dunefall.app.compoundcommands import CompoundCommands
from dunefall.app.copycommands import CopyCommands
from dunefall.app.drawer import Drawer
from dunefall.app.filecommands import FileCommands
from dunefall.app.guard import guard_overrides
from dunefall.app.header import Header, position_text
from dunefall.app.hints import Hints, first_hints
from dunefall.app.mix.workspace import MixWorkspace
from dunefall.app.mixcommands import MixCommands
from dunefall.app.modulecommands import ModuleCommands
from dunefall.app.preferencecommands import PreferenceCommands
from dunefall.app.quietwatch import QuietWatch
from dunefall.app.soundcommands import SoundCommands
from dunefall.app.theme import DUSK, NOON, Theme, apply_theme
from dunefall.app.widgets.inspector import Inspector
from dunefall.app.widgets.watch import Watch
from dunefall.base.preferences import Preferences
from dunefall.catalogue.compounds import Seeing, outermost
from dunefall.catalogue.repeats import repeat_of_patch
from dunefall.catalogue.search import entries
from dunefall.engine import messages as say
from dunefall.engine.shared import Status
from dunefall.patch.compounds import modules_in
from dunefall.patch.model import Patch
from dunefall.session import Session

__all__ = ["MainWindow"]

FRAME_MS = 16
NOTICE_MS = 12_000
START_FADE_S = 1.5
HELD = ("hear", "without")
"""Commands whose keys may be held."""
NEED_SELECTION = (
    "link", "bypass", "pin", "remove", "reset", "voices", "duplicate", "duplicate_all", "copy", "vary", "compound",
    "up", "down", "learn", "open_compound", "edit_compound", "keep_compound", "take_apart",
)  # fmt: skip
"""Commands that are grey while nothing is selected."""
REPEAT_MS = 150
"""After so much quiet it is worked out when the patch begins again."""


class MainWindow(
    FileCommands, ModuleCommands, CompoundCommands, SoundCommands, MixCommands, CopyCommands, PreferenceCommands
):
    """The window of one session; it owns the session and closes it.

    Parameters
    ----------
    preferences : Preferences, optional
        What the user prefers, to be kept; without them nothing is read or written.
    """

    def __init__(self, session: Session, theme: Theme, preferences: Preferences | None = None) -> None:
        guard_overrides()
        super().__init__()
        self.session, self._theme = session, theme
        self.preferences, self.lasting = preferences or Preferences(), preferences is not None
        self.first_fade_s, self._quiet_watch = START_FADE_S, QuietWatch()
        self._bins_seen, self._play_when_ready = -1, True
        self.setWindowTitle("Dunefall")
        self.setMinimumSize(1100, 700)
        self.resize(1280, 800)
        self.header = Header(theme)
        self._seeing = Seeing()
        self.canvas = BuildCanvas(self.see(session.patch), session.engine, theme)
        self.inspector = Inspector(theme, session.engine)
        self.watch = Watch(theme, session.engine, session.options.rate)
        self.mix = MixWorkspace(session.patch, session.engine, theme, session.options.rate)
        self.pages = QStackedWidget()
        self.notice = QLabel()
        self.actions_by_id: dict[str, QAction] = {}
        self._repeat_timer = QTimer(self)
        self._repeat_timer.setSingleShot(True)
        self._repeat_timer.timeout.connect(self._show_repeat)
        self._build()
        self._connect()
        self.connect_preferences()
        self.show_patch(session.patch, session.patch)
        self.watch.show_pins(session.patch)
        self.inspector.show_module(self.seen, "")
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._frame)
        self._timer.start(FRAME_MS)
        threading.Thread(target=entries, name="starters", daemon=True).start()  # so that the palette opens at once
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
        build = QWidget()
        row = QHBoxLayout(build)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        left = QVBoxLayout()
        left.setSpacing(0)
        left.addWidget(self.canvas, 1)
        left.addWidget(self.watch)
        row.addLayout(left, 1)
        self.drawer = Drawer(build, row, self.inspector, self.canvas)
        self.drawer.covered.connect(self.canvas.set_covered)
        self.pages.addWidget(build)
        self.pages.addWidget(self.mix)
        column.addWidget(self.pages, 1)
        self.setCentralWidget(page)
        menu, parts = QMenu(self), {}
        for command in COMMANDS:
            action = QAction(command.text, self)
            action.triggered.connect(lambda _=False, name=command.method: getattr(self, name)())
            action.setAutoRepeat(command.id not in HELD)
            self.addAction(action)
            self.actions_by_id[command.id] = action
            if command.separator:
                menu.addSeparator()
            if command.part and command.part not in parts:
                parts[command.part] = menu.addMenu(command.part)
            if command.id == "recent":
                self.recent_menu = menu.addMenu(command.text)
            else:
                parts.get(command.part, menu).addAction(action)
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
        session.document.changed.connect(self.show_patch)
        for name, button in header.workspaces.items():
            button.clicked.connect(lambda _=False, name=name: self.show_workspace(name))
        self.connect_mix()
        self.connect_copying()
        self.connect_compounds()
        header.play.clicked.connect(self.toggle_play)
        header.stop.clicked.connect(self.rewind)
        header.reroll.clicked.connect(self.reroll)
        header.tempo.editingFinished.connect(self._tempo_typed)
        header.seed.editingFinished.connect(self._seed_typed)
        canvas.selected.connect(self._selected)
        canvas.entered.connect(inspector.focus_first)
        canvas.fold_asked.connect(session.toggle_fold)
        canvas.add_asked.connect(self.show_palette)
        canvas.layer_asked.connect(self.add_layer)
        inspector.values_moved.connect(self._values_moved)
        inspector.drawn.connect(lambda series: session.set_series(canvas.selection, series))
        inspector.compound_pressed.connect(self.press_compound)
        inspector.tuning_asked.connect(self.choose_tuning)
        inspector.left.connect(canvas.setFocus)
        inspector.settled.connect(lambda: session.document.end_merge())
        inspector.link_asked.connect(self.ask_link)
        inspector.reach_scaled.connect(lambda port, factor: session.scale_reach(self.place_of(port), factor))
        inspector.lock_asked.connect(lambda port: session.toggle_lock(self.place_of(port)))
        inspector.learn_asked.connect(self.learn_controller)
        inspector.movement_copied.connect(self.copy_movement)
        inspector.movement_pasted.connect(self.paste_movement)
        inspector.link_changed.connect(lambda link: session.change_link(self.real_link(link)))
        inspector.range_asked.connect(self.ask_range)
        inspector.link_soloed.connect(self.hear_link_alone)
        inspector.link_removed.connect(session.remove_link)
        inspector.renamed.connect(lambda _: self.rename())
        inspector.bypass_asked.connect(self.toggle_bypass)
        inspector.sound_asked.connect(self.choose_sound)
        inspector.sound_removed.connect(self.remove_sound)
        inspector.module_asked.connect(self.select_seen)
        inspector.control_moved.connect(session.turn_control)
        inspector.key_played.connect(self.play_key)

    # -- showing ------------------------------------------------------------------------------------------------

    def show_patch(self, _before: Patch, patch: Patch) -> None:
        """Show another state of the patch."""
        document = self.session.document
        self.header.show_title(patch.title, document.modified)
        for field, text in ((self.header.tempo, f"{patch.tempo_bpm:.1f} BPM"), (self.header.seed, f"{patch.seed:04d}")):
            if not field.hasFocus():
                field.setText(text)
        self._repeat_timer.start(REPEAT_MS)
        self.canvas.set_patch(self.see(patch))
        self.watch.show_pins(patch)
        self.mix.set_patch(patch)
        self.inspector.show_module(self.seen, self.canvas.selection)
        self._update_actions()

    def _show_repeat(self) -> None:
        patch = self.session.patch
        self.header.show_repeat(repeat_of_patch(patch), patch.tempo_bpm)

    def _update_actions(self) -> None:
        document, chosen = self.session.document, bool(self.canvas.selection)
        self.actions_by_id["soften"].setEnabled(self.culprit is not None)
        for name, label in (("undo", document.undo_label), ("redo", document.redo_label)):
            self.actions_by_id[name].setEnabled(bool(label))
            self.actions_by_id[name].setText(f"{name.capitalize()} {label[:1].lower()}{label[1:]}".rstrip())
        for name in NEED_SELECTION:
            self.actions_by_id[name].setEnabled(chosen)

    def _selected(self, module: str) -> None:
        self.inspector.show_module(self.seen, module)
        inside = modules_in(self.session.patch, (module,))
        self.mix.select(inside[0] if inside else "")
        self.drawer.need(bool(module))
        if not self.mix.isVisible():
            self.session.engine.watch(inside)
        self._update_actions()

    def show_workspace(self, name: str) -> None:
        """Show a workspace; what is measured for the other one rests."""
        mixing = name == "mix"
        self.pages.setCurrentIndex(1 if mixing else 0)
        self.header.show_workspace(name)
        self.mix.listen(mixing)
        if mixing:
            self.mix.rows.setFocus()
        else:
            self.session.engine.watch(modules_in(self.session.patch, (self.canvas.selection,)))

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
        self._take_osc()
        status = engine.status
        rate = status[Status.RATE] or self.session.options.rate
        self.header.position.setText(position_text(status[Status.POSITION] / rate))
        peaks = status[Status.PEAKS : Status.PEAKS + max(2, int(status[Status.CHANNELS]))].tolist()
        self.header.meter.show_levels(peaks, status[Status.TRUE_PEAK], status[Status.LUFS], status[Status.REDUCTION])
        self.header.show_load(status[Status.LOAD], int(status[Status.UNDERRUNS]))
        if engine.bins_written != self._bins_seen:
            self._bins_seen = engine.bins_written
            self.watch.remember()
            if self._quiet_watch.look(self.session.patch, engine, engine.position, rate):
                quiet = self.as_seen(self._quiet_watch.quiet)
                self.canvas.set_quiet(quiet)
                self.inspector.story.set_quiet(quiet)
            for part in (self.mix,) if self.mix.isVisible() else (self.canvas, self.inspector, self.watch):
                part.animate()

    def _take_osc(self) -> None:
        """What other programs have said: controls move; what cannot be used is told."""
        osc = self.session.osc
        while osc is not None and osc.heard:
            name, share = osc.heard.popleft()
            if not self.session.turn_named(name, share):
                osc.refused.append(f"there is no control “{name}” in this patch")
        if osc is not None and osc.refused:
            self.tell(f"Open Sound Control: {osc.refused.popleft()}.")

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
                self.play(self.first_fade_s)
        elif isinstance(message, say.DeviceChosen):
            self.watch.rate = self.mix.masking.rate = message.rate
            self.header.meter.set_device(f"{message.name}, {message.rate / 1000:g} kHz, {message.frames} frames")
            if message.note:
                self.tell(message.note)
        elif isinstance(message, say.Faults):
            shown = outermost(self.session.patch, self.opened)
            self.canvas.set_faults(tuple(shown.get(module, module) for module in message.modules))
            if message.modules:
                names = ", ".join(self.session.patch.module(module).name for module in message.modules)
                key = self.actions_by_id["reset"].shortcut().toString()
                self.tell(
                    f"{names} gave no usable number and was silenced. Select it and press {key} to start it anew."
                )
        elif isinstance(message, say.Turned):
            if not self.take_controller(message.controller):
                self.session.turn_controller(message.controller, message.place)
        elif isinstance(message, say.Clicked):
            self.note_click(message)
        elif isinstance(message, say.ProgramRuns):
            asleep = self.as_seen(message.asleep)
            self.canvas.set_asleep(asleep)
            self.inspector.story.set_asleep(asleep)
        elif isinstance(message, say.Trouble):
            self.tell(message.text)

    # -- the window itself --------------------------------------------------------------------------------------

    def toggle_theme(self) -> None:
        """The other theme, also from the next start on."""
        self.set_theme(DUSK if self._theme is NOON else NOON)
        self.prefer(replace(self.preferences, theme=self._theme.name))

    def zoom_in(self) -> None:
        """Draw the lanes larger."""
        self.canvas.zoom(1)

    def zoom_out(self) -> None:
        """Draw the lanes smaller, so that more of them are seen."""
        self.canvas.zoom(-1)

    def zoom_back(self) -> None:
        """Draw the lanes as large as they are."""
        self.canvas.zoom(0)

    def toggle_inspector(self) -> None:
        """Show the inspector, or give its room to the lanes."""
        self.drawer.toggle()

    def show_recent(self) -> None:
        """The patches that were open of late."""
        self.recent_menu.popup(QCursor.pos())

    def show_hints(self) -> None:
        """Five hints that point at real things; once they are gone they are gone for good."""
        hints = Hints(first_hints(self), self._theme, self)
        hints.ended.connect(lambda: self.prefer(replace(self.preferences, hints_seen=True)))

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
        self.mix.set_theme(theme)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """What is heard only while a key is held ends."""
        if not event.isAutoRepeat():
            self.let_go(event.key())
        super().keyReleaseEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """A low window folds Watch away."""
        self.watch.setVisible(self.height() >= 640)
        super().resizeEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ask about unsaved changes, then end the engine."""
        if not self.may_leave():
            event.ignore()
            return
        self._timer.stop()
        self.forget_copy()
        self.session.close()
        event.accept()
