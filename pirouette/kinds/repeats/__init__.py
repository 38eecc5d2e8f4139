"""Repeats: copies of what the routine has made so far."""
