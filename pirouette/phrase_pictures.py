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


def phrase_strip(scene, figure_id: str, memo=None, is_cancelled=None) -> bytes:
    """Return pictures of a phrase's scene beside each other as WebP, the most telling first, with all of its figure.

    Raises ProblemError if the scene cannot be computed, and what is_cancelled raises
    """
    options = {} if is_cancelled is None else {"is_cancelled": is_cancelled}
    count, loops = scene.frame_count, scene.first_moment.loops
    moments = np.arange(FRAMES) * count / FRAMES if loops else np.linspace(0, count - 1, FRAMES)
    alone = replace(
        scene, figures=tuple(one if one.id == figure_id else replace(one, visible="hidden") for one in scene.figures)
    )
    seen = [
        drawable
        for frame in moments[:: FRAMES // LOOKED_AT]
        for drawable in evaluate(alone, float(frame), memo=memo, **options).drawables
    ]
    view = framing(seen, WAY, LENS, ROOM)
    pictures = [
        render_scene(scene, float(frame), SIZE, SAMPLES, memo=memo, view=view, **options).pixels() for frame in moments
    ]
    # The most telling is the one in which most is to be seen: that differs most from itself.
    first = int(np.argmax([picture[..., :3].std() for picture in pictures]))
    out = io.BytesIO()
    Image.fromarray(np.concatenate(np.roll(pictures, -first, axis=0), axis=1)[..., :3]).save(out, "WEBP", quality=82)
    return out.getvalue()
