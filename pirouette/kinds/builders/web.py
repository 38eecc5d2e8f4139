"""Links between points that are near each other."""

import numpy as np

from ...data import Copies, Mesh, sources_of
from ...data.attribute import Attributes
from ...data.mesh import Lines, Topology
from ...geometry.join import expanded
from ...geometry.net import net, triangles_among
from ...geometry.weld import welded
from ...schema import Kind, Settings, integer, number, switch


class WebSettings(Settings):
    reach: float = number(60, soft=(5, 300), hard=(0, None), headline=True)
    """Points nearer to each other than this are linked."""
    most: int = integer(4, soft=(1, 12), hard=(1, 64), headline=True)
    """How many links there are at a point at most; the shortest come first."""
    width: float = number(1.5, soft=(0.1, 10), hard=(0, None), headline=True)
    """How wide a link between points that touch would be, as its points' `width`; tubes and wires can go by it."""
    thins: float = number(1, soft=(0, 1), hard=(0, 1))
    """How much thinner links are the longer they are, down to nothing at the reach."""
    fades: float = number(1, soft=(0, 1), hard=(0, 1))
    """How much fainter links are the longer they are."""
    triangles: bool = switch(False)
    """Whether three points that are all linked are filled by a face."""


def web(shape, settings, weights_at) -> Mesh:
    """Link the places of copies, or the points of a shape, that are near each other.

    weights_at  gives the weights of the step's field at places; a link is as strong as the weaker of its ends
    Returns     a Mesh of a curve for each link, its points carrying a `width`, and triangles if wanted
    """
    places = places_of(shape)
    points = places.points
    weights = weights_at(points, places.at_points)
    ends, lengths = net(points, settings.reach, settings.most)
    strength = (1 - lengths / max(settings.reach, 1e-9)) * np.minimum(*weights[ends.T]) if len(ends) else lengths
    seen = strength > 0
    ends, lengths, strength = ends[seen], lengths[seen], strength[seen]
    if not len(ends):
        return Mesh.empty()
    index, each = ends.reshape(-1), np.repeat(strength, 2)
    width, opacity = settings.width * (1 - settings.thins * (1 - each)), 1 - settings.fades * (1 - each)
    corners = np.zeros((0, 3), np.int64)
    if settings.triangles:
        threes = triangles_among(ends, len(points))
        corners = np.stack([ends[threes[:, 0], 0], ends[threes[:, 0], 1], ends[threes[:, 1], 1]], axis=1)
        weakest = np.repeat(strength[threes].min(axis=1), 3)
        index = np.concatenate([index, corners.reshape(-1)])
        width = np.concatenate([width, np.zeros(corners.size)])
        opacity = np.concatenate([opacity, 1 - settings.fades * (1 - weakest)])
    count = 2 * len(ends)
    lines = Lines(2 * np.arange(len(ends) + 1), np.arange(count), np.zeros(len(ends), bool))
    topology = Topology(
        np.arange(len(corners) + 1) * 3, np.arange(count, count + corners.size), len(index), lines=lines,
        outline=np.zeros((0, 2)),
    )  # fmt: skip
    made = places.gathered(index, topology)
    along = np.zeros(len(index))
    along[1:count:2] = 1
    carried = np.ones(len(index)) if made.opacity is None else made.opacity
    return Mesh(
        made.points,
        topology,
        colours=made.colours,
        opacity=carried * opacity,
        at_points=made.at_points.with_(width=width, along=along),
    )


def places_of(shape) -> Mesh:
    """Return where copies stand, as bare points with what they carry; of one copy or a mesh, its points."""
    if isinstance(shape, Copies):
        placed = shape.flattened()
        if sum(len(one.matrices) for one in placed) > 1:
            return Mesh(
                np.concatenate([one.matrices[:, :, 3] for one in placed]),
                Topology(np.zeros(1), np.zeros(0), sum(len(one.matrices) for one in placed)),
                colours=np.concatenate([one.colours for one in placed]),
                opacity=np.concatenate([one.opacity for one in placed]),
                at_points=Attributes.joined((one.at_copies, len(one.matrices)) for one in placed),
            )
        shape = expanded(shape)
    first, _ = welded(shape.points)
    return shape.gathered(first, Topology(np.zeros(1), np.zeros(0), len(first)))


def estimate(settings, shape) -> int:
    """How many points there will be at most: two for each link, three for each triangle."""
    count = sum(len(mesh.points) for mesh in sources_of(shape))
    if isinstance(shape, Copies) and shape.drawn_count > 1:
        count = shape.drawn_count
    links = count * settings.most // 2
    return 2 * links + (3 * links * settings.most if settings.triangles else 0)


KIND = Kind(
    "web",
    "build",
    WebSettings,
    web,
    "Web of links up to **{reach}** long, **{most}** at a point, **{width}** wide",
    estimate=estimate,
    icon="web",
    words="links network connect lines nodes plexus net",
)
