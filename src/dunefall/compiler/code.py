"""Swaps in code for feedback loops while a program runs; a separate process makes it, as that takes seconds."""

from __future__ import annotations

import subprocess
from collections.abc import Iterable
from pathlib import Path

from dunefall.compiler.fuse import fused_address, fused_path, fused_ready
from dunefall.compiler.kernels import make_elsewhere
from dunefall.compiler.program import Program

__all__ = ["LoopCode", "use_loop_code"]


def use_loop_code(program: Program, *, wait: bool = False) -> list[Path]:
    """Give a program the code of its loops that is there already; ``wait``: and make what is missing.

    Parameters
    ----------
    program : Program
        The compiled patch.
    wait : bool
        Whether missing code is compiled now.

    Returns
    -------
    list of Path
        Files of the code that is still to be made.
    """
    missing = []
    for s, modules in program.loops.items():
        if program.plan.parts[s, 3]:
            continue
        path = fused_path(modules)
        if wait or fused_ready(path):
            program.plan.parts[s, 3] = fused_address(path)
        else:
            missing.append(path)
    return list(dict.fromkeys(missing))


class LoopCode:
    """Makes the code of loops in the background, one process at a time."""

    def __init__(self) -> None:
        self._waiting: list[Path] = []
        self._tried: set[Path] = set()
        self._process: subprocess.Popen[bytes] | None = None

    def use(self, program: Program) -> None:
        """Give a program what there is, and ask for the rest.

        Parameters
        ----------
        program : Program
            The compiled patch.
        """
        self.make(use_loop_code(program))

    def make(self, paths: Iterable[Path]) -> None:
        """Have code made that nobody has asked for yet.

        Parameters
        ----------
        paths : iterable of Path
            See ``use_loop_code``.
        """
        for path in paths:
            if path not in self._tried:
                self._tried.add(path)
                self._waiting.append(path)
        self._next()

    def poll(self, program: Program) -> bool:
        """Whether new code was put to use just now.

        Parameters
        ----------
        program : Program
            The compiled patch.

        Returns
        -------
        bool
        """
        if not self.go_on():
            return False
        use_loop_code(program)
        return True

    @property
    def busy(self) -> bool:
        """Whether code is being made."""
        return self._process is not None

    def go_on(self) -> bool:
        """Begin what comes next; whether some code was finished just now."""
        finished = self._process is not None and self._process.poll() is not None
        if finished:
            self._process = None
        self._next()
        return finished

    def close(self) -> None:
        """Stop what is being made."""
        self._waiting.clear()
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self._process = None

    def _next(self) -> None:
        if self._process is None and self._waiting:
            self._process = make_elsewhere([self._waiting.pop(0)], idle=True)
