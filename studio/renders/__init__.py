"""Render jobs: rows of frames that workers claim."""
