"""Curves: lines to start a routine from, to stand copies on, or to draw."""
