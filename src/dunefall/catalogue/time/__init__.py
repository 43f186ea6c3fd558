"""Modules of the stage time."""
