"""Numba's files of compiled code, with a digest behind each: what is damaged counts as missing, and is written anew;
where nothing can be written, the code is used without being kept.
"""

from __future__ import annotations

import hashlib
import io
import pickle
from pathlib import Path
from typing import Any

from numba.core import caching

from dunefall.base.caches import cannot_keep

__all__ = ["use_checked_files"]

_MARK, _DIGEST = b"dunefall", 16
_Files: Any = caching.IndexDataCacheFile


def _sealed(data: bytes) -> bytes:
    return data + hashlib.blake2b(data, digest_size=_DIGEST).digest() + _MARK


def _opened(path: str) -> bytes:
    """What was written to a file; one without a digest is of an earlier version. Raises ValueError if it is damaged."""
    data = Path(path).read_bytes()
    if not data.endswith(_MARK):
        return data
    body = data[: -_DIGEST - len(_MARK)]
    if _sealed(body) != data:
        raise ValueError(f"{path} is damaged")
    return body


class _CheckedFiles(_Files):  # type: ignore[misc]
    """Numba's index and data of one function."""

    def load(self, key: object) -> object:
        """What was kept; None where there is nothing, or it is damaged."""
        try:
            name = self._load_index().get(key)
            return None if name is None else self._load_data(name)
        except Exception:
            return None

    def save(self, key: object, data: object) -> None:
        """Keep it, if that is possible."""
        try:
            super().save(key, data)
        except OSError as error:
            cannot_keep(Path(self._cache_path), error)

    def _load_index(self) -> dict[object, str]:
        try:
            stream = io.BytesIO(_opened(self._index_path))
            if pickle.load(stream) != self._version:
                return {}
            stamp, overloads = pickle.load(stream)
            return overloads if stamp == self._source_stamp else {}
        except Exception:
            return {}

    def _load_data(self, name: str) -> object:
        return pickle.loads(_opened(self._data_path(name)))

    def _save_index(self, overloads: dict[object, str]) -> None:
        head = pickle.dumps(self._version, protocol=-1)
        with self._open_for_write(self._index_path) as file:
            file.write(_sealed(head + self._dump((self._source_stamp, overloads))))

    def _save_data(self, name: str, data: object) -> None:
        with self._open_for_write(self._data_path(name)) as file:
            file.write(_sealed(self._dump(data)))


def use_checked_files() -> None:
    """Let Numba keep its files in this way."""
    caching.IndexDataCacheFile = _CheckedFiles  # type: ignore[misc]
