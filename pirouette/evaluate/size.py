"""How much a routine may make, asked before anything is allocated; and shapes as points, within that."""

from dataclasses import replace

from ..data import Mesh, Problem, ProblemError
from ..data.join import repeated
from .memo import content_key

MAX_POINTS = 8_000_000
MAX_COPIES = 1_000_000
MAX_DELAYS = 2_000


def check_size(count, most, what):
    """Raise ProblemError if a step would make more than it may."""
    if count > most:
        raise ProblemError(Problem("", f"this would make {count:,} {what}; allowed up to {most:,}", "size.limit"))


def expanded(memo, shape) -> Mesh:
    """Return a shape as one mesh, remembered; the faces of moving copies keep their key."""
    if isinstance(shape, Mesh):
        return shape
    count, leaves = shape.drawn_count, shape.leaves
    detail = f"points ({count:,} × {len(leaves[0].points):,})" if len(leaves) == 1 else f"points ({count:,} copies)"
    check_size(shape.point_count, MAX_POINTS, detail)
    mesh = memo.get(content_key("expand", shape.key), shape.expanded)
    if len(shape.flat) != 1:
        return replace(mesh, key=content_key("expand", shape.key))
    # The faces of moving copies stay the same, so their topology keeps its key and what was derived from it.
    (one,) = shape.flat
    key = f"t{content_key('expand', one.mesh.topology.key, len(one.matrices))}"
    topology = memo.get(key, lambda: (replace(repeated(one.mesh.topology, len(one.matrices)), key=key),))[0]
    return replace(mesh, topology=topology, key=content_key("expand", shape.key))
