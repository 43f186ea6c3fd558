"""Widgets that several parts of the window use."""
