"""An offset between two clocks, though one of them is read a little early or late each time."""

from __future__ import annotations

__all__ = ["Steady"]

JUMP_S, SHARE = 0.05, 0.02
"""What is read less than this from the mean moves it by that share; what is further off is where it is now."""


class Steady:
    """An offset that follows what is read.

    Attributes
    ----------
    seconds : float
        The offset.

    Examples
    --------
    >>> offset = Steady()
    >>> offset.follow(2.0), offset.follow(2.02)
    (2.0, 2.0004)
    """

    def __init__(self) -> None:
        self.seconds = 0.0

    def follow(self, seen_s: float) -> float:
        """Take what was read into account.

        Parameters
        ----------
        seen_s : float
            The offset as it was read.

        Returns
        -------
        float
            The offset from now on.
        """
        off_s = seen_s - self.seconds
        self.seconds += off_s if abs(off_s) > JUMP_S else SHARE * off_s
        return self.seconds
