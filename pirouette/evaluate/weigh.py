"""What settings refer to: fields with their weights and directions, other figures, guides and assets.

Fields and links stand together because each may lead to the other: a clause can be near a figure, a step can name
a field.
"""

from dataclasses import replace

import numpy as np

from ..data import Mesh, ProblemError
from ..data.join import placed
from ..data.link import Link
from ..document import Field
from ..document.things import JOINS
from ..kernels.weigh import join_weights
from .memo import content_key
from .size import expanded
from .world import World

SMALLEST = 1e-12
IDENTITY = np.eye(4)


def _is_straight(response) -> bool:
    return len(response) == 2 and np.array_equal(response, [[0, 0], [1, 1]])


class _Clause:
    """A clause at a moment, seen from points in the world."""

    def __init__(self, world, clause, points, share, path):
        self.world, self.clause, self.points = world, clause, points
        self.joining = world.resolve(clause.joining, f"{path}/joining")
        self.matrix = world.carrier(clause.joining, f"{path}/joining")
        if self.joining.follows is not None:
            back = np.linalg.pinv(self.matrix).astype(np.float32)
            self.points = points @ back[:3, :3].T + back[:3, 3]
        try:
            around = world.around
            if any(value.per_copy for value in clause.settings.values()):
                around = around.for_copies(self.points, np.ones(len(points)), share)
            self.settings = clause.settings.resolve(around)
        except ProblemError as error:
            raise error.within(path) from None
        self.links, _ = links_of(world, clause.settings, self.settings, self.matrix)
        self.offered = {
            "points": self.points,
            "settings": self.settings,
            "moment": world.moment,
            "links": self.links,
            "share": share,
        }

    def weight(self) -> np.ndarray:
        """(N,) float32, turned inside out and bent as the clause says."""
        weight = self.clause.kind.call(**self.offered)
        joining = self.joining
        if joining.inside_out:
            weight = 1 - weight
        if not _is_straight(joining.response):
            weight = np.interp(weight, joining.response[:, 0], joining.response[:, 1]).astype(np.float32)
        return weight

    def direction(self) -> np.ndarray | None:
        """(N, 3) float32 unit vectors in the world, or None."""
        way = self.joining.direction
        if way == "none":
            return None
        away, along = _default_ways(self.points)
        if self.clause.kind.ways:
            away, along = self.clause.kind.ways(
                **{k: self.offered[k] for k in ("points", "settings", "moment", "links")}
            )
        local = {"away": away, "towards": -away, "along": along, "around": np.cross(along, away)}[way]
        return unit_rows(local @ self.matrix[:3, :3].T.astype(np.float32))


def _default_ways(points):
    """Away from the middle of the clause's space, and along its y axis."""
    along = np.zeros_like(points)
    along[:, 1] = 1
    return unit_rows(points), along


def unit_rows(rows) -> np.ndarray:
    """Return (N, 3) float32 rows of length 1; rows of no length stay 0."""
    length = np.linalg.norm(rows, axis=1, keepdims=True)
    return (rows / np.maximum(length, SMALLEST)).astype(np.float32) * (length > SMALLEST)


def _asks_for_order(clause) -> bool:
    return "share" in clause.kind.arguments or any(value.per_copy for value in clause.settings.values())


def _clauses(world, field, points, share):
    if share is None and any(_asks_for_order(clause) for clause in field.clauses):
        share = np.arange(len(points), dtype=np.float32) / max(len(points) - 1, 1)
    for index, clause in enumerate(field.clauses):
        if clause.on:
            path = f"fields/{field.name}/clauses/{index} ({clause.kind.id})"
            yield _Clause(world, clause, points, share, path), path


def field_weights(world: World, field: Field, points, share=None) -> np.ndarray:
    """Return (N,) float32 weights of a field at (N, 3) points in the world; 1 everywhere if it says nothing.

    share  (N,) 0..1, where each point stands in its order; evenly by number if not given
    """
    total = None
    for one, path in _clauses(world, field, points, share):
        joining = one.joining
        try:
            weight = one.weight()
        except ProblemError as error:
            raise error.within(path) from None
        if total is None:
            total = weight * np.float32(joining.strength) if joining.strength < 1 else weight
        else:
            total = join_weights(total, weight, JOINS.index(joining.join), joining.strength)
    return np.ones(len(points), np.float32) if total is None else np.asarray(total, np.float32)


def field_directions(world: World, field: Field, points, share=None) -> np.ndarray:
    """Return (N, 3) float32 unit directions of a field at points in the world; 0 where no clause gives one."""
    total = np.zeros((len(points), 3), np.float32)
    is_first = True
    for one, _ in _clauses(world, field, points, share):
        way = one.direction()
        if way is None:
            continue
        way = way * np.float32(one.joining.strength)
        join = one.joining.direction_join
        if is_first or join == "instead":
            total = way
        elif join == "across":
            total = np.cross(total, way)
        else:
            total = total + way
        is_first = False
    return unit_rows(total)


def field_key(world: World, field: Field) -> str:
    """Return a key that is equal whenever the field gives the same weights everywhere."""
    parts = []
    for clause in field.clauses:
        if not clause.on:
            continue
        try:
            settings = clause.settings.resolve(world.around)
            matrix = world.carrier(clause.joining, "joining")
            _, link_keys = links_of(world, clause.settings, settings, matrix)
            timed = clause.settings.depends_on_time(settings)
            parts.append(
                (
                    clause.kind.id,
                    clause.kind.version,
                    clause.settings.sign(world.around),
                    clause.joining.sign(world.around),
                    matrix.tobytes(),
                    link_keys,
                    (world.moment.phase, world.moment.loops) if timed else None,
                )
            )
        except ProblemError as error:
            raise error.within(f"fields/{field.name}") from None
    return content_key(*parts)


def links_of(world, settings, resolved, matrix=IDENTITY) -> tuple[dict[str, Link], tuple]:
    """Return the links of settings by name, and keys of all of them.

    matrix  (4, 4) from the space of who refers to the world
    """
    links = {}
    for name, setting in settings.declared().items():
        value = getattr(resolved, name)
        if setting.sort == "reference" and value is not None:
            links[name] = _link(world, setting.choices, value, matrix)
        elif setting.sort == "references":
            for number, one in enumerate(value):
                links[f"{name}/{number}"] = _link(world, setting.choices, one, matrix)
        elif setting.sort == "asset" and value is not None:
            asset = world.scene.library.find(value)
            links[name] = Link(content_key("asset", asset.digest), IDENTITY, asset=asset)
    return links, tuple(link.key for link in links.values())


def _link(world, families, value, matrix) -> Link:
    scene = world.scene
    back = np.linalg.pinv(matrix)
    if "guides" in families and value in scene.guides_by_id:
        relative = back @ world.thing_matrix(value)
        return Link(content_key("guide", relative.tobytes()), relative, world.thing_matrix(value))
    if "fields" in families and value in scene.fields_by_id:
        return _field_link(world, scene.fields_by_id[value], matrix)
    figure = scene.figures_by_id[value]
    shape, relative = world.shape_of(figure), back @ world.figure_matrix(figure)
    own = world.figure_matrix(figure)
    key = content_key("figure", shape.key, relative.tobytes(), own.tobytes())

    def rest():
        first = world.at(scene.moment(0.0))
        there = np.linalg.pinv(matrix) @ first.figure_matrix(figure)
        return _mesh_of(world, first.shape_of(figure), there)

    return Link(key, relative, own, shape, lambda: _mesh_of(world, shape, relative), rest)


def _mesh_of(world, shape, relative) -> Mesh:
    key = content_key("linked", shape.key, relative.tobytes())
    return world.memo.get(key, lambda: replace(placed(expanded(world.memo, shape), relative), key=key))


def _field_link(world, field, matrix):
    from_here = np.asarray(matrix, np.float32)
    weigh = lambda points: field_weights(world, field, points @ from_here[:3, :3].T + from_here[:3, 3])  # noqa: E731
    return Link(content_key(field_key(world, field), matrix.tobytes()), IDENTITY, weigh=weigh)
