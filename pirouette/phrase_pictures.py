"""The moving pictures of phrases: a strip of pictures over a loop, made by the renderer."""

import io
from dataclasses import replace

import numpy as np
from PIL import Image

from .evaluate import evaluate
from .render import framing, render_scene

FRAMES, SIZE, SAMPLES = 12, (240, 150), 8
WAY, LENS, ROOM = (0.2, 0.3, 1.0), 60, 3.8
# At so many of its moments it is looked where a figure goes.
LOOKED_AT = 4


def phrase_strip(scene, figure_id: str | None = None, memo=None, is_cancelled=None) -> bytes:
    """Return pictures of a phrase's scene beside each other as WebP, the most telling first.

    figure_id  whose all is to be in the picture; seen through the scene's camera if not given
    Raises ProblemError if the scene cannot be computed, and what is_cancelled raises
    """
    options = {} if is_cancelled is None else {"is_cancelled": is_cancelled}
    count, loops = scene.frame_count, scene.first_moment.loops
    moments = np.arange(FRAMES) * count / FRAMES if loops else np.linspace(0, count - 1, FRAMES)
    view = None if figure_id is None else _around(scene, figure_id, moments[:: FRAMES // LOOKED_AT], memo, options)
    pictures = [
        render_scene(scene, float(frame), SIZE, SAMPLES, memo=memo, view=view, **options).pixels() for frame in moments
    ]
    # The most telling is the one in which most is to be seen: that differs most from itself.
    first = int(np.argmax([picture[..., :3].std() for picture in pictures]))
    out = io.BytesIO()
    Image.fromarray(np.concatenate(np.roll(pictures, -first, axis=0), axis=1)[..., :3]).save(out, "WEBP", quality=82)
    return out.getvalue()


def _around(scene, figure_id, moments, memo, options):
    """Return a view of wherever a figure goes."""
    alone = replace(
        scene, figures=tuple(one if one.id == figure_id else replace(one, visible="hidden") for one in scene.figures)
    )
    seen = [one for frame in moments for one in evaluate(alone, float(frame), memo=memo, **options).drawables]
    return framing(seen, WAY, LENS, ROOM)
