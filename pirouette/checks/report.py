"""All checks of a scene as plain data. What cannot be checked is told of; it keeps nothing else from being told."""

from ..data import ProblemError, TooMuch
from ..document import Scene
from ..evaluate import Memo
from .lanes import sample_lanes
from .note import Note
from .notes import notes_of
from .seam import measure_seam


def report(scene: Scene, frame: float, memo: Memo, is_cancelled=lambda: False) -> dict:
    """Return the lanes of what moves, whether the loop closes, and the notes on what has no effect at a frame.

    is_cancelled  asked between steps; once true, Cancelled is raised. What it raises itself ends the check it met
    """
    told = []
    lanes = _or_note(lambda: sample_lanes(scene, is_cancelled), "lanes", told)
    notes = _or_note(lambda: notes_of(scene, frame, memo, is_cancelled), "notes", told)
    try:
        seam = measure_seam(scene, memo, is_cancelled).describe()
    except ProblemError as error:
        seam = {"state": "unknown", "problems": [str(problem) for problem in error.problems], "offenders": []}
    return {"lanes": lanes, "seam": seam, "notes": [note.describe() for note in [*notes, *told]]}


def _or_note(check, what, told) -> list:
    try:
        return check()
    except TooMuch as error:
        told.extend(Note("Scene", what, f"the {what} are not known: {p.message}", p.code) for p in error.problems)
        return []
