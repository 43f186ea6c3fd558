"""Modules of the stage motion."""
