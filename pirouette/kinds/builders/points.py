"""Points alone."""

from ...data import Mesh, Topology, sources_of
from ...schema import Kind, Settings, integer


class PointsSettings(Settings):
    each: int = integer(1, soft=(1, 20), hard=(1, 1_000_000), headline=True)
    """Keep one of so many points."""
    begin: int = integer(0, soft=(0, 20), hard=(0, 1_000_000), headline=True)
    """Leave out so many at the beginning."""


def points(mesh, weights, settings) -> Mesh:
    """Leave the points of a shape alone, without its faces and curves; all that they carry stays.

    weights  (V,) 0..1 from the step's field: points stay where it is at least one half
    """
    kept = weights >= 0.5
    numbers = kept.nonzero()[0][settings.begin :: settings.each]
    return mesh.gathered(numbers, Topology([0], [], len(numbers)))


def estimate(shape) -> int:
    return sum(len(mesh.points) for mesh in sources_of(shape))


KIND = Kind(
    "points",
    "build",
    PointsSettings,
    points,
    "Points alone, one of each **{each}** after **{begin}**",
    estimate=estimate,
    icon="points",
    words="dots vertices cloud particles",
)
