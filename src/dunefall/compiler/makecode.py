"""``python -m dunefall.compiler.makecode --for PROCESS [--idle] FILE …`` or ``--all``: compile code into the cache."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from dunefall.base.processes import end_with
from dunefall.catalogue import catalogue
from dunefall.compiler.kernels import load_generated
from dunefall.compiler.warmup import prepare


def main() -> None:
    """Compiles one generated file after another, and ends with the process that asked for them; ``--idle``: at the
    lowest priority; ``--all``: all kernels and the engine's loop."""
    if sys.argv[1:] == ["--all"]:
        prepare(catalogue())
        return
    parent, paths = int(sys.argv[2]), sys.argv[3:]
    end_with(parent)
    idle = paths[:1] == ["--idle"]
    os.setpriority(os.PRIO_PROCESS, 0, 15 if idle else 0)  # not that of the engine, which goes before others
    for path in paths[1:] if idle else paths:
        load_generated(Path(path)).entry.address  # noqa: B018


if __name__ == "__main__":
    main()
