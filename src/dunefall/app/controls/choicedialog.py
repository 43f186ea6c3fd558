"""What the small dialogs share that let the user choose some values: a form, a note and two buttons."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLabel, QVBoxLayout, QWidget

__all__ = ["ChoiceDialog"]


class ChoiceDialog(QDialog):
    """A form with a ``note`` under it; what it shows is added by ``add``."""

    def __init__(self, title: str, note: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(420)
        self._form = QFormLayout()
        self.note = QLabel(note)
        self.note.setWordWrap(True)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addLayout(self._form)
        column.addWidget(self.note)
        column.addWidget(buttons)

    def add(self, label: str, box: QWidget) -> None:
        """Add a value under its name."""
        box.setAccessibleName(label)
        self._form.addRow(label, box)
