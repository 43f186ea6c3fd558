"""Which sound devices there are now, and whether one that went away is back.

PortAudio lists devices once in the life of a process, and never ends in a process whose sound server has died. So it is
asked in a process of its own: ``python -m dunefall.engine.devices.lookout`` writes the names as JSON.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time

from dunefall.base.processes import end_with
from dunefall.engine.devices.ports import sound_names

__all__ = ["COMMAND", "Lookout", "names_in"]

COMMAND = (sys.executable, "-m", "dunefall.engine.devices.lookout")
EVERY_S = 2.0
MOST_S = 10.0
"""After so long a look has failed."""


def names_in(answer: bytes) -> dict[str, list[str]]:
    """Names of the inputs and outputs that the process found; none where it failed.

    Parameters
    ----------
    answer : bytes
        What it wrote.

    Returns
    -------
    dict of str to list of str
        By ``output`` and ``input``.
    """
    try:
        found = json.loads(answer)
        return {kind: [str(name) for name in found[kind]] for kind in ("output", "input")}
    except (ValueError, KeyError, TypeError):
        return {"output": [], "input": []}


class Lookout:
    """Looks every two seconds, beside everything else, whether an output is there.

    Parameters
    ----------
    choice : str
        ``auto``, or part of its name.
    """

    def __init__(self, choice: str) -> None:
        self._choice = choice
        self._process: subprocess.Popen[bytes] | None = None
        self._next = time.monotonic() + EVERY_S

    def sees_it(self) -> bool:
        """Whether it was there at the last look; never waits."""
        now = time.monotonic()
        if self._process is None:
            if now >= self._next:
                self._process = subprocess.Popen(COMMAND, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
                self._next = now + MOST_S
            return False
        if self._process.poll() is None:
            if now >= self._next:
                self.end()
            return False
        answer = self._process.stdout.read() if self._process.stdout is not None else b""
        self.end()
        names = names_in(answer)["output"]
        return bool(names) if self._choice == "auto" else any(self._choice.lower() in name.lower() for name in names)

    def end(self) -> None:
        """End the look that is under way."""
        if self._process is not None:
            self._process.kill()
            self._process.communicate()
        self._process, self._next = None, time.monotonic() + EVERY_S


if __name__ == "__main__":
    end_with(os.getppid())  # a sound server that answers nothing can hold it up for ever
    print(json.dumps({"output": sound_names("output", 2), "input": sound_names("input", 1)}))
