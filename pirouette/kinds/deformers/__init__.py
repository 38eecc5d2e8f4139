"""Deformers: move points."""
