"""The small pictures of the list of scenes, rendered once for each revision."""

from pathlib import Path

from django.conf import settings

from studio.computing import tasks
from studio.computing.office import run
from studio.made import made_once
from studio.work import SMALL_SECONDS, never

from . import services
from .models import Scene


def thumbnail(stored: Scene, is_cancelled=never) -> bytes:
    """Return the PNG of a scene a third into its loop, or near the end of one that plays once; made if it is missing.

    Raises ProblemError if the scene cannot be computed there, Cancelled once is_cancelled() is true
    """
    path = Path(settings.DATA) / "thumbnails" / f"{stored.id}-{stored.revision}-{stored.created:%s}.png"
    return made_once(path, lambda: _drawn(stored, path, is_cancelled))


def _drawn(stored, path, is_cancelled) -> bytes:
    subject = services.subject(stored)
    data = run(tasks.thumbnail, subject, name=stored.id, seconds=SMALL_SECONDS, is_cancelled=is_cancelled)
    for old in path.parent.glob(f"{stored.id}-*.png"):
        old.unlink(missing_ok=True)
    return data
