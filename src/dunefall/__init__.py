"""Dunefall: soundscapes that keep changing with nobody playing."""

import os

__all__ = ["APP_ID", "__version__"]

__version__ = "0.1.0"
APP_ID = "org.dunefall.Dunefall"
"""Under which the desktop knows the program."""

# The matrices are small: more threads for them would only take time from the sound and from the workers.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
