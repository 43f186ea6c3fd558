"""Compiled code at hand: loaded or made before it is needed, and all that remains in an idle process; and the threads
that help the one that sounds."""

from __future__ import annotations

import subprocess
from collections.abc import Callable, Collection

from dunefall.base.caches import trouble_of_caches
from dunefall.base.collector import freeze_loaded_objects
from dunefall.catalogue import catalogue
from dunefall.compiler.sounds import built_in
from dunefall.compiler.team import Team, threads_here
from dunefall.compiler.warmup import prepare, prepare_beside, prepare_idly
from dunefall.engine import messages as say
from dunefall.engine.devices.output import ask_for_real_time

__all__ = ["Warmth"]


class Warmth:
    """What the engine has loaded; says with ``tell`` how far it is, and what is wrong with the caches.

    Attributes
    ----------
    team : Team
        It has helpers, of the priority of the sound, as soon as what they run is loaded: they would compile it.
    """

    def __init__(self, tell: Callable[[object], None]) -> None:
        self._tell = tell
        self._loaded = False
        self.team = Team()
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
            self.team.grow(threads_here(), ask_for_real_time)
        else:
            loaded = prepare_beside(types)
        if loaded:
            freeze_loaded_objects()
        self._tell_of_caches()

    def close(self) -> None:
        """End the helpers and the idle process."""
        self.team.close()
        if self._maker is not None:
            self._maker.kill()
            self._maker.wait()

    def _tell_of_caches(self) -> None:
        if trouble := trouble_of_caches():
            self._tell(say.Trouble(trouble))
