"""How much a routine may make, asked before anything is allocated; and shapes as points, within that."""

from dataclasses import replace

from ..data import Mesh, Placed, Problem, ProblemError
from ..data.key import content_key
from ..geometry import join

MAX_POINTS = 8_000_000
MAX_COPIES = 1_000_000
MAX_DELAYS = 2_000
# Of all figures that are drawn together.
MAX_SCENE_POINTS = 16_000_000
MAX_SCENE_COPIES = 2_000_000
# Of copies within copies no more places are remembered: they stand in those of the outer ones, too.
MOST_WITHIN = 4096


def check_size(count, most, what):
    """Raise ProblemError if a step would make more than it may."""
    if count > most:
        raise ProblemError(Problem("", f"this would make {count:,} {what}; allowed up to {most:,}", "size.limit"))


class Budget:
    """What all figures of a picture may take together; asked figure by figure, so that no more is made than that."""

    def __init__(self):
        self.points, self.copies, self.meshes = 0, 0, set()

    def take(self, drawable):
        """Count what a figure draws, each mesh once; raises ProblemError, with the figure's path, beyond the limits."""
        if drawable.mesh.key not in self.meshes:
            self.meshes.add(drawable.mesh.key)
            self.points += len(drawable.mesh.points)
        self.copies += len(drawable.matrices)
        for count, most, what in (
            (self.points, MAX_SCENE_POINTS, "points"),
            (self.copies, MAX_SCENE_COPIES, "copies"),
        ):
            if count > most:
                message = f"with the figures before it the scene has {count:,} {what}; allowed up to {most:,}"
                raise ProblemError(Problem(f"figures/{drawable.name}", message, "size.scene"))


def flattened(memo, shape) -> tuple[Placed, ...]:
    """Return the innermost meshes of copies with all their places; those of few copies within are remembered."""

    def of_inner(source):
        if not source.key or source.drawn_count > MOST_WITHIN:
            return source.flattened(of_inner)
        return memo.get(content_key("flat", source.key), lambda: source.flattened(of_inner))

    return shape.flattened(of_inner)


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
