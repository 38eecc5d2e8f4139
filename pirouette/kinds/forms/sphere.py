"""A ball around the origin, of rings and segments or of even triangles."""

import numpy as np

from ...data import Mesh, Topology
from ...geometry.laid import around_faces
from ...geometry.revolve import bow, revolve
from ...kernels.geometry.place import unit_rows
from ...schema import Kind, Settings, choice, integer, number, only_if


class SphereSettings(Settings):
    radius: float = number(50, soft=(1, 300), hard=(0, None), headline=True)
    """From the middle to the surface."""
    rings: int = only_if(integer(24, soft=(3, 200), hard=(2, 5000), headline=True), form=("rings",))
    """Bands of faces from pole to pole."""
    segments: int = only_if(integer(48, soft=(3, 400), hard=(3, 10_000), headline=True), form=("rings",))
    """Faces around each ring."""
    form: str = choice("rings", ("rings", "even"))
    """Rings with a pole at both ends, or triangles that are nearly alike all over."""
    parts: int = only_if(integer(12, soft=(1, 60), hard=(1, 700)), form=("even",))
    """Triangles along each edge of the icosahedron that even triangles begin with."""


def sphere(settings) -> Mesh:
    """Make a closed sphere, its axis along y.

    Returns a Mesh of (rings - 1) * segments + 2 points, or of 10 * parts² + 2, with exact normals
    """
    if settings.form == "even":
        directions, triangles = _even(settings.parts)
        topology = Topology.of_faces(triangles, len(directions))
        mesh = Mesh(directions, topology, known_uvs=around_faces(directions, topology, 1))
    else:
        mesh = revolve([bow((0, 0), 1.0, 90, -90, settings.rings)], settings.segments)
        directions = unit_rows(mesh.points)
    points = directions * np.float32(settings.radius)
    return Mesh(points, mesh.topology, known_uvs=mesh.uvs, known_normals=directions)


def _even(parts):
    """An icosahedron with each face cut into parts² triangles, pushed out to the unit ball."""
    golden = (1 + 5**0.5) / 2
    corners = np.array([[0, a, b * golden] for a in (1, -1) for b in (1, -1)], float)
    corners = np.concatenate([corners, np.roll(corners, 1, axis=1), np.roll(corners, 2, axis=1)])
    near = np.linalg.norm(corners[:, None] - corners[None], axis=2) < 2.1
    faces = [
        (a, b, c)
        for a in range(12)
        for b in range(a + 1, 12)
        for c in range(b + 1, 12)
        if near[a, b] and near[b, c] and near[a, c]
    ]
    rows = [(i, j) for i in range(parts + 1) for j in range(parts + 1 - i)]
    number = {place: k for k, place in enumerate(rows)}
    barys = np.array([(parts - i - j, i, j) for i, j in rows]) / parts
    local = [(number[i, j], number[i + 1, j], number[i, j + 1]) for i, j in rows if i + j < parts]
    local += [(number[i + 1, j], number[i + 1, j + 1], number[i, j + 1]) for i, j in rows if i + j < parts - 1]
    points, triangles = [], []
    for face in faces:
        a, b, c = corners[list(face)]
        if np.dot(np.cross(b - a, c - a), a) < 0:
            b, c = c, b
        triangles.append(np.array(local) + len(points) * len(rows))
        points.append(barys @ np.stack([a, b, c]))
    points = np.concatenate(points)
    points = unit_rows(points)
    # Faces share the points of their edges: those in one place are one.
    _, first, inverse = np.unique(np.round(points, 9), axis=0, return_index=True, return_inverse=True)
    return points[first].astype(np.float32), inverse.reshape(-1)[np.concatenate(triangles)]


def estimate(settings) -> int:
    if settings.form == "even":
        return 10 * settings.parts**2 + 2
    return (settings.rings - 1) * settings.segments + 2


KIND = Kind(
    "sphere",
    "form",
    SphereSettings,
    sphere,
    "Sphere of radius **{radius}**, **{rings}** rings of **{segments}**",
    estimate=estimate,
    icon="circle",
    words="ball globe orb",
)
