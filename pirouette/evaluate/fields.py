"""Fields: the weights and directions that their clauses give together."""

import numpy as np

from ..data import ProblemError
from ..data.key import content_key
from ..document import Field
from ..document.things import JOINS
from ..kernels.geometry.place import carried, inverted, unit_rows
from ..kernels.geometry.weigh import join_weights


def _is_straight(response) -> bool:
    return len(response) == 2 and np.array_equal(response, [[0, 0], [1, 1]])


class _Clause:
    """A clause at a moment, seen from points in the world."""

    def __init__(self, ev, clause, points, share, attributes, path):
        self.clause, self.points = clause, points
        self.joining = ev.resolve(clause.joining, f"{path}/joining")
        self.matrix = ev.carrier(clause.joining, f"{path}/joining")
        if self.joining.follows is not None:
            self.points = carried(points, inverted(self.matrix))
        if clause.settings.has_per_copy:
            try:
                around = ev.around.for_copies(self.points, np.ones(len(points)), share, attributes)
                self.settings = clause.settings.resolve(around)
            except ProblemError as error:
                raise error.within(path) from None
        else:
            self.settings = ev.resolve(clause.settings, path)
        self.links, _ = ev.links(clause.settings, self.settings, self.matrix)
        self.offered = {
            "points": self.points,
            "settings": self.settings,
            "moment": ev.moment.wrapped,
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


def _asks_for_order(clause) -> bool:
    return "share" in clause.kind.arguments or clause.settings.has_per_copy


def goes_by_place(field: Field) -> bool:
    """Whether a field's weights follow from places alone, and not from the order of points or from what they carry."""
    return not any(clause.on and _asks_for_order(clause) for clause in field.clauses)


def _clauses(ev, field, points, share, attributes):
    if share is None and any(_asks_for_order(clause) for clause in field.clauses):
        share = np.arange(len(points), dtype=np.float32) / max(len(points) - 1, 1)
    for index, clause in enumerate(field.clauses):
        if clause.on:
            path = f"fields/{field.name}/clauses/{index} ({clause.kind.id})"
            yield _Clause(ev, clause, points, share, attributes, path), path


def field_weights(ev, field: Field, points, share=None, attributes=None) -> np.ndarray:
    """Return (N,) float32 weights of a field at (N, 3) points in the world; 1 everywhere if it says nothing.

    share       (N,) 0..1, where each point stands in its order; evenly by number if not given
    attributes  what the points carry, by name, for formulas
    """
    total = None
    for clause, path in _clauses(ev, field, points, share, attributes):
        joining = clause.joining
        try:
            weight = clause.weight()
        except ProblemError as error:
            raise error.within(path) from None
        if total is None:
            total = weight * np.float32(joining.strength) if joining.strength < 1 else weight
        else:
            total = join_weights(total, weight, JOINS.index(joining.join), joining.strength)
    return np.ones(len(points), np.float32) if total is None else np.asarray(total, np.float32)


def field_directions(ev, field: Field, points, share=None, attributes=None) -> np.ndarray:
    """Return (N, 3) float32 unit directions of a field at points in the world; 0 where no clause gives one."""
    total = np.zeros((len(points), 3), np.float32)
    is_first = True
    for clause, _ in _clauses(ev, field, points, share, attributes):
        way = clause.direction()
        if way is None:
            continue
        way = way * np.float32(clause.joining.strength)
        join = clause.joining.direction_join
        if is_first or join == "instead":
            total = way
        elif join == "across":
            total = np.cross(total, way)
        else:
            total = total + way
        is_first = False
    return unit_rows(total)


def field_key(ev, field: Field) -> str:
    """Return a key that is equal whenever the field gives the same weights everywhere."""
    parts = []
    for index, clause in enumerate(field.clauses):
        if not clause.on:
            continue
        path = f"fields/{field.name}/clauses/{index} ({clause.kind.id})"
        settings = ev.resolve(clause.settings, path)
        joining = ev.resolve(clause.joining, f"{path}/joining")
        matrix = ev.carrier(clause.joining, f"{path}/joining")
        _, link_keys = ev.links(clause.settings, settings, matrix)
        parts.append(
            (
                clause.kind.id,
                clause.kind.version,
                clause.settings.sign(ev.around, settings),
                clause.joining.sign(ev.around, joining),
                matrix,
                link_keys,
                ev.moment.wrapped if clause.kind.is_timed(settings) else None,
            )
        )
    return content_key(*parts)
