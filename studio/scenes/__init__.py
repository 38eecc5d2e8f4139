"""Scenes: documents with their revisions."""
