"""Simulations: what follows from the frame before."""
