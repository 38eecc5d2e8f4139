"""Phrases: figures and stretches of steps that are kept, to be put into any scene."""
