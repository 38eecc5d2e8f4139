"""What can be said about a scene: whether its loop closes, and notes on what has no effect."""

from .notes import Note, notes_of
from .report import report
from .seam import Seam, measure_seam

__all__ = ["Note", "Seam", "measure_seam", "notes_of", "report"]
