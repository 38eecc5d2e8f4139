"""A ragged curve that branches."""

import numpy as np

from ...data import Mesh
from ...data.attribute import Attributes
from ...geometry import bolt as spark
from ...geometry.curve import Line, curves_of, sampled
from ...schema import Kind, Settings, integer, number, reference, vector


class BoltSettings(Settings):
    start: list = vector((0, 90, 0), soft=(-300, 300))
    """Where it begins."""
    end: list = vector((0, -90, 0), soft=(-300, 300))
    """Where it ends."""
    track: str = reference("figures")
    """The figure along whose first curve it runs, instead of straight from start to end."""
    branches: int = integer(5, soft=(0, 12), hard=(0, 60), headline=True)
    """How many branches leave the trunk; each of them has half as many."""
    depth: int = integer(2, soft=(0, 4), hard=(0, 5), headline=True)
    """How many times branches branch again."""
    spread: float = number(32, soft=(0, 90), hard=(0, 180), unit="deg")
    """The angle at which branches leave."""
    length: float = number(0.6, soft=(0.05, 1), hard=(0, 4))
    """How long a branch is at most, as a share of what is left of the line that it leaves."""
    raggedness: float = number(0.16, soft=(0, 0.5), hard=(0, 2), headline=True)
    """How far the line strays to its sides, as a share of each stretch of it."""
    detail: int = integer(6, soft=(1, 9), hard=(1, 12))
    """How many times its stretches are halved and strayed from."""
    flat: float = number(0, soft=(0, 1), hard=(0, 1))
    """How much of its depth along z is taken away, for sparks that lie in a plane."""
    renews: int = integer(0, soft=(0, 48), hard=(0, 10_000), headline=True)
    """How many shapes it takes one after the other in each loop, or in each second of a scene that plays once."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another bolt."""

    @classmethod
    def depends_on_time(cls, resolved) -> bool:
        return resolved.renews > 1


def bolt(settings, moment, links) -> Mesh:
    """Make a branching ragged curve from a start to an end, or along a given curve.

    Returns  a Mesh of curves, the trunk first; each knows its `branch`, their points how far `along` they are, and a
             `width` that is 1 for the trunk and less for branches
    """
    track = np.array([settings.start, settings.end], np.float64)
    drawn = curves_of(links["track"].mesh) if "track" in links else []
    levels = settings.detail
    if drawn:
        # As many stretches as halving the straight way would give after some levels; those are not halved again.
        coarse = min(levels, 4)
        line = Line(*drawn[0])
        track, levels = sampled(line, np.linspace(0, 1, 2**coarse + 1)), levels - coarse
    shape = int(np.floor(moment.phase * settings.renews + 1e-6)) if settings.renews > 1 else 0
    seed = settings.seed + 1009 * shape
    branching = spark.Branching(
        settings.branches, settings.depth, np.radians(settings.spread), settings.length, max(settings.detail - 1, 1)
    )
    lines = spark.bolt(track, levels, branching, settings.raggedness, seed)
    points = np.concatenate([points for points, _ in lines])
    points[:, 2] = (points[:, 2] - track[:, 2].mean()) * (1 - settings.flat) + track[:, 2].mean()
    sizes = [len(points) for points, _ in lines]
    branch = np.array([level for _, level in lines], np.float32)
    made = Mesh.curves(points, sizes, False)
    width = np.repeat(0.6**branch, sizes)
    return Mesh(
        made.points, made.topology, at_points=made.at_points.with_(width=width), at_curves=Attributes(branch=branch)
    )


def estimate(settings, links) -> int:
    """How many points there will be."""
    trunk = 2**settings.detail + 1
    lines, each, count = 0, settings.branches, 1
    for _ in range(settings.depth):
        count *= each
        lines += count
        each = max(each // 2, 1)
    return trunk + max(trunk, 3) * lines


KIND = Kind(
    "bolt",
    "form",
    BoltSettings,
    bolt,
    "Bolt of **{branches}** branches, **{depth}** deep, ragged by **{raggedness}**, **{renews}** shapes a loop",
    estimate=estimate,
    icon="bolt",
    words="lightning spark electric branch",
)
