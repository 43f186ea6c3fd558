"""How many voices a layer has, how far apart they are spread, and where they meet."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QSpinBox, QWidget

from dunefall.app.controls.choicedialog import ChoiceDialog
from dunefall.base.language import tr
from dunefall.patch.model import MOST_VOICES, Layer

__all__ = ["VoicesDialog"]

NOTE = tr("Each voice has all modules up to where the voices meet, with random values of its own and a little off in "
          "pitch and time. With a Keyboard, each note takes the next free voice.")  # fmt: skip


class VoicesDialog(ChoiceDialog):
    """Lets the user choose; ``values`` are voices, spread (0..1) and the module where they meet."""

    def __init__(self, layer: Layer, parent: QWidget | None = None) -> None:
        super().__init__(tr("Voices of {name}", name=layer.name), NOTE, parent)
        self.voices, self.spread, self.meet = QSpinBox(), QSpinBox(), QComboBox()
        self.voices.setRange(1, MOST_VOICES)
        self.voices.setValue(layer.voices)
        self.spread.setRange(0, 100)
        self.spread.setSuffix(" %")
        self.spread.setValue(round(layer.spread * 100))
        self.meet.addItem(tr("at the layer's output"), "")
        for module in layer.modules:
            if module.id != layer.output_id:
                self.meet.addItem(tr("at {name}", name=module.name), module.id)
        self.meet.setCurrentIndex(max(0, self.meet.findData(layer.meet)))
        self.add(tr("Voices"), self.voices)
        self.add(tr("Spread"), self.spread)
        self.add(tr("Voices meet"), self.meet)

    @property
    def values(self) -> tuple[int, float, str]:
        """What was chosen."""
        return self.voices.value(), self.spread.value() / 100, str(self.meet.currentData())
