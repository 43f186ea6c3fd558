"""Compiled code at hand: loaded or made before it is needed, and all that remains in an idle process."""

from __future__ import annotations

import subprocess
from collections.abc import Callable, Collection

from dunefall.base.caches import trouble_of_caches
from dunefall.base.collector import freeze_loaded_objects
from dunefall.catalogue import catalogue
from dunefall.compiler.sounds import built_in
from dunefall.compiler.warmup import prepare, prepare_beside, prepare_idly
from dunefall.engine import messages as say

__all__ = ["Warmth"]


class Warmth:
    """What the engine has loaded; says with ``tell`` how far it is, and what is wrong with the caches."""

    def __init__(self, tell: Callable[[object], None]) -> None:
        self._tell = tell
        self._loaded = False
        self._maker: subprocess.Popen[bytes] | None = None

    def get_ready(self, types: Collection[str]) -> None:
        """Load what modules of these types need; an idle process meanwhile compiles the remaining ones."""
        self._maker = prepare_idly(types, catalogue())
        built_in()
        freeze_loaded_objects()
        self._tell_of_caches()
        self._tell(say.Prepared())

    def prepare(self, types: Collection[str]) -> None:
        """Compile or load what modules of these types need, with progress the first time."""
        if not self._loaded:
            prepare(types, lambda done, total, name: self._tell(say.Progress(done, total, name)))
            built_in()
            self._loaded = loaded = True
        else:
            loaded = prepare_beside(types)
        if loaded:
            freeze_loaded_objects()
        self._tell_of_caches()

    def close(self) -> None:
        """End the idle process."""
        if self._maker is not None:
            self._maker.kill()
            self._maker.wait()

    def _tell_of_caches(self) -> None:
        if trouble := trouble_of_caches():
            self._tell(say.Trouble(trouble))
