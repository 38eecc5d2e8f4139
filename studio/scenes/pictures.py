"""The small pictures of a scene, each made once for each of its revisions and kept as a file."""

from pathlib import Path

from django.conf import settings

from pirouette.data.question import never
from studio.computing import tasks
from studio.computing.office import run
from studio.made import made_once
from studio.work import SMALL_SECONDS, VIEW_SECONDS

from . import services
from .models import Scene

FIRST_WIDTH = 640
# What each is kept as, by the ending of its name.
THUMBNAIL, FIRST = "png", "first"


def thumbnail(stored: Scene, is_cancelled=never) -> bytes:
    """Return the PNG of a scene a third into its loop, or near the end of one that plays once; made if it is missing.

    Raises ProblemError if the scene cannot be computed there, Cancelled once is_cancelled() is true
    """
    return _kept(stored, THUMBNAIL, tasks.thumbnail, seconds=SMALL_SECONDS, is_cancelled=is_cancelled)


def first_picture(stored: Scene, is_cancelled=never) -> bytes:
    """Return the JPEG or WebP of what the view of a scene shows first, made quickly if it is missing.

    Raises ProblemError if the scene cannot be computed there, Cancelled once is_cancelled() is true
    """
    frame, view, is_flat = 0, None, False
    asked = tasks.glimpse, frame, FIRST_WIDTH, view, is_flat, 1
    return _kept(stored, FIRST, *asked, seconds=VIEW_SECONDS, is_cancelled=is_cancelled)


def _folder() -> Path:
    return Path(settings.DATA) / "thumbnails"


def _name(stored, ending) -> str:
    return f"{stored.id}-{stored.revision}-{stored.created:%s}.{ending}"


def forget(stored: Scene) -> None:
    """Remove the pictures of a scene: something that it uses has changed."""
    for path in _folder().glob(f"{stored.id}-*"):
        path.unlink(missing_ok=True)


def sweep_pictures(with_drafts: bool = False) -> None:
    """Remove the pictures of scenes, or of states of theirs, that are not there any more.

    with_drafts  also those that are not finished: only while nobody else makes any
    """
    scenes = Scene.objects.only("id", "revision", "created")
    owned = {_name(stored, ending) for stored in scenes for ending in (THUMBNAIL, FIRST)}
    for path in _folder().glob("*"):
        if path.name not in owned and (with_drafts or not path.name.startswith(".")):
            path.unlink(missing_ok=True)


def _kept(stored, ending, task, *asked, **how) -> bytes:
    path = _folder() / _name(stored, ending)

    def made():
        data = run(task, services.subject(stored), *asked, name=stored.id, **how)
        for old in path.parent.glob(f"{stored.id}-*.{ending}"):
            old.unlink(missing_ok=True)
        return data

    return made_once(path, made)
