"""Measurements that are too long or too noisy for the tests; all as ratios within one run on one machine."""

import os

os.environ["DUNEFALL_LANGUAGE"] = "en"  # whatever the desktop speaks
