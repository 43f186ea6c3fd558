"""Which device sounds, at which rate and with how many frames at a time."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QWidget

from dunefall.app.widgets.choicedialog import ChoiceDialog
from dunefall.engine.devices.output import FRAMES, RATES_HZ, device_names
from dunefall.engine.host import EngineOptions

__all__ = ["DeviceDialog"]

NOTE = "A smaller block answers sooner; a larger one is safer on a busy machine. The sound goes on."


class DeviceDialog(ChoiceDialog):
    """Lets the user choose; ``values`` are output, rate in Hz and frames."""

    def __init__(self, options: EngineOptions, parent: QWidget | None = None) -> None:
        super().__init__("Sound device", NOTE, parent)
        self.output, self.rate, self.frames = QComboBox(), QComboBox(), QComboBox()
        self.output.addItem("Best available", "auto")
        self.output.addItem("Simulated output (silent)", "simulated")
        for name in device_names():
            self.output.addItem(name, name)
        for rate in RATES_HZ:
            self.rate.addItem(f"{rate / 1000:g} kHz", rate)
        for frames in FRAMES:
            self.frames.addItem(f"{frames} frames ({frames / options.rate * 1000:.1f} ms)", frames)
        for label, box, value in (
            ("Output", self.output, options.audio),
            ("Sample rate", self.rate, options.rate),
            ("Block", self.frames, options.frames),
        ):
            box.setCurrentIndex(max(0, box.findData(value)))
            self.add(label, box)

    @property
    def values(self) -> tuple[str, float, int]:
        """What was chosen."""
        return str(self.output.currentData()), float(self.rate.currentData()), int(self.frames.currentData())
