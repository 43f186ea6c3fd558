"""Modules of the stage pitch."""
