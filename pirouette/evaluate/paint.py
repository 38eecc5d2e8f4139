"""How a look's picture or gradient lies on its figure at a moment."""

import numpy as np

from ..craft.vary import gradient_colours
from ..data import Mesh
from ..data.attribute import shades
from ..data.key import content_key
from ..data.texture import Paint, Texture, covering, sample_pixels
from ..geometry.laid import along, around, around_faces, lengthwise
from ..kernels.compile import frozen
from ..kernels.geometry.place import carried, inverted

GRADIENT_STEPS = 256


def paint_of(ev, settings, mesh: Mesh, matrices) -> Paint | None:
    """Return the paint of a look with resolved settings on a mesh, or None if it is plain.

    matrices  (N, 3, 4) where the mesh is drawn; once only, if the paint lives in the space of another thing
    """
    texture = _texture(ev, settings)
    if texture is None or not len(mesh.points):
        return None
    return Paint(texture, _uvs(ev, settings, mesh, matrices), _matrix(settings), settings.beyond)


def lives_elsewhere(settings) -> bool:
    """True if a look's paint lies in the space of another thing, so that each copy has another part of it."""
    return (
        settings.paint in ("picture", "gradient") and settings.laid != "by the form" and settings.lives_in is not None
    )


def _in_space(ev, settings, mesh, matrices):
    """The matrix from a mesh to the space that the paint lies in, and how much of it the paint covers; or none."""
    if not lives_elsewhere(settings):
        return None, None
    home = np.eye(4)
    home[:3] = matrices[0]
    return inverted(ev.thing_matrix(settings.lives_in)) @ home, float(settings.span)


def _carried(points, matrix):
    return points if matrix is None else carried(points, matrix)


def attribute_colours(settings, attributes, ends) -> np.ndarray | None:
    """Return (N, 3) linear light of a look's gradient by the attribute it goes by; None where nothing carries it."""
    if settings.attribute not in attributes:
        return None
    at = shades(attributes[settings.attribute], settings.attribute, ends.of(settings.attribute))
    return gradient_colours(settings.gradient, at).astype(np.float32)


def _texture(ev, settings):
    if settings.paint == "gradient":
        key = content_key("gradient", settings.gradient)
        at = (np.arange(GRADIENT_STEPS) + 0.5) / GRADIENT_STEPS
        return ev.memo.get(
            key, lambda: Texture.of(gradient_colours(settings.gradient, at)[None].astype(np.float32), key)
        )
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
