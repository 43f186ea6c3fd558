"""The engine's process, and what talks to it."""
