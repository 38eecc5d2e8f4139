"""The small pictures of the list of scenes, rendered once for each revision."""

from pathlib import Path

from django.conf import settings

from pirouette.data.question import never
from studio.computing import tasks
from studio.computing.office import run
from studio.made import made_once
from studio.work import SMALL_SECONDS

from . import services
from .models import Scene


def thumbnail(stored: Scene, is_cancelled=never) -> bytes:
    """Return the PNG of a scene a third into its loop, or near the end of one that plays once; made if it is missing.

    Raises ProblemError if the scene cannot be computed there, Cancelled once is_cancelled() is true
    """
    path = _folder() / _name(stored)
    return made_once(path, lambda: _drawn(stored, path, is_cancelled))


def _folder() -> Path:
    return Path(settings.DATA) / "thumbnails"


def _name(stored) -> str:
    return f"{stored.id}-{stored.revision}-{stored.created:%s}.png"


def sweep_thumbnails() -> None:
    """Remove the pictures of scenes, or of states of theirs, that are not there any more."""
    owned = {_name(stored) for stored in Scene.objects.only("id", "revision", "created")}
    for path in _folder().glob("*"):
        if path.name not in owned:
            path.unlink(missing_ok=True)


def _drawn(stored, path, is_cancelled) -> bytes:
    subject = services.subject(stored)
    data = run(tasks.thumbnail, subject, name=stored.id, seconds=SMALL_SECONDS, is_cancelled=is_cancelled)
    for old in path.parent.glob(f"{stored.id}-*.png"):
        old.unlink(missing_ok=True)
    return data
