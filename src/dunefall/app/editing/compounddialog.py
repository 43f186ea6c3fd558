"""What a compound is called and shows: name and sentence, controls with their ranges, inputs and outputs."""

from __future__ import annotations

import re
from dataclasses import replace
from functools import partial

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.replacing import replace_content
from dunefall.base.errors import DunefallError
from dunefall.base.language import tr
from dunefall.base.units import between, parse_range, parse_value
from dunefall.catalogue import spec_of
from dunefall.catalogue.compounds import control_of, inner_param, port_of
from dunefall.catalogue.declare import ModuleSpec
from dunefall.patch.compounds import checked_compound, modules_in
from dunefall.patch.model import Compound, Control, Patch, Place, Port

__all__ = ["CompoundDialog"]


_RANGED = re.compile(rf"^(.*\S)\s+([\d.,−-]+\s*\S*{between()}.*\d.*)$")
"""A control's name with its range: "Wind 200 Hz to 4 kHz"."""


class CompoundDialog(QDialog):
    """Lets the user describe a compound; ``value`` is what was described after the dialog was accepted."""

    def __init__(self, patch: Patch, compound: Compound, parent: QWidget | None = None, *, new: bool = False) -> None:
        super().__init__(parent)
        self._patch, self.value = patch, compound
        self._controls, self._ports = list(compound.controls), list(compound.ports)
        self._rows: list[tuple[QLineEdit, ...]] = []
        self.setWindowTitle(tr("Make a compound") if new else tr("Compound {name}", name=compound.name))
        self.resize(700, 560)
        self.name, self.about = QLineEdit(compound.name), QLineEdit(compound.about)
        self.about.setPlaceholderText(tr("What it does, in one sentence"))
        form = QFormLayout()
        for label, field in ((tr("&Name"), self.name), (tr("&Sentence"), self.about)):
            field.setAccessibleName(label.strip("&"))
            form.addRow(label, field)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setAccessibleName(tr("Controls, inputs and outputs"))
        self._trouble = QLabel()
        self._trouble.setWordWrap(True)
        self._trouble.setAccessibleName(tr("What is wrong"))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.take)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self._scroll, 1)
        column.addWidget(self._trouble)
        column.addWidget(buttons)
        self._fill()
        self.name.selectAll()

    def _fill(self) -> None:
        """A row for each control and port, and what else could be one."""
        page = QWidget()
        grid = QGridLayout(page)
        grid.setColumnStretch(0, 1)
        self._rows = []
        self._head(grid, tr("Controls: the values that are moved from outside"), ("from", "to"))
        for k, control in enumerate(self._controls):
            param = inner_param(self._patch, control.place)
            texts = [param.format(x) if param else f"{x:g}" for x in (control.low, control.high)]
            self._row(grid, control.name, control.place, tuple(texts), partial(self._drop_control, k))
        self._adder(grid, tr("a control"), [x for x in self._values() if x not in {y.place for y in self._controls}])
        self._head(grid, tr("Inputs and outputs: the first output is drawn on its card"), ())
        for k, port in enumerate(self._ports):
            self._row(grid, port.name, port.place, (), partial(self._drop_port, k))
        self._adder(
            grid, tr("an input or output"), [x for x in self._doors() if x not in {y.place for y in self._ports}]
        )
        grid.setRowStretch(grid.rowCount(), 1)
        replace_content(self._scroll, page)

    def _head(self, grid: QGridLayout, text: str, columns: tuple[str, ...]) -> None:
        label = QLabel(text)
        font = label.font()
        font.setWeight(font.Weight.DemiBold)
        label.setFont(font)
        row = grid.rowCount()
        grid.addWidget(label, row, 0)
        for k, name in enumerate(columns):
            grid.addWidget(QLabel(name), row, k + 1)

    def _row(self, grid: QGridLayout, name: str, place: Place, ends: tuple[str, ...], drop: partial[None]) -> None:
        row, inner = grid.rowCount(), self._called(place)
        fields = (QLineEdit(name), *(QLineEdit(text) for text in ends))
        for k, (field, what) in enumerate(
            zip(fields, (tr("Name of"), tr("Lowest of"), tr("Highest of")), strict=False)
        ):
            field.setAccessibleName(f"{what} {inner}")
            field.setToolTip(f"{what} {inner}")
            grid.addWidget(field, row, k)
            if k:
                field.setFixedWidth(96)
        remove = QPushButton(tr("Leave out"))
        remove.setAccessibleName(tr("Leave out {inner}", inner=inner))
        remove.clicked.connect(drop)
        grid.addWidget(remove, row, 3)
        self._rows.append(fields)

    def _adder(self, grid: QGridLayout, what: str, places: list[Place]) -> None:
        box = QComboBox()
        box.setAccessibleName(tr("Add {what}", what=what))
        box.addItem(tr("Add {what}…", what=what))
        for place in places:
            box.addItem(self._called(place), str(place))
        box.activated.connect(lambda k: self._add(Place("", box.itemData(k)).inner) if k else None)
        grid.addWidget(box, grid.rowCount(), 0)

    def _called(self, place: Place) -> str:
        return port_of(self._patch, place).name

    def _specs(self) -> dict[str, ModuleSpec]:
        """The declarations of all modules in it."""
        inside = modules_in(self._patch, self.value.parts)
        return {module: spec for module in inside if (spec := spec_of(self._patch.module(module).type))}

    def _values(self) -> list[Place]:
        """All parameters."""
        return [Place(m, x.id) for m, spec in self._specs().items() for x in spec.params if not x.follows]

    def _doors(self) -> list[Place]:
        """All inputs and outputs."""
        specs = self._specs()
        outputs = [Place(m, output.id) for m, spec in specs.items() for output in spec.outputs]
        return outputs + [Place(m, port.id) for m, spec in specs.items() for port in spec.inputs]

    def _keep_texts(self) -> None:
        """The fields as controls and ports; raises ParameterError where a value is not a number."""
        count = len(self._controls)
        for k, fields in enumerate(self._rows[:count]):
            control = self._controls[k]
            param = inner_param(self._patch, control.place)
            ends, name = [control.low, control.high], fields[0].text()
            if param is not None and (spoken := _RANGED.match(name)):
                name, ends = spoken[1], list(parse_range(spoken[2], param.unit, choices=param.choices))
                ends = [param.check(end, f'"{name}"') for end in ends]
            for j, field in enumerate(fields[1:]):
                if param is not None and field.isModified():
                    ends[j] = param.check(
                        parse_value(field.text(), param.unit, choices=param.choices), f'"{fields[0].text()}"'
                    )
            self._controls[k] = Control(control.place, name, *ends)
        for k, fields in enumerate(self._rows[count:]):
            self._ports[k] = Port(self._ports[k].place, fields[0].text())

    def _change(self, change: partial[None]) -> None:
        """Keep what was typed, change the lists, and show them."""
        try:
            self._keep_texts()
        except DunefallError as error:
            self._trouble.setText(str(error))
            return
        self._trouble.setText("")
        change()
        self._fill()

    def _add(self, place: Place) -> None:
        control = control_of(self._patch, place)
        if control is not None:
            self._change(partial(self._controls.append, control))
        else:
            self._change(partial(self._ports.append, port_of(self._patch, place)))

    def _drop_control(self, k: int) -> None:
        self._change(partial(self._controls.__delitem__, k))

    def _drop_port(self, k: int) -> None:
        self._change(partial(self._ports.__delitem__, k))

    def take(self) -> None:
        """Accept what was described, or say what is wrong with it."""
        try:
            self._keep_texts()
            self.value = checked_compound(replace(
                self.value, name=self.name.text(), about=self.about.text(), controls=tuple(self._controls),
                ports=tuple(self._ports),
            ))  # fmt: skip
        except DunefallError as error:
            self._trouble.setText(str(error))
            return
        self.accept()
