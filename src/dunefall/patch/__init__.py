"""The document: patch, layers, modules and links, their history and their files."""
