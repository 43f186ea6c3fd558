"""``python -m dunefall.compiler.makecode FILE``: compile a loop's code into the cache, at the lowest priority."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from dunefall.compiler.kernels import load_generated


def main() -> None:
    os.nice(15)
    load_generated(Path(sys.argv[1])).entry.address  # noqa: B018


if __name__ == "__main__":
    main()
