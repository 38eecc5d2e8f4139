"""Builders: make other faces of a mesh."""
