"""Listening to variations: one sound at a time in the place of the patch, as loud as the parent."""

from __future__ import annotations

from pathlib import Path

from dunefall.app.listening.audition import Audition
from dunefall.session import Session
from dunefall.vary.looks import Look

__all__ = ["Hearing"]

HIGHEST_PEAK, MOST_GAIN = 0.9, 8.0
RESUME_FADE_S = 0.05


class Hearing:
    """Plays looks; the patch rests meanwhile.

    Attributes
    ----------
    playing : str
        What plays: the id of a state, or another name; "": nothing.
    """

    def __init__(self, session: Session) -> None:
        self._session = session
        self.audition = Audition(session.options.audio)
        self.playing = ""
        self._resumes = False

    def play(self, what: str, look: Look, share: float, like: Look | None) -> None:
        """Play a look from a share of it, as loud as another one.

        Parameters
        ----------
        what : str
            Its name in ``playing``.
        look : Look
            With a sound.
        share : float [0, 1]
            Where it begins.
        like : Look or None
            None: as it is, if that is not too loud.

        Raises
        ------
        StorageError
            If its sound is gone.
        """
        self.playing = ""
        self.audition.play(Path(look.path), gain=self.gain(look, like), from_s=share * look.seconds)
        if self._session.playing:
            self._session.pause()
            self._resumes = True
        self.playing = what

    @staticmethod
    def gain(look: Look, like: Look | None) -> float:
        """What makes a sound as loud as another one, and never louder than what no device clips."""
        gain = 1.0
        if like is not None and like.descriptors is not None and look.descriptors is not None:
            gain = min(MOST_GAIN, float(10.0 ** ((like.descriptors.lufs - look.descriptors.lufs) / 20.0)))
        return min(gain, HIGHEST_PEAK / max(look.peak, 1e-6))

    def stop(self) -> bool:
        """End what plays; the patch sounds again if it did before. Whether something played."""
        played, self.playing = bool(self.playing), ""
        self.audition.stop()
        if self._resumes:
            self._resumes = False
            self._session.play(RESUME_FADE_S)
        return played

    @property
    def place(self) -> float:
        """How far it is, 0..1."""
        return self.audition.place if self.playing else -1.0

    def place_of(self, what: str) -> float:
        """How far something is, 0..1; below 0 where it does not play."""
        return self.place if self.playing == what else -1.0
