"""MIDI ports of Dunefall's own on ALSA's sequencer, connected with others by name, again whenever these come back.

Everything else that plays or is played sees them, and may be connected with them by its own means as well.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from importlib.util import find_spec
from pathlib import Path
from typing import TYPE_CHECKING, Any

import mido

from dunefall.base.errors import DeviceError
from dunefall.base.language import tr

if TYPE_CHECKING:
    from alsa_midi import PortInfo, RealTime, SequencerClient

__all__ = ["SEQUENCER", "SequencerPort", "port_names", "why_no_midi"]

CLIENT = "Dunefall"
SEQUENCER = Path("/dev/snd/seq")
"""Without it ALSA has no MIDI, and says so on the terminal when it is asked."""
ANNOUNCED = (0, 1)
"""The port that tells which others come and go."""
Took = Callable[[Any, float], None]
"""Takes a message of ``mido``'s, and when it came, as ``time.monotonic()`` counts."""


def why_no_midi() -> tuple[str, str]:
    """Why this machine can have no MIDI, and what to do about it; both empty if it can."""
    if not SEQUENCER.exists():
        return tr("this machine has no {path}, the kernel's MIDI sequencer", path=SEQUENCER), "sudo modprobe snd-seq"
    if find_spec("alsa_midi") is None:
        return tr("the package alsa-midi is missing"), "python -m pip install alsa-midi"
    return "", ""


def port_names(*, plays: bool) -> list[str]:
    """Names of the machine's MIDI ports that play, or of those that can be played; none where there is no MIDI.

    Parameters
    ----------
    plays : bool
        Which of them.

    Returns
    -------
    list of str
    """
    if why_no_midi()[0]:
        return []
    try:
        with _told(""):
            client = _client()
            try:
                return list(_others(client, plays))
            finally:
                client.close()
    except DeviceError:
        return []


@contextmanager
def _told(what: str) -> Iterator[None]:
    """An error of ALSA's becomes one of the project's."""
    try:
        import alsa_midi  # not for those who have no MIDI
    except (ImportError, OSError) as error:
        raise DeviceError(f"{what}: {error}") from error
    try:
        yield
    except (alsa_midi.exceptions.Error, OSError) as error:
        raise DeviceError(f"{what}: {error}") from error


def _client() -> SequencerClient:
    import alsa_midi

    return alsa_midi.SequencerClient(CLIENT)


def _others(client: SequencerClient, plays: bool) -> dict[str, PortInfo]:
    """Ports of others by name, the usable ones first; two of one name are numbered."""
    found: dict[str, PortInfo] = {}
    for port in client.list_ports(input=plays, output=not plays, include_midi_through=False, include_no_export=False):
        if port.client_name == CLIENT:
            continue
        client_name = port.client_name or ""
        name = port.name if port.name.startswith(client_name) else f"{client_name} {port.name}"
        count = sum(known == name or known.startswith(f"{name} (") for known in found)
        found[f"{name} ({count + 1})" if count else name] = port
    return found


class SequencerPort:
    """A port of ours, and the thread in which what comes to it is taken.

    Parameters
    ----------
    name : str
        What others see.
    choice : str
        With whom it is connected, by a part of the name; ``auto``: with the first that is there, or comes.
    plays : bool
        Others play by it; else it plays others.
    took : function of (message, float)
        Takes what comes, in the port's thread.
    left : function
        Is told that the other one is gone, in the port's thread.

    Attributes
    ----------
    other : str
        Whom it is connected with; empty while that one is not there.
    told : str
        A sentence where one was named that was not there at first.

    Raises
    ------
    DeviceError
        If there is no MIDI.
    """

    def __init__(
        self, name: str, choice: str, *, plays: bool, took: Took = lambda message, at_s: None,
        left: Callable[[], None] = lambda: None,
    ) -> None:  # fmt: skip
        self.other = self.told = ""
        self._choice, self._plays, self._took, self._left = choice, plays, took, left
        self._at: tuple[int, int] | None = None
        self._parser = mido.Parser()
        kind = tr("MIDI input") if plays else tr("MIDI output")
        reason, cure = why_no_midi()
        if reason:
            raise DeviceError(
                tr(
                    "there is no {kind} “{choice}”: {reason}; try: {cure}",
                    kind=kind,
                    choice=choice,
                    reason=reason,
                    cure=cure,
                )
            )
        with _told(tr("the {kind} “{choice}” cannot be used", kind=kind, choice=choice)):
            import alsa_midi

            self._alsa = alsa_midi
            self._client = _client()
            self._queue = self._client.create_queue(CLIENT)
            self._queue.start()
            self._client.drain_output()
            caps = alsa_midi.WRITE_PORT if plays else alsa_midi.READ_PORT
            self._port = self._client.create_port(
                name, caps, timestamping=True, timestamp_real=True, timestamp_queue=self._queue
            )
            self._news = self._client.create_port("news", alsa_midi.PortCaps.WRITE | alsa_midi.PortCaps.NO_EXPORT)
            self._news.connect_from(ANNOUNCED)
            there = self._seek()
        if choice != "auto" and not self.other:
            self.told = tr("There is no {kind} “{choice}” yet; it is used as soon as it is there. "
                           "This machine has: {there}.", kind=kind, choice=choice,
                           there=", ".join(there) or tr("none"))  # fmt: skip
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)
        self._thread.start()

    def send(self, message: mido.Message) -> None:
        """Send a message now, to all that listen."""
        self._client.event_output(self._alsa.MidiBytesEvent(message.bytes()), port=self._port)
        self._client.drain_output()

    def close(self) -> None:
        """Take and send no more."""
        with _told(tr("a MIDI port cannot be closed")):
            self._client.event_output(self._alsa.EchoEvent(), port=self._news, dest=self._news)
            self._client.drain_output()
        self._thread.join()
        self._client.close()

    def _seek(self) -> list[str]:
        """Connect with the one that is wanted, if it is there and none is connected; gives the names of all."""
        others = _others(self._client, self._plays)
        wanted = (name for name in others if self._choice == "auto" or self._choice.lower() in name.lower())
        name = "" if self._at is not None else next(wanted, "")
        if name:
            (self._port.connect_from if self._plays else self._port.connect_to)(others[name])
            self.other, self._at = name, (others[name].client_id, others[name].port_id or 0)
        return list(others)

    def _run(self) -> None:
        alsa = self._alsa
        while not isinstance(event := self._client.event_input(prefer_bytes=True), alsa.EchoEvent):
            if isinstance(event, alsa.MidiBytesEvent):
                at_s = self._when(event.time)
                self._parser.feed(event.midi_bytes)
                for message in self._parser:
                    self._took(message, at_s)
            elif isinstance(event, alsa.PortStartEvent):
                self._meet()
            elif isinstance(event, alsa.PortExitEvent) and event.addr == self._at:
                self.other, self._at = "", None
                self._left()
                self._meet()

    def _meet(self) -> None:
        """Others have come or gone; one that is gone again by now is no fault."""
        with suppress(self._alsa.exceptions.Error):
            self._seek()

    def _when(self, stamp: RealTime | None) -> float:
        """When something came, as ``time.monotonic()`` counts, by what the clock of the queue showed then."""
        now = self._queue.get_status().real_time
        age_s = 0.0 if stamp is None else now.seconds - stamp.seconds + 1e-9 * (now.nanoseconds - stamp.nanoseconds)
        return time.monotonic() - max(0.0, age_s)
