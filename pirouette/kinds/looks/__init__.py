"""Looks: how an evaluated shape is drawn."""
