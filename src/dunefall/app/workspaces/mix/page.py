"""The Mix workspace: rows and master on the left; field, masking, correlation and fold-down on the right."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Literal

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from dunefall.app.controls.painting import draw_text
from dunefall.app.controls.theme import Theme, mono, sans
from dunefall.app.model.context import Context
from dunefall.app.workspaces.mix import commands
from dunefall.app.workspaces.mix.field import Field
from dunefall.app.workspaces.mix.masking import MaskingPlot, covering_text
from dunefall.app.workspaces.mix.master import Master
from dunefall.app.workspaces.mix.rows import MixRows
from dunefall.base.language import decimal, tr
from dunefall.base.layouts import LAYOUTS, layout_of
from dunefall.engine.messages import DeviceChosen
from dunefall.engine.shared import Status
from dunefall.patch.mixing import mixed_layers
from dunefall.session.edits.layers import move_layer, set_layout
from dunefall.session.edits.mix import move_along, set_key, set_master
from dunefall.session.edits.modules import set_params, set_series, set_together

__all__ = ["MixPage"]

SIDE_W, SIDE_LEAST_W, ROWS_W, NARROW_W = 480, 288, 818, 380
Fold = Literal["stereo", "mono"]
"""Outputs of each layer that are shown."""


class _Correlation(QWidget):
    """How alike both sides are: reach of the last seconds, and now."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme, self._now, self._low, self._high = theme, 0.0, 0.0, 0.0
        self.setFixedHeight(34)
        self.setAccessibleName(tr("Correlation"))

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        self.update()

    def show_value(self, value: float) -> None:
        """Show this correlation."""
        self._now = value
        self._low, self._high = min(value, self._low + 0.003), max(value, self._high - 0.003)
        self.setAccessibleDescription(decimal(f"{value:+.2f}"))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Rail, reach, dot, number."""
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_text(painter, QRectF(0, 2, 90, 18), tr("Correlation"), sans(13, 600), theme.colour("text"))
        left, width, y = 100.0, self.width() - 170.0, 10.0
        painter.setPen(QPen(theme.colour("edge"), 2))
        painter.drawLine(QPointF(left, y), QPointF(left + width, y))
        painter.drawLine(QPointF(left + width / 2, y - 5), QPointF(left + width / 2, y + 5))
        low, high, now = (left + width * (v + 1) / 2 for v in (self._low, self._high, self._now))
        painter.fillRect(QRectF(low, y - 3, max(high - low, 2), 6), theme.colour("line"))
        painter.setPen(QPen(theme.colour("card"), 1))
        painter.setBrush(theme.colour("hot" if self._now < -0.2 else "text"))
        painter.drawEllipse(QPointF(now, y), 5, 5)
        for x, text in ((left, tr("−1 opposed")), (left + width / 2, "0"), (left + width, tr("+1 same"))):
            draw_text(painter, QRectF(x - 40, 17, 80, 16), text, sans(11), theme.colour("text2"), centre=True)
        text = decimal(f"{self._now:+.2f}").replace("-", "−")
        draw_text(painter, QRectF(self.width() - 60, 2, 60, 18), text, mono(13, 600), theme.colour("text"), right=True)
        painter.end()


class MixPage(QWidget):
    """All of the Mix workspace."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        session, theme = context.session, context.theme
        patch, engine, rate = session.patch, session.engine, session.options.rate
        self._context = context
        self._patch, self._engine, self._theme, self._ticks = patch, engine, theme, 0
        self._selection = ""
        self.rows = MixRows(patch, engine, theme)
        self.field = Field(patch, engine, theme)
        self.masking = MaskingPlot(patch, engine, theme, rate)
        self.master = Master(patch, theme)
        self._correlation = _Correlation(theme)
        self.told, self.place, self.mono_told = QLabel(), QLabel(), QLabel()
        self.cure, self.loop = QPushButton(tr("Make it give way")), QPushButton(tr("Draw a loop"))
        self.layout_choice = QComboBox()
        self.folds: dict[Fold, QPushButton] = {"stereo": QPushButton(tr("Stereo")), "mono": QPushButton(tr("Mono"))}
        self._build()
        self._connect()

    def _connect(self) -> None:
        """Let the parts' wishes be done."""
        context, document = self._context, self._context.session.document
        rows, field = self.rows, self.field
        for part in (rows, field):
            part.selected.connect(context.selection.select)
            part.settled.connect(document.end_merge)
        rows.moved.connect(partial(set_together, document))
        rows.group_asked.connect(partial(commands.ask_group, context))
        field.moved.connect(partial(set_params, document))
        rows.send_moved.connect(partial(commands.turn_send, context))
        rows.key_asked.connect(partial(commands.ask_key, context))
        rows.key_dropped.connect(lambda layer: set_key(document, layer, None))
        rows.lane_asked.connect(partial(commands.ask_effect_lane, context))
        rows.order_asked.connect(partial(move_layer, document))
        field.drawn.connect(lambda module, loop: move_along(document, document.patch.layer_of(module).id, loop))
        field.reshaped.connect(lambda gesture, series: set_series(document, gesture, series, label=tr("Reshape")))
        field.menu_asked.connect(partial(commands.show_place_menu, context))
        self.layout_choice.activated.connect(lambda place: set_layout(document, LAYOUTS[place].id))
        self.master.moved.connect(partial(set_master, document))
        self.master.settled.connect(document.end_merge)
        self.master.insert_asked.connect(partial(commands.ask_insert, context))

    def _build(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 0, 8)
        row.setSpacing(8)
        left = QVBoxLayout()
        left.setSpacing(6)
        scroll = QScrollArea()
        scroll.setWidget(self.rows)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        left.addWidget(scroll, 1)
        left.addWidget(self.master)
        row.addLayout(left, 1)
        self.side = QWidget()
        column = QVBoxLayout(self.side)
        column.setContentsMargins(16, 8, 16, 4)
        column.setSpacing(6)
        column.addLayout(self._line(tr("Field"), "", None, self.loop, self.layout_choice))
        column.addWidget(self.field, 1)
        self.place.setFont(sans(12))
        column.addWidget(self.place)
        column.addLayout(self._line(tr("Masking"), tr("the mix, split by each layer's share"), None))
        column.addWidget(self.masking)
        self.told.setWordWrap(True)
        self.told.setMinimumHeight(36)
        line = QHBoxLayout()
        line.addWidget(self.told, 1)
        line.addWidget(self.cure)
        column.addLayout(line)
        column.addWidget(self._correlation)
        column.addLayout(self._line(tr("Fold-down"), "", self.mono_told, *self.folds.values()))
        row.addWidget(self.side)
        for button, tip in (
            (self.cure, tr("The masking layer gives way to the masked one; one undo step")),
            (self.loop, tr("Press, then draw a path in the field; the selected layer follows it in a loop")),
            (self.folds["stereo"], tr("Listen in stereo; press again for the full layout")),
            (self.folds["mono"], tr("Listen in mono; press again for the full layout")),
        ):
            button.setFixedHeight(26)
            button.setStyleSheet("padding: 0 10px")
            button.setToolTip(tip)
        for fold, button in self.folds.items():
            button.setCheckable(True)
            button.clicked.connect(lambda on, fold=fold: self._fold_clicked(fold, on))
        for layout in LAYOUTS:
            self.layout_choice.addItem(layout.name, layout.id)
        self.layout_choice.setAccessibleName(tr("Loudspeakers"))
        self.layout_choice.setToolTip(tr("Loudspeaker layout; changing it moves nothing"))
        self.loop.clicked.connect(self._loop_clicked)
        self.cure.clicked.connect(self._cure)
        self._style()

    def _line(self, title: str, more: str, told: QLabel | None, *controls: QWidget) -> QHBoxLayout:
        line = QHBoxLayout()
        name = QLabel(title)
        name.setFont(sans(14, 600))
        line.addWidget(name)
        if more:
            detail = QLabel(more)
            detail.setFont(sans(12))
            line.addWidget(detail)
        line.addStretch(1)
        if told is not None:
            told.setFont(sans(12))
            line.addWidget(told)
        for control in controls:
            line.addWidget(control)
        return line

    def _style(self) -> None:
        self.side.setStyleSheet(f"QWidget#side {{ background: {self._theme.raised} }}")

    # -- what is shown ------------------------------------------------------------------------------------------

    def show_patch(self) -> None:
        """Show the patch as it is now."""
        self._patch = self._context.session.patch
        for part in (self.rows, self.field, self.masking, self.master):
            part.set_patch(self._patch)
        self._show_layout()

    def _show_layout(self) -> None:
        self.layout_choice.setCurrentIndex(self.layout_choice.findData(self._patch.layout))
        self.folds["stereo"].setEnabled(layout_of(self._patch.layout).channels > 2)

    def _fold_clicked(self, fold: Fold, on: bool) -> None:
        self._engine.set_monitor(replace(self._engine.monitor, fold=fold if on else ""))
        for name, button in self.folds.items():
            button.setChecked(on and name == fold)

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self._theme = theme
        for part in (self.rows, self.field, self.masking, self.master, self._correlation):
            part.set_theme(theme)
        self._style()

    def show_selection(self) -> None:
        """Show which layer is selected, by any of its modules."""
        inside = self._context.selection.inside
        self._selection = inside[0] if inside else ""
        for part in (self.rows, self.field, self.masking):
            part.select(self._selection)

    def listen(self, on: bool) -> None:
        """Have the masking measured while the mix is shown."""
        self.masking.listen(on)

    def follow(self) -> None:
        """Nothing is kept while the page is hidden."""

    def hear(self, message: object) -> None:
        """The sample rate may have changed."""
        if isinstance(message, DeviceChosen):
            self.masking.rate = message.rate

    def take_focus(self) -> None:
        """The rows are what is worked with."""
        self.rows.setFocus()

    def animate(self) -> None:
        """Show everything that is live; half of the frames are enough for rows and field."""
        self._ticks += 1
        self.masking.animate()
        if self._ticks % 2:
            return
        status = self._engine.status
        self.rows.animate()
        self.field.animate()
        self.master.animate(status)
        self._correlation.show_value(float(status[Status.CORRELATION]))
        lost = -float(status[Status.MONO_DB])
        told = tr("Nothing is lost in mono") if lost < 0.5 else tr("Mono loses {lost:.1f} dB", lost=lost)
        self.mono_told.setText(told)
        self.folds["mono"].setToolTip(tr("Listen in mono; press again for the full layout. {told}.", told=told))
        self._tell()

    def _tell(self) -> None:
        worst = self.masking.worst
        self.told.setText(covering_text(self._patch, worst) if worst else tr("Nothing is masked often."))
        self.cure.setVisible(worst is not None)
        if worst is not None:
            self.cure.setText(
                tr("Make it give way by {ducks_by:.0f} dB", ducks_by=commands.ducks_by(self._patch, worst.above))
            )
        layers = mixed_layers(self._patch)
        output = next((x.output_id for x in layers if any(m.id == self._selection for m in x.modules)), "")
        mover = self.field.moved_by(output) if output else ""
        place = self.field.told
        self.place.setText(tr("{place}  moved by {mover}", place=place, mover=mover) if mover else place)
        self.loop.setText(tr("Draw now…") if self.field.drawing else tr("Draw a loop"))
        self.loop.setEnabled(bool(output))

    def _loop_clicked(self) -> None:
        self.field.drawing = not self.field.drawing
        if self.field.drawing:
            self.field.setFocus()  # it may be drawn by keys

    def _cure(self) -> None:
        if self.masking.worst:
            commands.make_way(self._context, self.masking.worst.above, self.masking.worst.below)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """A low window folds Masking away; in a narrow one the field makes way for the rows."""
        self.side.setFixedWidth(min(max(self.width() - ROWS_W, SIDE_LEAST_W), SIDE_W))
        self.masking.setVisible(self.height() > 640)
        self.mono_told.setVisible(self.side.width() > NARROW_W)
        super().resizeEvent(event)
