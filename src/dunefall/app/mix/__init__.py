"""The Mix workspace: rows of layers, the field, the master."""
