"""Compiled building blocks that several modules share. All run as plain Python, too."""
