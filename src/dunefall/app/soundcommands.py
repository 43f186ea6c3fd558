"""The window's commands for what sounds: transport, tempo and seed, device, limiter, memories."""

from __future__ import annotations

import time
from dataclasses import replace

from PySide6.QtWidgets import QInputDialog

from dunefall.app.clickwatch import Culprit, find_culprit
from dunefall.app.seenparts import SeenParts
from dunefall.app.widgets.devicedialog import DeviceDialog
from dunefall.base.errors import ParameterError
from dunefall.base.units import parse_time, parse_value
from dunefall.engine.messages import Clicked, EngineOptions, Play
from dunefall.patch.take import Clear, Note

__all__ = ["SoundCommands"]

CLICK_PAUSE_S = 8.0
"""Clicks are told no more often than this."""


class SoundCommands(SeenParts):
    """Playing, and everything that is not in the patch; ``culprit`` made the last click that was told."""

    culprit: Culprit | None = None
    _clicks_told = -CLICK_PAUSE_S

    def play(self, fade_s: float = Play.fade_s) -> None:
        """Let sound run, fading in."""
        self.session.engine.play(fade_s)
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
        for module in self.chosen_modules:
            self.session.engine.act(Clear(module))

    def play_key(self, note: float, velocity: float) -> None:
        """A key of the on-screen keyboard went down, or up (velocity 0): the selected module plays it."""
        if self.canvas.selection:
            self.session.engine.act(Note(self.canvas.selection, note, velocity))

    def note_click(self, click: Clicked) -> None:
        """Find out which module made a layer click, and say so, not more often than now and then."""
        patch, engine = self.session.patch, self.session.engine
        if click.module not in {module.id for module in patch.modules()}:
            return
        self.inspector.story.set_clicks(click.module, click.count)
        ago = max(engine.position - click.at, 0)
        found = find_culprit(patch, click.module, ago, engine)
        if found is None or time.monotonic() - self._clicks_told < CLICK_PAUSE_S:
            return
        self._clicks_told, self.culprit = time.monotonic(), found
        layer, name = patch.module(click.module).name, patch.module(found.module).name
        key = self.actions_by_id["soften"].shortcut().toString()
        times = "once" if click.count == 1 else f"{click.count} times so far"
        jump = f"{found.before:.2f} to {found.after:.2f}".replace("-", "−")
        self.tell(f"{layer} clicked ({times}): {name} jumped from {jump}. {key} softens it by a slew of 5 ms.")

    def soften(self) -> None:
        """The cure for the last click: a slew behind the module that made it."""
        if self.culprit is not None and self.culprit.module in {m.id for m in self.session.patch.modules()}:
            slew = self.session.soften(self.culprit.module)
            if slew:
                self.canvas.select(slew)
        self.culprit = None

    def toggle_limiter(self) -> None:
        """Put the output's limiter into the way, or take it out."""
        engine = self.session.engine
        on = not engine.monitor.limited
        engine.set_monitor(replace(engine.monitor, limited=on))
        self.tell("The limiter holds true peaks under −1 dBTP." if on else "The limiter is off: levels may clip.")

    def choose_device(self) -> None:
        """Choose output, live input, MIDI keys, rate and block, while the sound goes on."""
        dialog = DeviceDialog(self.session.options, self)
        self.ask(dialog, lambda: self._use_devices(dialog.values))

    def _use_devices(self, options: EngineOptions) -> None:
        self.session.engine.set_device(options)
        same = {name: getattr(options, name) for name in ("audio", "live", "keys", "rate", "frames")}
        self.prefer(replace(self.preferences, **same))

    def _values_moved(self, values: dict[str, float]) -> None:
        face = self.face
        self.session.set_together(face.taken(values) if face else {self.canvas.selection: values})

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
