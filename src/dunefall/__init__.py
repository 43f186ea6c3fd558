"""Dunefall: soundscapes that keep changing with nobody playing."""

__all__ = ["__version__"]

__version__ = "0.1.0"
