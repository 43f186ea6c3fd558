"""What the inspector's parts ask for, and where they take live values from."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from dunefall.engine.messages import AskPortrait, GotPortrait

__all__ = ["Live", "Wishes"]


class Live(Protocol):
    """Where live values come from."""

    def value_now(self, module: str, port: str) -> float | None:
        """Present value of an input or parameter."""

    def trace(self, module: str, port: str = "") -> NDArray[np.float32] | None:
        """Lowest and highest values per bin of an output (the first one), oldest first."""

    def portrait(self, wanted: AskPortrait) -> GotPortrait | None:
        """The last curves that were made; these are wanted."""


class Wishes(QObject):
    """Everything that the user asks of the selected module; whoever owns the inspector does it.

    Signals
    -------
    settled ()
        A movement of a rail, a row or a picture ended.
    reach_scaled (str, float)
        What moves a port is to move it so many times as far.
    link_asked (str), link_changed (object), link_removed (str)
    range_asked (str), range_typed (str, str), link_soloed (str)
        "Move this…" for a port; a link with other values; a link to take away; a link's range is to be typed, or was;
        a link is to be heard alone.
    lock_asked (str), movement_copied (str), movement_pasted (str), learn_asked (str)
        A value is to be locked against randomising; its movement is to be copied; the copied movement, or the next
        controller, is to move it.
    left ()
        Escape: the keys go back to the lanes.
    fold_asked (str)
        A group of values is to be folded or unfolded, by its name.
    renamed (str), bypass_asked (), module_asked (str), compound_pressed (str)
        Another name; the bypass switch; a module's name was clicked; a compound is to be opened, or the one of a part
        closed.
    control_moved (str, float), key_played (float, float)
        A Named control of the front moved to a share of its range; a key went down, or up (velocity 0).
    drawn (object), refused (str), tuning_asked ()
        Series by id with other numbers; why a typed number was not taken; a tuning file is wanted.
    sound_asked (), sound_removed ()
        Another sound file is wanted; none is.
    """

    settled = Signal()
    left = Signal()
    fold_asked = Signal(str)
    link_asked = Signal(str)
    reach_scaled = Signal(str, float)
    lock_asked = Signal(str)
    movement_copied = Signal(str)
    movement_pasted = Signal(str)
    learn_asked = Signal(str)
    link_changed = Signal(object)
    link_removed = Signal(str)
    range_asked = Signal(str)
    range_typed = Signal(str, str)
    link_soloed = Signal(str)
    renamed = Signal(str)
    bypass_asked = Signal()
    module_asked = Signal(str)
    compound_pressed = Signal(str)
    control_moved = Signal(str, float)
    key_played = Signal(float, float)
    drawn = Signal(object)
    refused = Signal(str)
    tuning_asked = Signal()
    sound_asked = Signal()
    sound_removed = Signal()
