"""The Build workspace: lanes of cards."""
