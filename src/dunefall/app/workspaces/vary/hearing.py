"""Listening to variations: one sound at a time in the place of the patch, as loud as the parent."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from dunefall.app.listening.audition import Audition
from dunefall.app.workspaces.vary.present import Present
from dunefall.patch.family import DISCARDED, State
from dunefall.patch.model import Patch
from dunefall.session import Session
from dunefall.vary.desk import Desk
from dunefall.vary.looks import Look

__all__ = ["PARENT", "Hearing"]

HIGHEST_PEAK, MOST_GAIN = 0.9, 8.0
RESUME_FADE_S = 0.05
PARENT = "parent"
"""What ``playing`` says while the parent plays."""


class Hearing:
    """Plays looks; the patch rests meanwhile.

    Attributes
    ----------
    playing : str
        What plays: the id of a state, ``PARENT``, or "".
    chosen : str
        Id of the state that was played or looked at last.
    in_a_row : bool
        When one has ended, the next one plays.
    matched : function to bool
        Whether all are heard as loud as the parent; whoever knows provides it.
    """

    def __init__(self, session: Session, desk: Desk, present: Present) -> None:
        self._session, self._desk, self._present = session, desk, present
        self.audition = Audition(session.options.audio)
        self.playing, self.chosen, self._played = "", "", set[tuple[str, int]]()
        self.in_a_row, self._resumes = False, False
        self.matched: Callable[[], bool] = lambda: True

    def play(self, what: str, patch: Patch, share: float) -> None:
        """Play a patch from a share of its sound.

        Parameters
        ----------
        what : str
            What ``playing`` says meanwhile.
        patch : Patch
            One that was listened to; of another one nothing is played.
        share : float [0, 1]
            Where it begins.

        Raises
        ------
        StorageError
            If its sound is gone.
        """
        look = self._desk.look(patch)
        if look is None or not look.path:
            return
        self.playing = ""
        like = self._desk.look(self._present.parent_patch) if self.matched() else None
        self.audition.play(Path(look.path), gain=gain_of(look, like), from_s=share * look.seconds)
        if self._session.playing:
            self._session.pause()
            self._resumes = True
        self.playing = what
        self.chosen = self.chosen if what == PARENT else what

    def play_state(self, state: State, share: float) -> None:
        """Play a state, or stop it."""
        if self.playing == state.id and share == 0.0:
            self.stop()
        else:
            self.play(state.id, self._present.patch_of(state), share)
            self._played.add((state.id, state.number))

    def heard(self, state: State) -> bool:
        """Whether a state was played."""
        return (state.id, state.number) in self._played

    def play_parent(self, share: float) -> None:
        """Play what the board came from, or stop it."""
        if self.playing == PARENT and share == 0.0:
            self.stop()
        else:
            self.play(PARENT, self._present.parent_patch, share)

    def turn(self, state: State, before: bool) -> None:
        """While something plays: the parent at the same place, or the state again."""
        share = max(self.place_of(self.playing), 1e-6)
        if before:
            self.play(PARENT, self._present.parent_patch, share)
        else:
            self.play(state.id, self._present.patch_of(state), share)

    def next_new(self) -> State | None:
        """The next state on the board that was not played; None if all were, or their sounds are not there yet."""
        states = self._present.states
        at = next((k for k, state in enumerate(states) if state.id == self.chosen), -1)
        left = [s for s in (*states[at + 1 :], *states[: at + 1]) if not self.heard(s) and s.mark != DISCARDED]
        return next((state for state in left if self._present.has_sound(state)), None)

    def play_on(self, after: str) -> None:
        """Play the state behind another on the board, or the first one; at the end of the row, nothing."""
        states = [s for s in self._present.states if s.mark != DISCARDED and self._present.has_sound(s)]
        at = next((k for k, state in enumerate(states) if state.id == after), -1) + 1
        self.in_a_row = at < len(states)
        if self.in_a_row:
            self.play_state(states[at], 0.0)

    def step(self) -> bool:
        """Go on where a sound has ended by itself; whether anything has changed."""
        if not self.playing or self.audition.place or self.audition.path is not None:
            return False
        ended = self.playing
        self.stop()
        if self.in_a_row:
            self.play_on(ended)
        return True

    def stop(self) -> bool:
        """End what plays; the patch sounds again if it did before. Whether something played."""
        played, self.playing = bool(self.playing), ""
        self.audition.stop()
        if self._resumes:
            self._resumes = False
            self._session.play(RESUME_FADE_S)
        return played

    def place_of(self, what: str) -> float:
        """How far something is, 0..1; below 0 where it does not play."""
        return self.audition.place if self.playing and self.playing == what else -1.0


def gain_of(look: Look, like: Look | None) -> float:
    """What makes a sound as loud as another one, and never louder than what no device clips."""
    gain = 1.0
    if like is not None and like.descriptors is not None and look.descriptors is not None:
        gain = min(MOST_GAIN, float(10.0 ** ((like.descriptors.lufs - look.descriptors.lufs) / 20.0)))
    return min(gain, HIGHEST_PEAK / max(look.peak, 1e-6))
