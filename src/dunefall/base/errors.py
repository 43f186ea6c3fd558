"""The project's errors: one root, and a kind for each thing that can be at fault."""

from __future__ import annotations

__all__ = ["DeviceError", "DunefallError", "ParameterError", "PatchError", "StorageError"]


LONGEST = 1000
"""Characters of an error."""


class DunefallError(Exception):
    """Root of all errors that are reported to the user: the text is one clear sentence, on one line, whatever it
    quotes."""

    def __init__(self, message: object = "") -> None:
        line = "".join(letter if letter.isprintable() else " " for letter in " ".join(str(message).split()))
        super().__init__(line if len(line) <= LONGEST else f"{line[:LONGEST]}…")


class ParameterError(DunefallError):
    """A value that does not fit its parameter.

    Attributes
    ----------
    allowed : str
        The allowed span or set in words, for the field that has to show it.
    """

    def __init__(self, message: str, *, allowed: str = "") -> None:
        super().__init__(message)
        self.allowed = allowed


class PatchError(DunefallError):
    """A patch that cannot be used.

    Attributes
    ----------
    place : str
        Where in the file, such as ``layers[1].modules[0].params.cutoff_hz``; empty if not known.
    """

    def __init__(self, message: str, *, place: str = "") -> None:
        super().__init__(f"{place}: {message}" if place else message)
        self.place = place


class StorageError(DunefallError):
    """A file that could not be read or written."""


class DeviceError(DunefallError):
    """A sound device that is missing or refuses to work."""
