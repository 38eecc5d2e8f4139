"""Loops that make noises."""
