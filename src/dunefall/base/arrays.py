"""Names for what compiled code works on: a checker reads them, Numba does not.

A kernel's items are plain numbers (``float``), not NumPy scalars: that is what they are once it is compiled, and what
it computes with. Any array of NumPy fits; what is called with lists in tests fits, too.
"""

from __future__ import annotations

from typing import Protocol, SupportsIndex, TypeAlias, overload

import numpy as np
from numpy.typing import NDArray

__all__ = ["Drawn", "Floats", "Grid", "Key", "Mask", "Memory", "Row", "Scalar", "Scratch", "Sound", "State"]


Floats: TypeAlias = NDArray[np.float64]
"""An array of NumPy, where its own methods are needed."""


class Row(Protocol):
    """One number for each sample, or any other flat array of numbers."""

    @property
    def size(self) -> int:
        """How many numbers there are."""

    def __len__(self) -> int: ...

    @overload
    def __getitem__(self, at: SupportsIndex, /) -> float: ...

    @overload
    def __getitem__(self, at: slice, /) -> Row: ...

    def __setitem__(self, at: SupportsIndex | slice, value: float | Row, /) -> None: ...

    def reshape(self, rows: int, columns: int, /) -> NDArray[np.float64]:
        """The same numbers in rows and columns."""


class Grid(Protocol):
    """Numbers in rows and columns: blocks of several channels, pictures, tables of factors."""

    @property
    def shape(self) -> tuple[int, ...]:
        """How many rows and columns there are."""

    def __getitem__(self, at: tuple[SupportsIndex, SupportsIndex], /) -> float: ...

    def __setitem__(self, at: tuple[SupportsIndex, SupportsIndex], value: float, /) -> None: ...


State: TypeAlias = Row
"""What a module carries from sample to sample: so many numbers as it declares, 0 at first."""
Memory: TypeAlias = Row
"""A module's long memory, such as a delay line: as large as it declares, 0 at first."""
Scratch: TypeAlias = Row
"""Numbers that hold nothing of use when a kernel is called, and nothing of worth when it has ended."""
Drawn: TypeAlias = Row
"""Numbers that the user draws: how many there are, then the numbers, then zeros."""
Sound: TypeAlias = Row
"""The samples of a sound file, channel after channel."""
Scalar: TypeAlias = float
"""A number that holds for the whole call."""
Mask: TypeAlias = int
"""A bit for each input or output, the first one lowest."""
Key: TypeAlias = np.uint64
"""The key of a module's random numbers: 64 bits."""
