"""Modulators: vary copies."""
