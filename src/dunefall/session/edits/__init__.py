"""Edits of the open document, by subject. Every function takes the document first and makes one undo step."""
