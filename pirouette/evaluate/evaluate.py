"""A scene at a frame becomes a picture list. Frames may be fractional and come in any order."""

from collections.abc import Callable

import numpy as np

from ..data import Cancelled, Copies
from ..data.picture import Drawable, DrawnLight, DrawnLook, Picture
from ..document import Scene
from ..kernels.compile import frozen
from ..kernels.place import chain
from .memo import Memo, content_key
from .routine import Run, run_routine
from .weigh import field_weights
from .world import World

PURPOSES = {"view": ("shown", "view only"), "render": ("shown", "render only")}


def evaluate(
    scene: Scene,
    frame: float,
    *,
    purpose: str = "render",
    memo: Memo | None = None,
    is_cancelled: Callable[[], bool] = lambda: False,
    reach: str | None = None,
) -> Picture:
    """Return everything that is drawn at a frame.

    purpose       "view" or "render": which figures are visible
    memo          remembered results, shared between calls; none keeps nothing
    is_cancelled  asked between steps; once true, Cancelled is raised
    reach         the id of a field whose weights are wanted for every drawable
    Raises        ProblemError if a value or step cannot be computed at this frame
    """
    world = World(scene, scene.moment(frame))
    memo = memo or Memo(0)

    def check_wanted():
        if is_cancelled():
            raise Cancelled

    drawables = []
    for figure in scene.figures:
        if figure.visible in PURPOSES[purpose]:
            drawable = _draw(world, memo, check_wanted, figure, reach)
            if drawable is not None:
                drawables.append(drawable)
    return Picture(
        frame=frame,
        drawables=tuple(drawables),
        view=world.view(scene.current_camera),
        lights=tuple(
            DrawnLight(light.kind.id, world.resolve(light.settings, f"lights/{light.name}"))
            for light in scene.lights
            if light.on
        ),
        background=world.resolve(scene.frame, "frame"),
        finish=tuple(
            (effect.kind, world.resolve(effect.settings, f"finish/{index} ({effect.kind.id})"))
            for index, effect in enumerate(scene.finish)
            if effect.on
        ),
    )


def _draw(world, memo, check_wanted, figure, reach):
    matrix = world.figure_matrix(figure)
    shape = run_routine(Run(world, memo, check_wanted, figure, matrix))
    if shape is None:
        return None
    outer = frozen(matrix[None, :3, :4])
    if isinstance(shape, Copies):
        mesh, inner, colours = memo.get(content_key("flat", shape.key), lambda: shape.flat)
    else:
        mesh, inner, colours = shape, frozen(np.eye(4)[None, :3]), frozen(np.ones((1, 3)))
    matrices = inner if np.array_equal(matrix, np.eye(4)) else frozen(chain(outer, inner))
    looks = tuple(
        DrawnLook(look.kind.id, world.resolve(look.settings, f"figures/{figure.name}/looks/{index} ({look.kind.id})"))
        for index, look in enumerate(figure.looks)
        if look.on
    )
    weights = None
    if reach is not None and reach in world.scene.fields_by_id:
        weights = _reach(world, world.scene.fields_by_id[reach], mesh, matrices)
    places_key = content_key(shape.key if isinstance(shape, Copies) else "once", matrix.tobytes())
    return Drawable(figure.id, figure.name, mesh, matrices, colours, looks, places_key, weights)


def _reach(world, field, mesh, matrices):
    """Weights of a field: at the copies' places, or at the points of a mesh that is drawn once."""
    if len(matrices) == 1:
        points = mesh.points @ matrices[0, :, :3].T + matrices[0, :, 3]
    else:
        points = matrices[:, :, 3]
    return field_weights(world, field, points)
