"""The main window: header, notices and the pages of the workspaces around one session."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QCloseEvent, QKeyEvent, QKeySequence, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLabel,
    QMainWindow,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.theme import Theme, apply_theme, sans, wanted_theme
from dunefall.app.editing import modules
from dunefall.app.editing.layers import another_seed
from dunefall.app.listening import hearing, transport
from dunefall.app.listening.keeping import keep_last
from dunefall.app.model.context import Context, Settings
from dunefall.app.model.workspace import Page, Workspace
from dunefall.app.shell import files, menus
from dunefall.app.shell.commanddialog import CommandDialog
from dunefall.app.shell.commands import gathered
from dunefall.app.shell.guard import guard_overrides
from dunefall.app.shell.header import Header, position_text, type_seed, type_tempo
from dunefall.app.shell.helppages import help_pages
from dunefall.app.shell.helpwindow import HelpWindow
from dunefall.app.shell.hints import Hints, header_hints
from dunefall.app.shell.notices import NoticeDialog, Notices
from dunefall.app.shell.preferencesdialog import PreferencesDialog
from dunefall.app.shell.recovery import CrashCopies
from dunefall.app.shell.talk import WindowTalk
from dunefall.app.workspaces import WORKSPACES
from dunefall.base.errors import DunefallError
from dunefall.base.language import decimal, tr
from dunefall.base.preferences import Preferences
from dunefall.catalogue.repeats import repeat_of_patch
from dunefall.catalogue.search import entries
from dunefall.engine import messages as say
from dunefall.engine.shared import Status
from dunefall.patch.model import MASTER_ID, SHARED_ID
from dunefall.patch.userlibrary import UserLibrary, library_folder
from dunefall.session import Session

__all__ = ["MainWindow"]

FRAME_MS = 16
CALM_S = 0.5
"""So often live pictures move where the user wants it calm."""
START_FADE_S = 1.5
EMPTY_Y, EMPTY_H = 130, 40
REPEAT_MS = 150
"""After so much quiet it is worked out when the patch begins again."""


class MainWindow(QMainWindow):
    """The window of one session; it owns the session and closes it.

    Parameters
    ----------
    preferences : Preferences, optional
        What the user prefers, to be kept; without them nothing is read or written.
    workspaces : sequence of Workspace
        The first one is shown at first.
    """

    def __init__(
        self,
        session: Session,
        theme: Theme,
        preferences: Preferences | None = None,
        workspaces: Sequence[Workspace] = WORKSPACES,
    ) -> None:
        super().__init__()
        self.session, self.first_fade_s = session, START_FADE_S
        self._bins_seen, self._moved_s, self._play_when_ready = -1, 0.0, True
        self.setWindowTitle("Dunefall")
        self.setMinimumSize(1100, 700)
        self.resize(1280, 800)
        self.header, self.pages = Header(theme, workspaces), QStackedWidget()
        self.notice = Notices(self.pages, theme)
        settings, library = Settings(preferences), UserLibrary(library_folder())
        self.context = Context(session, WindowTalk(self, self.notice), self, theme, settings, library)
        self.selection = self.context.selection
        self.workspaces = {workspace.id: workspace for workspace in workspaces}
        self._pages: dict[str, Page] = {workspace.id: workspace.make(self.context) for workspace in workspaces}
        self.commands = gathered(workspaces)
        self.actions_by_id = menus.actions(self.commands, self.context, self)
        self._shown = workspaces[0].id
        self._help: HelpWindow | None = None
        self._build()
        self.copies = CrashCopies(self.context, self)
        self._repeat_timer = self._timer(self._show_repeat, once=True)
        self._connect()
        guard_overrides()
        self._apply_keys()
        self._show_patch()
        self.show_workspace(self._shown)
        self._frame_timer = self._timer(self._frame)
        self._frame_timer.start(FRAME_MS)
        threading.Thread(target=entries, name="starters", daemon=True).start()  # so that the palette opens at once

    def _timer(self, run: Callable[[], object], *, once: bool = False) -> QTimer:
        timer = QTimer(self)
        timer.setSingleShot(once)
        timer.timeout.connect(run)
        return timer

    # -- making -------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        for page in self._pages.values():
            assert isinstance(page, QWidget)
            self.pages.addWidget(page)
        column.addWidget(self.pages, 1)
        self.setCentralWidget(middle)
        menus.fill_bar(self.menuBar(), self.commands, self.actions_by_id, self.context)
        self.header.title.clicked.connect(lambda: modules.ask_title(self.context))
        self.empty = QLabel(self.pages)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.empty.setFont(sans(13))
        self._style()

    def _style(self) -> None:
        theme = self.context.theme
        self.header.setStyleSheet(f"Header {{ background: {theme.raised}; border-bottom: 1px solid {theme.line} }}")

    def _connect(self) -> None:
        header, context = self.header, self.context
        context.selection.seen_changed.connect(self._show_patch)
        context.selection.changed.connect(self._show_selection)
        self.session.playing_changed.connect(header.show_playing)
        for name, button in header.workspaces.items():
            button.clicked.connect(partial(self._workspace_clicked, name))
        header.play.clicked.connect(lambda: transport.toggle_play(context))
        header.stop.clicked.connect(lambda: transport.rewind(context))
        header.reroll.clicked.connect(lambda: another_seed(context))
        header.keep.clicked.connect(lambda: keep_last(context))
        header.tempo.editingFinished.connect(self._tempo_typed)
        header.seed.editingFinished.connect(lambda: type_seed(context, header.seed))

    # -- as the shell of the commands (model.context.Shell) -----------------------------------------------------

    def key_of(self, command: str) -> str:
        """The key of a command by its id, as text."""
        return str(self.actions_by_id[command].shortcut().toString())

    def page(self, name: str) -> Any:
        """The page of a workspace, by its id."""
        return self._pages[name]

    def show_workspace(self, name: str) -> None:
        """Show a workspace; what is measured for the others rests."""
        self._shown = name
        page = self._pages[name]
        assert isinstance(page, QWidget)
        self.pages.setCurrentWidget(page)
        self.header.show_workspace(name)
        for other, hidden in self._pages.items():
            hidden.listen(other == name)
        self._listen()
        self._show_empty()
        page.take_focus()

    def set_theme(self, theme: Theme) -> None:
        """Draw everything in this theme."""
        self.context.theme = theme
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        apply_theme(app, theme)
        self._style()
        self.header.set_theme(theme)
        self.notice.set_theme(theme)
        for page in self._pages.values():
            page.set_theme(theme)

    def ask_preferences(self) -> None:
        """Let the user choose theme, size, folder and keys."""
        dialog = PreferencesDialog(self.context.settings.values, self.commands, self)
        self.context.talk.show(dialog, lambda: self._take_preferences(dialog.values))

    def show_notices(self) -> None:
        """Show earlier notices."""
        self.context.talk.show(NoticeDialog(self.notice, self))

    @property
    def shown(self) -> Workspace:
        """The workspace that is shown."""
        return self.workspaces[self._shown]

    def show_help(self, page: str, heading: str = "", words: Sequence[str] = ()) -> None:
        """Show a page of the help; its window stays open beside this one."""
        if self._help is None:
            self._help = HelpWindow(help_pages(self.commands, self.key_of), self)
        self._help.show()
        self._help.show_page(page, heading, words)
        self._help.raise_()
        self._help.activateWindow()

    def ask_command(self) -> None:
        """Let the user search every command, and do one."""
        dialog = CommandDialog(self.commands, self.context, self)
        self.context.talk.show(dialog, lambda: dialog.chosen.run() if dialog.chosen else None)

    def _take_preferences(self, values: Preferences) -> None:
        before = self.context.settings.values
        self.context.settings.take(values)
        self._apply_keys()
        if values.theme != before.theme:
            self.set_theme(wanted_theme(values.theme or None))
        if values.language != before.language:
            self.context.tell(tr("The new language applies from the next start."))
        if values.scale != before.scale:
            self.context.tell(
                tr("The new size of {scale:.0f} % applies from the next start.", scale=values.scale * 100)
            )

    def _apply_keys(self) -> None:
        """Give every command its key: the user's own, or the usual one."""
        for command in self.commands:
            key = self.context.settings.values.shortcuts.get(command.id, command.key)
            action = self.actions_by_id[command.id]
            action.setShortcut(QKeySequence(key))
            action.setToolTip(f"{command.text} ({key})" if key else command.text)

    # -- showing ------------------------------------------------------------------------------------------------

    def _show_patch(self) -> None:
        """Show the patch as it is now."""
        document = self.session.document
        patch = document.patch
        menu = QApplication.activePopupWidget()
        if isinstance(menu, QMenu):
            menu.close()  # what it offers is of the patch before
        self.header.show_title(patch.title, document.modified)
        self.setWindowTitle(f"{patch.title.replace('[*]', '[*][*]')}[*] \u2013 Dunefall")
        self.setWindowModified(document.modified)
        for field, text in (
            (self.header.tempo, decimal(f"{patch.tempo_bpm:.1f} BPM")),
            (self.header.seed, f"{patch.seed:04d}"),
        ):
            if not field.hasFocus():
                field.setText(text)
        self._repeat_timer.start(REPEAT_MS)
        for page in self._pages.values():
            page.show_patch()
        self._listen()
        self._show_empty()
        self._update_actions()

    def _show_empty(self) -> None:
        """What to do first, over the page, while there is no layer."""
        self.empty.setText(self.shown.empty)
        self.empty.setGeometry(0, EMPTY_Y, self.pages.width(), EMPTY_H)
        self.empty.setVisible(all(layer.id in (SHARED_ID, MASTER_ID) for layer in self.session.patch.layers))
        self.empty.raise_()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The sentence over an empty page stays in its middle."""
        super().resizeEvent(event)
        self._show_empty()

    def _show_repeat(self) -> None:
        patch = self.session.patch
        self.header.show_repeat(repeat_of_patch(patch), patch.tempo_bpm)

    def _show_selection(self) -> None:
        for page in self._pages.values():
            page.show_selection()
        self._listen()
        self._update_actions()

    def _listen(self) -> None:
        """Have the engine compute what the shown workspace listens to."""
        self.session.engine.watch(self.shown.listens(self.context))

    def _update_actions(self) -> None:
        menus.update(self.commands, self.actions_by_id, self.context)

    def _workspace_clicked(self, name: str, _checked: bool = False) -> None:
        self.show_workspace(name)

    def _tempo_typed(self) -> None:
        if type_tempo(self.context, self.header.tempo):
            self._pages[self._shown].take_focus()

    def show_hints(self) -> None:
        """Five hints that point at real controls; none comes back once dismissed."""
        shown = self._shown
        own = self.workspaces[shown].hints(self.context, self._pages[shown])
        hints = Hints((*own, *header_hints(self.header)), self.context.theme, self)
        hints.ended.connect(lambda: self.context.settings.change(hints_seen=True))

    def note_recent(self, path: Path | None) -> None:
        """The window was opened with a patch of a file."""
        files.note_recent(self.context, path)

    # -- living -------------------------------------------------------------------------------------------------

    def _frame(self) -> None:
        """One frame: messages of the engine, then everything that is live."""
        engine = self.session.engine
        for message in self.session.poll():
            self.hear(message)
        refused = self.session.control.take_osc()
        if refused:
            self.context.tell(refused)
        cure = self.session.clicks.follow(self.session.patch, engine, self.key_of("soften"))
        if cure:
            self._update_actions()
            self.context.talk.tell(cure, (tr("Soften"), partial(transport.soften_last, self.context)))
        moves = not self.context.settings.values.calm or time.monotonic() - self._moved_s >= CALM_S
        if moves:
            self._moved_s = time.monotonic()
            self._show_levels()
        if engine.bins_written != self._bins_seen:
            self._bins_seen = engine.bins_written
            for page in self._pages.values():
                page.follow()
            if moves:
                self._pages[self._shown].animate()

    def _show_levels(self) -> None:
        """What the header says of the sound."""
        status = self.session.engine.status
        rate = status[Status.RATE] or self.session.options.rate
        self.header.position.setText(position_text(status[Status.POSITION] / rate))
        peaks = status[Status.PEAKS : Status.PEAKS + max(2, int(status[Status.CHANNELS]))].tolist()
        if status[Status.BLOCKS]:  # nothing is measured before the first sound
            levels = (status[Status.TRUE_PEAK], status[Status.LUFS], status[Status.REDUCTION])
            self.header.meter.show_levels(peaks, *levels)
        self.header.show_lead(*self._lead())
        self.header.show_load(status[Status.LOAD], int(status[Status.UNDERRUNS]))

    def _lead(self) -> tuple[str, bool]:
        """Whom the tempo follows, and whether it is there."""
        session = self.session
        if session.engine.follows_transport:
            return "transport", session.transport.there
        return ("clock", session.clock.runs(time.monotonic())) if session.clock.on else ("", False)

    def hear(self, message: object) -> None:
        """A message of the engine: what concerns everybody, then the pages."""
        self._tell_of(message)
        for page in self._pages.values():
            page.hear(message)

    def _tell_of(self, message: object) -> None:
        tell = self.context.tell
        if isinstance(message, say.Progress) and message.name:
            tell(tr("Preparing the sound engine for this machine, once: {name} ({done} of "
                    "{total}). You can look around meanwhile.", name=message.name, done=message.done + 1,
                    total=message.total))  # fmt: skip
        elif isinstance(message, say.Prepared):
            self.context.talk.quiet()
            if self._play_when_ready:
                self._play_when_ready = False
                self.session.play(self.first_fade_s)
        elif isinstance(message, say.DeviceChosen):
            self.header.meter.set_device(tr("{name}, {rate:g} kHz, {frames} frames", name=message.name,
                                            rate=message.rate / 1000, frames=message.frames))  # fmt: skip
            if message.note:
                tell(message.note)
        elif isinstance(message, say.Faults) and message.modules:
            there = [module for module in message.modules if self.session.patch.has(module)]
            names = ", ".join(self.session.patch.module(module).name for module in there)
            if names:
                key = self.key_of("reset")
                tell(tr("{names} produced invalid numbers and was muted. Select it and press {key} to restart it.",
                        names=names, key=key))  # fmt: skip
        elif isinstance(message, say.Turned):
            learned = self.session.control.turned(message.controller, message.place)
            if learned:
                tell(learned)
        elif isinstance(message, say.Clicked) and self.session.patch.has(message.module):
            told = self.session.clicks.take(message, self.session.patch, self.session.engine)
            if told:
                tell(told)
        elif isinstance(message, say.Trouble) and message.details:
            error = DunefallError(message.text.removesuffix("."))
            error.add_note(message.details)
            sys.excepthook(type(error), error, None)  # to where all errors go that nobody expected
        elif isinstance(message, say.Trouble):
            tell(message.text)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter presses the button that has the focus, or opens its list: Space plays and pauses everywhere."""
        widget = self.focusWidget()
        alone = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
        enter = alone and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if enter and isinstance(widget, QAbstractButton):
            widget.click()
        elif enter and isinstance(widget, QComboBox):
            widget.showPopup()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """What is heard only while a key is held ends."""
        held = [self.key_of(command.id).rpartition("+")[2] for command in self.commands if command.held]
        if not event.isAutoRepeat() and QKeySequence(event.key()).toString() in held:
            self.context.held_key_up.emit()
            hearing.key_released(self.context)
        super().keyReleaseEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ask about unsaved changes, then end the engine."""
        if not files.may_leave(self.context):
            event.ignore()
            return
        self._frame_timer.stop()
        self.copies.forget()
        self.context.closing.emit()
        self.session.close()
        event.accept()
