"""``python -m dunefall.compiler.makecode [--idle] FILE …`` or ``--all``: compile generated code into the cache."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from dunefall.catalogue import catalogue
from dunefall.compiler.kernels import load_generated
from dunefall.compiler.warmup import prepare


def main() -> None:
    """Compiles one file after another until the process that asked has ended; ``--idle``: at the lowest priority;
    ``--all``: all kernels and the engine's loop."""
    paths = sys.argv[1:]
    if paths == ["--all"]:
        prepare(catalogue())
        return
    idle = paths[:1] == ["--idle"]
    os.setpriority(os.PRIO_PROCESS, 0, 15 if idle else 0)  # not that of the engine, which goes before others
    paths = paths[1:] if idle else paths
    parent = os.getppid()
    for path in paths:
        if os.getppid() != parent:
            return
        load_generated(Path(path)).entry.address  # noqa: B018


if __name__ == "__main__":
    main()
