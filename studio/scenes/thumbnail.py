"""The small pictures of the list of scenes, rendered once for each revision."""

from pathlib import Path

from django.conf import settings

from pirouette.formats.png import png_bytes
from pirouette.render import render_scene
from studio import evaluation
from studio.made import made_once
from studio.work import SMALL_SECONDS, never

from . import services
from .models import Scene

WIDTH = 480
SAMPLES = 4


def fitted(picture_size, width: int, most: int) -> tuple[int, int]:
    """Return the size of a small picture of a large one: as wide as wanted, but no side longer than `most`."""
    whole_width, whole_height = picture_size
    scale = min(width / whole_width, most / whole_height)
    return max(1, round(whole_width * scale)), max(1, round(whole_height * scale))


def thumbnail(stored: Scene, is_cancelled=never) -> bytes:
    """Return the PNG of a scene a third into its loop, or near the end of one that plays once; made if it is missing.

    Raises ProblemError if the scene cannot be computed there, Cancelled once is_cancelled() is true
    """
    path = Path(settings.DATA) / "thumbnails" / f"{stored.id}-{stored.revision}-{stored.created:%s}.png"
    return made_once(path, lambda: _drawn(stored, path, is_cancelled))


def _drawn(stored, path, is_cancelled) -> bytes:
    scene = services.load(stored)
    frame = scene.frame_count // 3 if scene.first_moment.loops else scene.frame_count * 9 // 10
    size = fitted(scene.picture_size, WIDTH, WIDTH)
    with evaluation.work(stored.id, SMALL_SECONDS, is_cancelled) as question:
        rendered = render_scene(scene, frame, size, SAMPLES, memo=evaluation.memo, is_cancelled=question)
        data = png_bytes(rendered.pixels())
    for old in path.parent.glob(f"{stored.id}-*.png"):
        old.unlink(missing_ok=True)
    return data
