"""A small picture of one figure alone, for choosing it by its look."""

from dataclasses import replace

import numpy as np

from pirouette.data import ProblemError
from pirouette.data.picture import View
from pirouette.evaluate import evaluate
from pirouette.formats.png import png_bytes
from pirouette.render import render_scene
from studio import evaluation

SIZE = (128, 80)
SAMPLES = 4


def figure_picture(scene, figure_id: str) -> bytes:
    """Return a PNG of a figure at the first frame, seen a little from above, whether it is shown or not.

    Raises KeyError if there is no such figure
    """
    figure = scene.figures_by_id[figure_id]
    alone = replace(
        scene, figures=tuple(replace(one, visible="shown" if one is figure else "hidden") for one in scene.figures)
    )
    try:
        view = _framing(evaluate(alone, 0, memo=evaluation.memo))
    except ProblemError:
        # What cannot be computed is an empty picture.
        alone, view = replace(scene, figures=()), _framing(None)
    clear = scene.frame.model_copy(update={"background": "transparent"})
    alone = replace(alone, frame=clear, finish=())
    return png_bytes(render_scene(alone, 0, SIZE, SAMPLES, memo=evaluation.memo, view=view).pixels())


def _framing(picture) -> View:
    corners = []
    for one in picture.drawables if picture else ():
        low, high = one.mesh.bounds
        box = np.array(np.meshgrid(*np.stack([low, high], axis=1), indexing="ij")).reshape(3, -1).T
        corners.append(
            (np.einsum("kij,cj->kci", one.matrices[:, :, :3], box) + one.matrices[:, None, :, 3]).reshape(-1, 3)
        )
    points = np.concatenate(corners) if corners else np.zeros((1, 3))
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    radius = max(float(np.linalg.norm(points - middle, axis=1).max()), 1.0)
    way = np.array([0.35, 0.35, 1.0]) / np.linalg.norm([0.35, 0.35, 1.0])
    return View.looking(middle + way * radius * 3.6, middle, 0, 60)
