"""Lights: what lights the surfaces."""
