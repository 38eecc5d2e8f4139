"""How a look's picture or gradient lies on its figure at a moment."""

from types import SimpleNamespace

import numpy as np

from ..craft.noise import in_cells, layers_of
from ..craft.paint import NOTHING
from ..craft.vary import gradient_colours
from ..data import Mesh
from ..data.attribute import shades
from ..data.key import content_key
from ..data.texture import Paint, Texture, covering, sample_pixels
from ..geometry.laid import along, around, around_faces, lengthwise
from ..kernels.compile import frozen
from ..kernels.geometry.place import carried, inverted
from ..kernels.noise.layers import Layers, sample_layers

GRADIENT_STEPS = 256
PATTERN_SETTINGS = ("size", "stretch", "detail", "roughness", "seed", "churn", "slide")
# What is taken away from a pattern is another one.
OTHER_SEED = 7121
HALF = 0.5


def paint_of(ev, settings, mesh: Mesh, matrices) -> Paint | None:
    """Return the paint of a look with resolved settings on a mesh, or None if it is plain.

    matrices  (N, 3, 4) where the mesh is drawn; once only, if the paint lives in the space of another thing
    """
    texture = _texture(ev, settings)
    if texture is None or not len(mesh.points):
        return None
    if settings.paint == "pattern":
        return Paint(texture, *_pattern(ev, settings, mesh, matrices))
    return Paint(texture, _uvs(ev, settings, mesh, matrices), _matrix(settings), settings.beyond)


def lives_elsewhere(settings) -> bool:
    """True if a look's paint lies in the space of another thing, so that each copy has another part of it."""
    if settings.paint == "pattern":
        return settings.pattern_in is not None
    return (
        settings.paint in ("picture", "gradient") and settings.laid != "by the form" and settings.lives_in is not None
    )


def _in_space(ev, settings, mesh, matrices):
    """The matrix from a mesh to the space that the paint lies in, and how much of it the paint covers; or none."""
    if not lives_elsewhere(settings):
        return None, None
    return _into(ev, settings.lives_in, matrices), float(settings.span)


def _into(ev, thing_id, matrices):
    """The matrix from a mesh to the space of a thing."""
    home = np.eye(4)
    home[:3] = matrices[0]
    return inverted(ev.thing_matrix(thing_id)) @ home


def _noises(settings) -> list:
    """The noises of a pattern, each with how much it counts: what is taken away counts against it."""
    shared = {name: getattr(settings, f"pattern_{name}") for name in PATTERN_SETTINGS}
    own = SimpleNamespace(pattern=settings.pattern, **shared)
    if settings.less == NOTHING:
        return [(own, HALF)]
    other = {**shared, "seed": int(shared["seed"]) + OTHER_SEED}
    return [(own, HALF), (SimpleNamespace(pattern=settings.less, **other), -HALF)]


def _pattern_places(ev, settings, mesh, matrices):
    """Where the points of a mesh are, as the layers of a pattern are told it; and a name for that."""
    matrix = None if settings.pattern_in is None else _into(ev, settings.pattern_in, matrices)
    own, _ = _noises(settings)[0]
    key = content_key("in cells", mesh.key, matrix, own.size, own.stretch)
    return ev.memo.get(key, lambda: frozen(in_cells(_carried(mesh.points, matrix), own))), key


def _layers(ev, settings):
    made = [layers_of(noise, ev.moment, strength) for noise, strength in _noises(settings)]
    rows, salts = (np.concatenate(column) for column in zip(*made, strict=True))
    return Layers(frozen(rows), frozen(salts, np.uint32))


def _pattern(ev, settings, mesh, matrices):
    """What a Paint says of a pattern, but for its texture."""
    places, key = _pattern_places(ev, settings, mesh, matrices)
    corners = ev.memo.get(content_key(key, "corners"), lambda: frozen(places[mesh.topology.corners]))
    return corners, frozen(np.eye(3)[:2]), "its edge", _layers(ev, settings)


def _carried(points, matrix):
    return points if matrix is None else carried(points, matrix)


def attribute_colours(settings, attributes, ends) -> np.ndarray | None:
    """Return (N, 3) linear light of a look's gradient by the attribute it goes by; None where nothing carries it."""
    if settings.attribute not in attributes:
        return None
    at = shades(attributes[settings.attribute], settings.attribute, ends.of(settings.attribute))
    return gradient_colours(settings.gradient, at).astype(np.float32)


def _texture(ev, settings):
    if settings.paint in ("gradient", "pattern"):
        ramp = settings.pattern_ramp if settings.paint == "pattern" else None
        key = content_key("gradient", settings.gradient, ramp)

        def make():
            at = (np.arange(GRADIENT_STEPS) + 0.5) / GRADIENT_STEPS
            at = at if ramp is None else np.interp(at, *ramp.T)
            return Texture.of(gradient_colours(settings.gradient, at)[None].astype(np.float32), key)

        return ev.memo.get(key, make)
    if settings.paint == "picture" and settings.picture is not None:
        asset = ev.scene.library.find(settings.picture)
        key = content_key("texture", asset.digest)
        return ev.memo.get(key, lambda: Texture.of(covering(asset.content), key))
    return None


def _uvs(ev, settings, mesh, matrices):
    """Places of the corners of the faces."""
    laid = settings.laid
    if laid == "by the form" and mesh.uvs is not None:
        return mesh.uvs
    way, axis = _way(laid)
    topology = mesh.topology
    matrix, span = _in_space(ev, settings, mesh, matrices)
    key = content_key("laid", laid, mesh.key, matrix, span)

    def make():
        points = _carried(mesh.points, matrix)
        if way == "around":
            return frozen(around_faces(points, topology, axis, span))
        return frozen(along(points, axis, span)[topology.corners])

    return ev.memo.get(key, make)


def _way(laid):
    way, axis = ("along", "z") if laid == "by the form" else laid.split()
    return way, "xyz".index(axis)


def _matrix(settings):
    """From places on the figure to places in the picture: turned about the middle, repeated, then moved."""
    angle = np.radians(settings.paint_turn)
    turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    times = np.diag([settings.across, settings.up])
    moved = times @ (0.5 - turn @ [0.5, 0.5]) - [settings.slide_across, settings.slide_up]
    return frozen(np.column_stack([times @ turn, moved]))


def paint_points(ev, settings, mesh: Mesh, matrices) -> np.ndarray | None:
    """Return (V, 3) linear light of a look's paint at each point, for lines and dots; None if it is plain."""
    texture = _texture(ev, settings)
    if texture is None or not len(mesh.points):
        return None
    if settings.paint == "pattern":
        u = sample_layers(_pattern_places(ev, settings, mesh, matrices)[0], _layers(ev, settings)) + np.float32(HALF)
        return sample_pixels(texture.levels[0], u, np.full(len(u), 0.5), "its edge")[:, :3]
    matrix = _matrix(settings)
    u, v = matrix[:, :2] @ _point_places(ev, settings, mesh, matrices).T + matrix[:, 2:]
    return sample_pixels(texture.levels[0], u, v, settings.beyond)[:, :3]


def _point_places(ev, settings, mesh, matrices):
    if settings.laid != "by the form":
        way, axis = _way(settings.laid)
        inward, span = _in_space(ev, settings, mesh, matrices)
        return (around if way == "around" else along)(_carried(mesh.points, inward), axis, span)
    if mesh.uvs is not None and len(mesh.uvs):
        places = along(mesh.points, 2)
        # Of the corners that meet in a point the first one counts.
        places[mesh.topology.corners[::-1]] = mesh.uvs[::-1]
        return places
    return along(mesh.points, 2) if mesh.topology.lines is None else lengthwise(mesh.points, mesh.topology.lines)
