"""Loops over points, faces and places."""
