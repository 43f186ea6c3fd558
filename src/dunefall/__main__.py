"""``python -m dunefall``: the program."""

from __future__ import annotations

import sys

from dunefall.cli import main

if __name__ == "__main__":  # workers are begun by importing this again
    sys.exit(main())
