"""Finishes: effects on the rendered picture."""
