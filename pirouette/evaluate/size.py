"""How much a routine may make, asked before anything is allocated; and shapes as points, within that."""

from dataclasses import replace

from ..data import Mesh, Placed, Problem, ProblemError
from ..data.key import content_key
from ..geometry import join

MAX_POINTS = 8_000_000
MAX_COPIES = 1_000_000
MAX_DELAYS = 2_000


def check_size(count, most, what):
    """Raise ProblemError if a step would make more than it may."""
    if count > most:
        raise ProblemError(Problem("", f"this would make {count:,} {what}; allowed up to {most:,}", "size.limit"))


def flattened(memo, shape) -> tuple[Placed, ...]:
    """Return the innermost meshes of copies with all their places, remembered."""
    return memo.get(content_key("flat", shape.key), shape.flattened)


def expanded(memo, shape) -> Mesh:
    """Return a shape as one mesh, remembered; the faces of moving copies keep their key."""
    if isinstance(shape, Mesh):
        return shape
    count, leaves = shape.drawn_count, shape.leaves
    detail = f"points ({count:,} × {len(leaves[0].points):,})" if len(leaves) == 1 else f"points ({count:,} copies)"
    check_size(shape.point_count, MAX_POINTS, detail)
    key = content_key("expand", shape.key)
    return memo.get(key, lambda: _expanded(memo, shape, key))


def _expanded(memo, shape, key):
    mesh = replace(join.expanded(shape), key=key)
    drawn = flattened(memo, shape)
    if len(drawn) != 1:
        return replace(mesh, topology=replace(mesh.topology, key=f"t{key}"))
    # The faces of moving copies stay the same, so their topology keeps its key and what was derived from it.
    (one,) = drawn
    faces_key = f"t{content_key('expand', one.mesh.topology.key, len(one.matrices))}"
    faces = memo.get(faces_key, lambda: replace(join.repeated(one.mesh.topology, len(one.matrices)), key=faces_key))
    return replace(mesh, topology=faces)
