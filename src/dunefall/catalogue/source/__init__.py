"""Modules of the stage source."""
