"""What the user prefers: theme, size, folder, and the key of every command."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QKeySequenceEdit,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.model.command import Command
from dunefall.base.language import LANGUAGES, tr
from dunefall.base.preferences import SCALES, Preferences

__all__ = ["PreferencesDialog"]


class PreferencesDialog(QDialog):
    """Lets the user choose; ``values`` are the preferences of then."""

    def __init__(self, preferences: Preferences, commands: tuple[Command, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._before, self._commands = preferences, commands
        self.setWindowTitle(tr("Preferences"))
        self.resize(520, 520)
        column, tabs = QVBoxLayout(self), QTabWidget()
        tabs.addTab(self._general(), tr("General"))
        tabs.addTab(self._keys(), tr("Keys"))
        column.addWidget(tabs, 1)
        self._clash = QLabel()
        self._clash.setWordWrap(True)
        column.addWidget(self._clash)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        self._ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        column.addWidget(buttons)

    def _general(self) -> QWidget:
        page = QWidget()
        form = QFormLayout(page)
        self.theme, self.scale, self.folder = QComboBox(), QComboBox(), QLineEdit(self._before.folder)
        for text, value in ((tr("Follow the desktop"), ""), (tr("Noon (light)"), "noon"), (tr("Dusk (dark)"), "dusk")):
            self.theme.addItem(text, value)
        self.theme.setCurrentIndex(self.theme.findData(self._before.theme))
        self.language = QComboBox()
        for code, text in (("", tr("Follow the desktop")), *LANGUAGES.items()):
            self.language.addItem(text, code)
        self.language.setCurrentIndex(self.language.findData(self._before.language))
        for scale in SCALES:
            self.scale.addItem(f"{scale * 100:.0f} %", scale)
        self.scale.setCurrentIndex(self.scale.findData(self._before.scale))
        self.folder.setPlaceholderText(tr("The music folder"))
        choose = QPushButton(tr("Choose…"))
        choose.clicked.connect(self._choose_folder)
        line = QHBoxLayout()
        line.addWidget(self.folder, 1)
        line.addWidget(choose)
        self.motion = QComboBox()
        for text, calm in ((tr("Full"), False), (tr("Calm: live pictures move twice a second"), True)):
            self.motion.addItem(text, calm)
        self.motion.setCurrentIndex(self.motion.findData(self._before.calm))
        for label, box in (
            (tr("Language"), self.language),
            (tr("Theme"), self.theme),
            (tr("Size of everything"), self.scale),
            (tr("Motion"), self.motion),
        ):
            box.setAccessibleName(label)
            form.addRow(label, box)
        self.folder.setAccessibleName(tr("Folder for patches and sounds"))
        form.addRow(tr("Folder for patches and sounds"), line)
        note = QLabel(tr("Devices, sample rate and block: “Sound devices…” in the Sound menu; they are kept, too."))
        note.setWordWrap(True)
        form.addRow(note)
        return page

    def _keys(self) -> QWidget:
        scroll, page = QScrollArea(), QWidget()
        form = QFormLayout(page)
        self.keys: dict[str, QKeySequenceEdit] = {}
        for command in self._commands:
            edit = QKeySequenceEdit(QKeySequence(self._before.shortcuts.get(command.id, command.key)))
            edit.setClearButtonEnabled(True)
            edit.setAccessibleName(command.text)
            edit.keySequenceChanged.connect(self._look_for_clash)
            self.keys[command.id] = edit
            form.addRow(command.text, edit)
        scroll.setWidget(page)
        scroll.setWidgetResizable(True)
        return scroll

    def _choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Folder for patches and sounds"), self.folder.text())
        if name:
            self.folder.setText(name)

    def _look_for_clash(self) -> None:
        """One key is one command."""
        seen: dict[str, str] = {}
        told = ""
        for command in self._commands:
            key = self.keys[command.id].keySequence().toString()
            if key and key in seen:
                told = tr("{key} is the key of “{seen}” and of “{text}”: give one of them another.", key=key,
                          seen=seen[key], text=command.text)  # fmt: skip
            seen[key] = command.text
        self._clash.setText(told)
        self._ok.setEnabled(not told)

    @property
    def values(self) -> Preferences:
        """What was chosen."""
        keys = {name: edit.keySequence().toString() for name, edit in self.keys.items()}
        own = {c.id: keys[c.id] for c in self._commands if keys[c.id] != QKeySequence(c.key).toString()}
        return replace(
            self._before, theme=str(self.theme.currentData()), language=str(self.language.currentData()),
             scale=float(self.scale.currentData()),
            calm=bool(self.motion.currentData()), folder=self.folder.text().strip(), shortcuts=own,
        )  # fmt: skip
