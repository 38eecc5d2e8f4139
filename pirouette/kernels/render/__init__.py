"""Loops of the renderer: what is seen where, its light, and the picture that it makes."""
