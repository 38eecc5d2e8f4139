"""A scene at a frame becomes a picture list. Frames may be fractional and come in any order."""

from collections.abc import Callable

import numpy as np

from ..data import Cancelled, Copies, Mesh, ProblemError
from ..data.picture import Drawable, DrawnLight, Picture
from ..document import Scene
from ..kernels.compile import frozen
from ..kernels.place import chain
from ..schema import FollowSettings
from .carry import moved_to
from .looks import has_fields, has_space, is_transparent, look_drawn, own_tints
from .memo import Memo, content_key
from .routine import Run, run_routine
from .size import expanded
from .weigh import field_weights
from .world import World

PURPOSES = {"view": ("shown", "view only"), "render": ("shown", "render only")}
# Up to so many points, copies whose look a field limits are drawn as one mesh, so that each point has its weight.
FINE_POINTS = 400_000


def world_at(scene: Scene, frame: float, memo: Memo | None = None, is_cancelled=lambda: False) -> World:
    """Return a world that can evaluate figures, fields and values at a frame."""

    def check_wanted():
        if is_cancelled():
            raise Cancelled

    run = lambda world, figure: run_routine(Run.of(world, figure))  # noqa: E731
    return World(scene, scene.moment(frame), memo, check_wanted, run)


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
    world = world_at(scene, frame, memo, is_cancelled)
    drawables = []
    for figure in scene.figures:
        if figure.visible in PURPOSES[purpose]:
            drawables.extend(_draw(world, figure, reach))
    lights = [
        DrawnLight(light.kind.id, _carried(world, light.settings, f"lights/{light.name}")) for light in scene.lights
    ]
    return Picture(
        frame=frame,
        drawables=tuple(drawables),
        view=world.view(scene.current_camera),
        lights=tuple(light for light, one in zip(lights, scene.lights, strict=True) if one.on),
        background=world.resolve(scene.frame, "frame"),
        finish=tuple(
            (effect.kind, world.resolve(effect.settings, f"finish/{index} ({effect.kind.id})"))
            for index, effect in enumerate(scene.finish)
            if effect.on
        ),
        places=_places(world, lights),
    )


def _places(world, lights):
    """Where everything is that handles can be put on, by family and id; and what carries it, by family/id."""
    scene = world.scene
    return {
        "guides": {guide.id: world.thing_matrix(guide.id) for guide in scene.guides},
        "figures": {figure.id: world.figure_matrix(figure) for figure in scene.figures},
        "cameras": {camera.id: world.view(camera).place for camera in scene.cameras},
        "lights": {
            light.id: moved_to(drawn.settings.position)
            for light, drawn in zip(scene.lights, lights, strict=True)
            if isinstance(light.settings, FollowSettings)
        },
        "carriers": {name: world.carrier(settings, path) for name, settings, path in scene.carried()},
    }


def _carried(world, settings, path):
    """A light's resolved settings, with its position in the world if it has one."""
    resolved = world.resolve(settings, path)
    if isinstance(settings, FollowSettings):
        carry = world.carrier(settings, path)
        resolved.position = carry[:3, :3] @ resolved.position + carry[:3, 3]
    return resolved


def _draw(world, figure, reach):
    matrix = world.figure_matrix(figure)
    shape = world.shape_of(figure)
    if isinstance(shape, Copies) and _needs_points(figure, shape):
        try:
            shape = expanded(world.memo, shape)
        except ProblemError as error:
            raise error.within(f"figures/{figure.name}/looks") from None
    outer = frozen(matrix[None, :3, :4])
    is_home = np.array_equal(matrix, np.eye(4))
    for part, one in enumerate(_placed(world, shape)):
        mesh, inner, colours, opacity = one
        if not len(mesh.points):
            continue
        matrices = inner if is_home else frozen(chain(outer, inner))
        own = own_tints(colours, opacity), own_tints(mesh.colours, mesh.opacity)
        looks = tuple(
            drawn
            for index, look in enumerate(figure.looks)
            if look.on
            for drawn in [look_drawn(world, figure, index, mesh, matrices, *own)]
            if not is_transparent(drawn)
        )
        weights = None
        if reach is not None and reach in world.scene.fields_by_id:
            weights = _reach(world, world.scene.fields_by_id[reach], mesh, matrices)
        places_key = content_key(shape.key if isinstance(shape, Copies) else "once", part, matrix.tobytes())
        yield Drawable(figure.id, figure.name, mesh, matrices, looks, places_key, part, weights)


def _needs_points(figure, copies) -> bool:
    """True if a look differs within the copies, by a field or by paint in another space."""
    return has_space(figure) or (has_fields(figure) and copies.point_count <= FINE_POINTS)


def _placed(world, shape):
    if isinstance(shape, Mesh):
        return [(shape, frozen(np.eye(4)[None, :3]), None, None)]
    flat = world.memo.get(content_key("flat", shape.key), lambda: shape.flat)
    return [(one.mesh, one.matrices, one.colours, one.opacity) for one in flat]


def _reach(world, field, mesh, matrices):
    """Weights of a field: at the copies' places, or at the points of a mesh that is drawn once."""
    if len(matrices) == 1:
        points = mesh.points @ matrices[0, :, :3].T + matrices[0, :, 3]
    else:
        points = matrices[:, :, 3]
    return field_weights(world, field, points)
