"""Units and their text forms, errors, events."""
