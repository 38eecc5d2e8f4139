"""A scene at a frame becomes a picture list. Frames may be fractional and come in any order."""

from collections.abc import Callable

import numpy as np

from ..craft import FollowSettings
from ..data import Copies, Mesh, Placed, ProblemError
from ..data.attribute import ATTRIBUTES, shades
from ..data.key import content_key, part_key
from ..data.picture import Drawable, DrawnLight, Picture
from ..data.question import never
from ..document import Scene
from ..kernels.compile import frozen
from ..kernels.geometry.place import carried, chain
from ..kinds.lights.sun import SunSettings
from . import simulate
from .evaluator import Evaluator
from .lamps import lamps_of
from .looks import (
    Ends,
    finely_limited,
    is_transparent,
    look_drawn,
    look_path,
    needs_points,
    own_tints,
    plain_look,
    tints_at_places,
)
from .memo import Memo
from .places import HOME, moved_to
from .size import Budget, expanded, flattened

SUN = SunSettings()
PURPOSES = {"view": ("shown", "view only"), "render": ("shown", "render only")}


def frames_known(scene: Scene, frame: float, memo: Memo) -> list[tuple[int, int]] | None:
    """Return the stretches (first, end) of frames for which no simulation of a scene has to be computed any more.

    None if there is no simulation in the scene. The frame is any at which the scene can be evaluated.
    """
    return simulate.frames_known(Evaluator(scene, frame, memo))


def evaluate(
    scene: Scene,
    frame: float,
    *,
    purpose: str = "render",
    memo: Memo | None = None,
    is_cancelled: Callable[[], bool] = never,
    reach: str | None = None,
) -> Picture:
    """Return everything that is drawn at a frame.

    purpose       "view" or "render": which figures are visible
    memo          remembered results, shared between calls; none keeps nothing
    is_cancelled  asked between steps; once true, Cancelled is raised. What it raises itself ends the work, too
    reach         the id of a field whose weights are wanted for every drawable, or an attribute as "attribute:along"
    Raises        ProblemError if a value or step cannot be computed at this frame
    """
    ev = Evaluator(scene, frame, memo, is_cancelled)
    drawables, budget = [], Budget()
    for figure in scene.figures:
        if figure.visible in PURPOSES[purpose]:
            for drawable in _drawn(ev, figure) if reach is None else _draw(ev, figure, reach):
                budget.take(drawable)
                drawables.append(drawable)
    masks = {mask: _drawn(ev, scene.figures_by_id[mask]) for mask in _masks_of(drawables)}
    drawn = {drawable.figure_id for drawable in drawables}
    for drawable in (drawable for mask, shapes in masks.items() if mask not in drawn for drawable in shapes):
        budget.take(drawable)
    lights = [_light(ev, light) for light in scene.lights]
    shining = (light for light, declared in zip(lights, scene.lights, strict=True) if declared.on)
    return Picture(
        frame=frame,
        drawables=tuple(drawables),
        view=ev.view(scene.current_camera),
        lens=ev.lens(scene.current_camera),
        lights=(*(one for light in shining for one in (light, *_suns_in(ev, light))), *lamps_of(ev, drawables)),
        background=ev.resolve(scene.frame, "frame"),
        finish=tuple(
            (effect.kind, ev.resolve(effect.settings, f"finish/{index} ({effect.kind.id})"))
            for index, effect in enumerate(scene.finish)
            if effect.on
        ),
        places=_places(ev, lights),
        masks=masks,
    )


def _places(ev, lights):
    """Where everything is that handles can be put on, by family and id; and what carries it, by family/id."""
    scene = ev.scene
    return {
        "guides": {guide.id: ev.thing_matrix(guide.id) for guide in scene.guides},
        "figures": {figure.id: ev.figure_matrix(figure) for figure in scene.figures},
        "cameras": {camera.id: ev.view(camera).place for camera in scene.cameras},
        "lights": {
            light.id: moved_to(drawn.settings.position)
            for light, drawn in zip(scene.lights, lights, strict=True)
            if isinstance(light.settings, FollowSettings)
        },
        "carriers": {name: ev.carrier(settings, path) for name, settings, path in scene.carried()},
    }


def _light(ev, light):
    settings = _carried(ev, light.settings, f"lights/{light.name}")
    return DrawnLight(light.kind.id, settings, light.id, _panorama(ev, settings))


def _panorama(ev, settings):
    """The picture all around that a light is, made ready."""
    if getattr(settings, "picture", None) is None:
        return None
    # Few scenes have one.
    from ..data.panorama import Panorama

    asset = ev.scene.library.find(settings.picture)
    key = content_key("panorama", asset.digest, settings.suns)
    return ev.memo.get(key, lambda: Panorama.of(asset.light(), key, settings.suns))


def _suns_in(ev, light):
    """The brightest places of a picture all around, as suns."""
    for sun in () if light.panorama is None else light.panorama.suns:
        s, (x, y, z) = light.settings, sun.way
        strongest = max(sun.colour.max(), 1e-9)
        settings = SUN.resolve(ev.around).changed(
            colour=tuple(sun.colour / strongest),
            brightness=strongest * s.brightness,
            around=np.degrees(np.arctan2(x, z)) + s.turn,
            above=np.degrees(np.arcsin(np.clip(y, -1, 1))),
            width=sun.wide_deg,
            shines=s.shines,
            figures=s.figures,
            shadows=s.shadows,
        )
        yield DrawnLight("sun", settings)


def _carried(ev, settings, path):
    """A light's resolved settings, with its position in the world if it has one."""
    resolved = ev.resolve(settings, path)
    if isinstance(settings, FollowSettings):
        return resolved.changed(position=carried(resolved.position, ev.carrier(settings, path)))
    return resolved


def _drawn(ev, figure) -> tuple[Drawable, ...]:
    """What a figure shows, remembered: of a scene that is edited all but what the edit reaches is the same again.

    It is found by its signature, so that nothing of it is worked out; or else by what it is made of now, so that
    figures that do not move are one at all frames.
    """
    key = ev.signatures.drawn(figure)
    # What stands still is one at all frames, and nothing else is known by its signature alone.
    known = ev.memo.peek(key)
    if known is not None:
        return known
    if not ev.shared.still.drawn(figure):
        key = content_key(key, ev.moment)
    return ev.memo.get(key, lambda: ev.memo.get(_shown_key(ev, figure), lambda: tuple(_draw(ev, figure, None))))


def _shown_key(ev, figure) -> str:
    looks = [
        (
            look.kind.id,
            look.kind.version,
            look.settings.sign(ev.around, resolved),
            ev.moment if look.settings.depends_on_time(resolved) else None,
            [_reached(ev, thing_id) for _, _, thing_id in look.settings.references],
            [ev.scene.library.find(slug).digest for _, _, slug in look.settings.assets],
            _reached(ev, look.only_where),
        )
        for index, look in enumerate(figure.looks)
        if look.on
        for resolved in [ev.resolve(look.settings, look_path(figure, index))]
    ]
    made = ev.shape_of(figure).key, ev.figure_matrix(figure), _cut_of(ev, figure)
    return content_key("shown", figure.id, figure.name, *made, looks)


def _masks_of(drawables) -> list[str]:
    """The figures that any of some drawables are cut by."""
    return list(dict.fromkeys(drawable.cut[1] for drawable in drawables if drawable.cut))


def _cut_of(ev, figure) -> tuple[str, str] | None:
    """Where a figure is seen, and the other one that this is said of; None if it is seen everywhere."""
    cut = ev.resolve(figure.cut, f"figures/{figure.name}/cut")
    return (cut.seen, cut.mask) if cut.seen != "everywhere" and cut.mask else None


def _reached(ev, thing_id):
    """What a look asks of another thing: a field's weights, or where a guide or figure is."""
    field = ev.scene.fields_by_id.get(thing_id)
    return ev.thing_matrix(thing_id) if field is None else ev.field_key(field)


def _draw(ev, figure, reach):
    matrix = ev.figure_matrix(figure)
    shape = ev.shape_of(figure)
    if isinstance(shape, Copies) and needs_points(figure, shape):
        try:
            shape = expanded(ev.memo, shape)
        except ProblemError as error:
            raise error.within(f"figures/{figure.name}/looks") from None
    cut, everything = _cut_of(ev, figure), _placed(ev, shape)
    ends = Ends(everything)
    # The parts are told apart by their numbers.
    places_key = content_key(shape.key if isinstance(shape, Copies) else "once", matrix)
    shown = [(index, plain_look(ev, figure, index)) for index, look in enumerate(figure.looks) if look.on]
    places = zip(everything, _in_world(everything, matrix), tints_at_places(everything), strict=True)
    for part, (placed, matrices, own) in enumerate(places):
        mesh = placed.mesh
        if not len(mesh.points):
            continue
        tints = own, own_tints(mesh.colours, mesh.opacity)
        # What the view shades, it shades at the points that there are.
        fine = None if reach is not None else finely_limited(ev, figure, mesh, matrices)
        looks = (
            plain(*tints)
            if plain
            else look_drawn(ev, figure, index, mesh, matrices, placed.at_copies, *tints, ends, fine)
            for index, plain in shown
        )
        looks = tuple(look for look in looks if not is_transparent(look))
        weights = None if reach is None else _reach(ev, reach, mesh, matrices, placed.at_copies, ends)
        yield Drawable(figure.id, figure.name, mesh, matrices, looks, part_key(places_key, part), part, weights, cut)


def _placed(ev, shape) -> tuple[Placed, ...]:
    if isinstance(shape, Mesh):
        return (Placed(shape, frozen(HOME[None, :3]), None, None),)
    return flattened(ev.memo, shape)


def _in_world(everything, matrix):
    """Return the places (K, 3, 4) of each of some meshes in the world, by the (4, 4) matrix that leads there."""
    inner = [placed.matrices for placed in everything]
    if not inner or np.array_equal(matrix, HOME):
        return inner
    # All at once: there may be as many meshes as places.
    matrices = frozen(chain(frozen(matrix[None, :3, :4]), np.concatenate(inner)))
    ends = np.cumsum([len(one) for one in inner]).tolist()
    return [matrices[end - len(one) : end] for one, end in zip(inner, ends, strict=True)]


def _reach(ev, reach, mesh, matrices, at_copies, ends) -> np.ndarray | None:
    """What the view shades, 0..1: a field's weights or an attribute, at the copies or at the points of a lone mesh."""
    is_once = len(matrices) == 1
    sort, _, name = reach.rpartition(":")
    if sort == "attribute":
        carries = mesh.attributes() if is_once and name in mesh.attributes() else at_copies
        if name not in ATTRIBUTES or name not in carries:
            return None
        shade = shades(carries[name], name, ends.of(name))
        # What a single copy carries is shown at all its points.
        return np.full(len(mesh.points), shade[0]) if is_once and len(shade) == 1 else shade
    field = ev.scene.fields_by_id.get(reach)
    if field is None:
        return None
    points = carried(mesh.points, matrices[0]) if is_once else matrices[:, :, 3]
    return ev.weights(field, points, None, mesh.attributes() if is_once else at_copies)
