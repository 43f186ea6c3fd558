"""Modules of the stage shape."""
