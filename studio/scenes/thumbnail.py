"""The small pictures of the list of scenes, rendered once for each revision."""

from pathlib import Path

from django.conf import settings

from pirouette.formats.png import write_png
from pirouette.render import render_scene
from studio import evaluation

from . import services
from .models import Scene

WIDTH = 480
SAMPLES = 4


def thumbnail_path(stored: Scene) -> Path:
    """Return the PNG of a scene a third into its loop, or near the end of one that plays once; made if it is missing.

    Raises ProblemError if the scene cannot be computed there
    """
    path = Path(settings.DATA) / "thumbnails" / f"{stored.id}-{stored.revision}-{stored.created:%s}.png"
    if path.exists():
        return path
    path.parent.mkdir(exist_ok=True)
    scene = services.load(stored)
    frame = scene.frame_count // 3 if scene.first_moment.loops else scene.frame_count * 9 // 10
    width, height = scene.picture_size
    size = WIDTH, max(1, round(WIDTH * height / width))
    write_png(path, render_scene(scene, frame, size, SAMPLES, memo=evaluation.memo).pixels())
    for old in path.parent.glob(f"{stored.id}-*.png"):
        if old != path:
            old.unlink(missing_ok=True)
    return path
