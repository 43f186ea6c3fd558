"""Which devices sound, listen, play and are played, at which rate and with how many frames at a time."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QProcess
from PySide6.QtWidgets import QComboBox, QLineEdit, QWidget

from dunefall.app.controls.choicedialog import ChoiceDialog
from dunefall.base.errors import DeviceError
from dunefall.base.language import tr
from dunefall.base.preferences import FRAMES, RATES_HZ
from dunefall.engine.devices.keys import CLOCK
from dunefall.engine.devices.lookout import COMMAND, names_in
from dunefall.engine.devices.osc import HOST, destination
from dunefall.engine.devices.sequencer import port_names, why_no_midi
from dunefall.engine.messages import EngineOptions

__all__ = ["DeviceDialog"]

NOTE = tr(
    "A smaller block answers sooner; a larger one is safer on a busy machine. The live input is open only while a Live "
    "input module listens. The sound goes on."
)


def _note() -> str:
    """What to know of all this; and why there is no MIDI, where there is none."""
    reason, cure = why_no_midi()
    return (
        tr("{NOTE} There is no MIDI here: {reason}. Try: {cure}", NOTE=NOTE, reason=reason, cure=cure)
        if reason
        else NOTE
    )


class DeviceDialog(ChoiceDialog):
    """Lets the user choose; ``values`` are the options of then. Sound devices are looked for while it is open."""

    def __init__(self, options: EngineOptions, parent: QWidget | None = None) -> None:
        super().__init__(tr("Sound devices"), _note(), parent)
        output = [(tr("Best available"), "auto"), (tr("Simulated output (silent)"), "simulated")]
        live = [(tr("Best available"), "auto"), (tr("Simulated microphone"), "simulated")]
        keys = [(tr("First one"), "auto"), (tr("None"), "none"), (tr("Simulated keyboard"), "simulated"),
                (tr("Simulated clock"), CLOCK)]  # fmt: skip
        self.output = self._choice(tr("Output"), output, (options.audio,), options.audio)
        self.rate = self._choice(
            tr("Sample rate"), [(tr("{rate:g} kHz", rate=rate / 1000), rate) for rate in RATES_HZ], (), options.rate
        )
        blocks = [
            (tr("{frames} frames ({rate:.1f} ms)", frames=frames, rate=frames / options.rate * 1000), frames)
            for frames in FRAMES
        ]
        self.frames = self._choice(tr("Block"), blocks, (), options.frames)
        self.live = self._choice(tr("Live input"), live, (options.live,), options.live)
        self.keys = self._choice(tr("MIDI input"), keys, port_names(plays=True), options.keys)
        ports, names = [(tr("None"), "none"), (tr("Simulated port"), "simulated")], port_names(plays=False)
        self.midi_out = self._choice(tr("MIDI notes out"), ports, names, options.midi_out)
        self.clock_out = self._choice(tr("MIDI clock out"), ports, names, options.clock_out)
        self.osc_out = QLineEdit(options.osc_out)
        self.osc_out.setPlaceholderText(tr("None; or a host and a port, such as {HOST}:9000", HOST=HOST))
        self.add(tr("OSC out"), self.osc_out)
        self._look = QProcess(self)
        self._look.finished.connect(self._found)
        self._look.start(COMMAND[0], list(COMMAND[1:]))

    def _choice(self, label: str, first: Sequence[tuple[str, object]], names: Sequence[str], now: object) -> QComboBox:
        box = QComboBox()
        for text, value in (*first, *((name, name) for name in names)):
            if box.findData(value) < 0:
                box.addItem(text, value)
        box.setCurrentIndex(max(0, box.findData(now)))
        self.add(label, box)
        return box

    def _found(self) -> None:
        """The devices that there are now."""
        names = names_in(bytes(self._look.readAllStandardOutput().data()))
        for box, found in ((self.output, names["output"]), (self.live, names["input"])):
            for name in found:
                if box.findData(name) < 0:
                    box.addItem(name, name)

    def accept(self) -> None:
        """Take what was chosen, if it can be used."""
        text = self.osc_out.text().strip()
        try:
            if text:
                destination(text)
        except DeviceError as error:
            self.note.setText(f"{error}.")
            self.osc_out.setFocus()
            return
        super().accept()

    def done(self, result: int) -> None:
        """Look no more."""
        self._look.kill()
        self._look.waitForFinished(500)
        super().done(result)

    @property
    def values(self) -> EngineOptions:
        """What was chosen."""
        return EngineOptions(
            str(self.output.currentData()), float(self.rate.currentData()), int(self.frames.currentData()),
            str(self.live.currentData()), str(self.keys.currentData()), str(self.clock_out.currentData()),
            str(self.midi_out.currentData()), self.osc_out.text().strip(),
        )  # fmt: skip
