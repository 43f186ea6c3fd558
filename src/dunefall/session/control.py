"""Control from outside: MIDI controllers and Open Sound Control turn values of the document."""

from __future__ import annotations

from dunefall.base.language import tr
from dunefall.engine.devices.osc import OscInput
from dunefall.patch.document import Document
from dunefall.patch.model import Place
from dunefall.session.edits.controls import learn, turn_controller, turn_named

__all__ = ["HIGHEST_CONTROLLER", "IncomingControl"]

MOST_SHOWN = 60
HIGHEST_CONTROLLER = 127
"""Higher ones are the wheel and the pressure, which go to the keyboards."""


class IncomingControl:
    """What other devices and programs turn.

    Attributes
    ----------
    osc : OscInput or None
        Where Open Sound Control comes in; it is closed with the session.
    """

    def __init__(self, document: Document) -> None:
        self._document = document
        self._learning: Place | None = None
        self.osc: OscInput | None = None

    def learn_next(self, place: Place) -> None:
        """Let the next controller that moves move this value."""
        self._learning = place

    def turned(self, controller: int, share: float) -> str:
        """A controller's position in its range, 0 to 1: what it moves follows, or it is learned. Returns a notice, or
        an empty text.

        Parameters
        ----------
        controller : int [0, 129]
            Number of the MIDI controller; 128 and 129 are the wheel and the pressure.
        share : float [0, 1]
            Place in its range.

        Returns
        -------
        str
        """
        place, patch = self._learning, self._document.patch
        if place is None or controller > HIGHEST_CONTROLLER or not patch.has(place.module):
            turn_controller(self._document, controller, share)
            return ""
        self._learning = None
        control = learn(self._document, place, controller)
        return tr("Controller {controller} moves {name} from now on.", controller=controller,
                  name=self._document.patch.module(control).name)  # fmt: skip

    def take_osc(self) -> str:
        """Turn what other programs have turned; returns what could not be used, if anything."""
        osc = self.osc
        if osc is None:
            return ""
        for name, share in osc.taken().items():
            if not turn_named(self._document, name, share):
                osc.refuse("control", tr("there is no control “{name}” in this patch", name=name[:MOST_SHOWN]))
        return osc.told()

    def close(self) -> None:
        """Listen to no other program any more."""
        if self.osc is not None:
            self.osc.close()
            self.osc = None
