"""The window's commands for what sounds: transport, tempo and seed, device, limiter, memories."""

from __future__ import annotations

from PySide6.QtWidgets import QInputDialog

from dunefall.app.parts import WindowParts
from dunefall.app.widgets.devicedialog import DeviceDialog
from dunefall.base.errors import ParameterError
from dunefall.base.units import parse_time, parse_value
from dunefall.patch.take import Clear

__all__ = ["SoundCommands"]


class SoundCommands(WindowParts):
    """Playing, and everything that is not in the patch."""

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

    def go_to(self) -> None:
        """Go to a time of the take, in the state that the sound had there."""
        text, good = QInputDialog.getText(self, "Go to", "Time since the start, such as 1:30 or 45 s")
        if not good:
            return
        try:
            seconds = parse_time(text)
            if seconds > self.session.seconds:
                raise ParameterError(f"the take is {self.session.seconds:.1f} s long; {text.strip()} is not there yet")
            self.session.seek(seconds)
        except ParameterError as error:
            self.tell(str(error))

    def silence_everything(self) -> None:
        """Clear all echoes, tails and states; what still plays starts from nothing."""
        self.session.engine.act(Clear())

    def reset_module(self) -> None:
        """Clear what the selected module remembers; one that was stopped sounds again."""
        if self.canvas.selection:
            self.session.engine.act(Clear(self.canvas.selection))

    def toggle_limiter(self) -> None:
        """Put the output's limiter into the way, or take it out."""
        on = not self.session.limited
        self.session.set_limiter(on)
        self.tell("The limiter holds true peaks under −1 dBTP." if on else "The limiter is off: levels may clip.")

    def choose_device(self) -> None:
        """Choose output, live input, MIDI keys, rate and block, while the sound goes on."""
        dialog = DeviceDialog(self.session.options, self)
        self.ask(dialog, lambda: self.session.engine.set_device(dialog.values))

    def _values_moved(self, values: dict[str, float]) -> None:
        self.session.set_params(self.canvas.selection, values)

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
