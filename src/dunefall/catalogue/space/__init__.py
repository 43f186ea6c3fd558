"""Modules of the stage space."""
