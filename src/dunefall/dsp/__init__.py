"""Compiled building blocks that several modules share. All run as plain Python, too."""

import dunefall.dsp.cache  # noqa: F401 - says how code is compiled, so it comes before all code
