"""Ogg files with a serial number of ours: libsndfile draws one by the clock, so that no two files are alike.

Source: RFC 3533 (2003): a page's serial number is at byte 14, its checksum at byte 22: CRC-32 with the polynomial
0x04c11db7, starting at 0, not reflected, over the page with the checksum as 0.
"""

from __future__ import annotations

from pathlib import Path

__all__ = ["checksum", "set_serial"]

SERIAL, CHECKSUM, SEGMENTS, HEAD = 14, 22, 26, 27


def _table() -> list[int]:
    table = []
    for value in range(256):
        rest = value << 24
        for _ in range(8):
            rest = ((rest << 1) ^ 0x04C11DB7 if rest & 0x80000000 else rest << 1) & 0xFFFFFFFF
        table.append(rest)
    return table


_TABLE = _table()


def checksum(page: bytes) -> int:
    """The checksum of a page whose own is 0.

    Parameters
    ----------
    page : bytes
        A whole page.

    Returns
    -------
    int

    Examples
    --------
    >>> hex(checksum(b"123456789"))
    '0x89a1897f'
    """
    rest = 0
    for byte in page:
        rest = (rest << 8) & 0xFFFFFFFF ^ _TABLE[rest >> 24 ^ byte]
    return rest


def set_serial(path: Path, serial: int) -> None:
    """Give all pages of a file this serial number; raises OSError.

    Parameters
    ----------
    path : Path
        A file with one stream.
    serial : int [0, 4294967295]
        The number.
    """
    data = bytearray(path.read_bytes())
    at = 0
    while data[at : at + 4] == b"OggS":
        count = data[at + SEGMENTS]
        end = at + HEAD + count + sum(data[at + HEAD : at + HEAD + count])
        data[at + SERIAL : at + SERIAL + 4] = serial.to_bytes(4, "little")
        data[at + CHECKSUM : at + CHECKSUM + 4] = bytes(4)
        data[at + CHECKSUM : at + CHECKSUM + 4] = checksum(bytes(data[at:end])).to_bytes(4, "little")
        at = end
    path.write_bytes(data)
