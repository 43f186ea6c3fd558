"""What a WAV file says about itself beside the samples: broadcast metadata, iXML, loop points, marks.

Sources: EBU Tech 3285 version 2 (``bext`` with loudness), the RIFF specification of 1994 (``smpl``, ``cue ``,
``LIST adtl``), EBU Tech 3306 (RF64), the iXML specification; from memory.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from pathlib import Path
from xml.sax.saxutils import escape

from dunefall.deliver.measure import Measures

__all__ = ["About", "add_chunks", "chunks_of"]

_TEXT = "ascii"
_NO_LOUDNESS = 0x7FFF


@dataclass(frozen=True)
class About:
    """What is written into a file.

    Attributes
    ----------
    title, artist, comment : str
    program : str
        What made it, with its version.
    made : str
        Date and time, ``2026-11-29T12:00:00``.
    seed : int
    loop : (int, int) or None
        First and last frame of the loop.
    marks : tuple of (frame, text)
    broadcast : bool
        Whether broadcast metadata are written; without them nothing in the file depends on the date.
    """

    title: str
    program: str
    made: str
    seed: int
    artist: str = ""
    comment: str = ""
    loop: tuple[int, int] | None = None
    marks: tuple[tuple[int, str], ...] = ()
    broadcast: bool = False


def _fixed(text: str, size: int) -> bytes:
    return text.encode(_TEXT, "replace")[:size].ljust(size, b"\0")


def _hundredths(value: float) -> int:
    return max(-0x7FFF, min(0x7FFE, round(100 * value))) if value > -100.0 else _NO_LOUDNESS


def _bext(about: About, measures: Measures, coding: str) -> bytes:
    description = ". ".join(text for text in (about.title, about.comment, f"seed {about.seed}") if text)
    date, _, time = about.made.partition("T")
    loudness = (
        measures.lufs, measures.range_lu, measures.true_peak_db, measures.momentary_lufs, measures.short_term_lufs,
    )  # fmt: skip
    numbers = [_hundredths(value) for value in loudness]
    return b"".join((
        _fixed(description, 256), _fixed(about.artist or "Dunefall", 32), _fixed(f"DUNEFALL{about.seed:010d}", 32),
        _fixed(date, 10), _fixed(time, 8), struct.pack("<IIH", 0, 0, 2), bytes(64), struct.pack("<5h", *numbers),
        bytes(180), coding.encode(_TEXT) + b"\r\n\0",
    ))  # fmt: skip


def _ixml(about: About, rate: int, channels: int) -> bytes:
    text = (
        '<?xml version="1.0" encoding="UTF-8"?>\n<BWFXML><IXML_VERSION>1.61</IXML_VERSION>'
        f"<PROJECT>{escape(about.title)}</PROJECT><NOTE>{escape(about.comment or f'seed {about.seed}')}</NOTE>"
        f"<SPEED><FILE_SAMPLE_RATE>{rate}</FILE_SAMPLE_RATE></SPEED>"
        f"<TRACK_LIST><TRACK_COUNT>{channels}</TRACK_COUNT></TRACK_LIST></BWFXML>"
    )
    return text.encode("utf-8")


def _smpl(loop: tuple[int, int], rate: int) -> bytes:
    head = struct.pack("<9I", 0, 0, round(1e9 / rate), 60, 0, 0, 0, 1, 0)
    return head + struct.pack("<6I", 0, 0, loop[0], loop[1], 0, 0)


def _marks(marks: tuple[tuple[int, str], ...]) -> list[tuple[bytes, bytes]]:
    points = [struct.pack("<II4sIII", k, at, b"data", 0, 0, at) for k, (at, _) in enumerate(marks, 1)]
    labels = b"adtl"
    for k, (_, text) in enumerate(marks, 1):
        data = struct.pack("<I", k) + text.encode("utf-8", "replace") + b"\0"
        labels += b"labl" + struct.pack("<I", len(data)) + data + b"\0" * (len(data) % 2)
    return [(b"cue ", struct.pack("<I", len(points)) + b"".join(points)), (b"LIST", labels)]


def chunks_of(about: About, measures: Measures, rate: int, channels: int, coding: str) -> list[tuple[bytes, bytes]]:
    """The chunks of a file: (name, content) each.

    Parameters
    ----------
    about : About
        What is written.
    measures : Measures
        Of the file: the loudness fields.
    rate, channels : int
        Of the file.
    coding : str
        The coding history, such as ``A=PCM,F=48000,W=24,M=stereo``.

    Returns
    -------
    list of (bytes, bytes)
    """
    found = []
    if about.broadcast:
        found += [(b"bext", _bext(about, measures, coding)), (b"iXML", _ixml(about, rate, channels))]
    if about.loop is not None:
        found.append((b"smpl", _smpl(about.loop, rate)))
    return found + (_marks(about.marks) if about.marks else [])


def add_chunks(path: Path, chunks: list[tuple[bytes, bytes]]) -> None:
    """Append chunks to a finished RIFF or RF64 file and correct its length; raises OSError.

    Parameters
    ----------
    path : Path
        The file.
    chunks : list of (bytes, bytes)
        See ``chunks_of``.
    """
    with path.open("r+b") as file:
        kind = file.read(4)
        file.seek(0, 2)
        if file.tell() % 2:
            file.write(b"\0")
        for name, data in chunks:
            file.write(name + struct.pack("<I", len(data)) + data + b"\0" * (len(data) % 2))
        size = file.tell() - 8
        if kind == b"RF64":
            file.seek(20)
            file.write(struct.pack("<Q", size))  # the first number of ds64, which comes first in the file
        else:
            file.seek(4)
            file.write(struct.pack("<I", size))
