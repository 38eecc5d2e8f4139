"""Weights of fields at points in the world."""

import numpy as np

from ..data import ProblemError
from ..document import Field
from .memo import content_key
from .world import World


def _joined(join, before, weight):
    if join == "plus":
        return np.minimum(before + weight, 1)
    if join == "less":
        return np.maximum(before - weight, 0)
    if join == "only where":
        return before * weight
    if join == "whichever is more":
        return np.maximum(before, weight)
    if join == "whichever is less":
        return np.minimum(before, weight)
    if join == "half and half":
        return (before + weight) * np.float32(0.5)
    return weight  # instead


def _is_straight(response) -> bool:
    return len(response) == 2 and np.array_equal(response, [[0, 0], [1, 1]])


def clause_weights(world: World, clause, points, path: str):
    """Return (N,) float32 weights of one clause alone, turned inside out and bent as it says, and its joining."""
    settings = world.resolve(clause.settings, path)
    joining = world.resolve(clause.joining, f"{path}/joining")
    if joining.follows is not None:
        back = np.linalg.pinv(world.guide_matrix(joining.follows)).astype(np.float32)
        points = points @ back[:3, :3].T + back[:3, 3]
    weight = clause.kind.call(points=points, settings=settings, moment=world.moment)
    if joining.inside_out:
        weight = 1 - weight
    if not _is_straight(joining.response):
        weight = np.interp(weight, joining.response[:, 0], joining.response[:, 1]).astype(np.float32)
    return weight, joining


def field_weights(world: World, field: Field, points) -> np.ndarray:
    """Return (N,) float32 weights of a field at (N, 3) points in the world; 1 everywhere if it says nothing."""
    total = None
    for index, clause in enumerate(field.clauses):
        if not clause.on:
            continue
        path = f"fields/{field.name}/clauses/{index} ({clause.kind.id})"
        weight, joining = clause_weights(world, clause, points, path)
        if total is None:
            total = weight * np.float32(joining.strength) if joining.strength < 1 else weight
        else:
            joined = _joined(joining.join, total, weight)
            total = total + (joined - total) * np.float32(joining.strength) if joining.strength < 1 else joined
    return np.ones(len(points), np.float32) if total is None else np.asarray(total, np.float32)


def field_key(world: World, field: Field) -> str:
    """Return a key that is equal whenever the field gives the same weights everywhere."""
    parts = []
    for clause in field.clauses:
        if not clause.on:
            continue
        try:
            settings = clause.settings.resolve(world.around)
            timed = clause.settings.depends_on_time(settings)
            parts.append(
                (
                    clause.kind.id,
                    clause.kind.version,
                    clause.settings.sign(world.around),
                    clause.joining.sign(world.around),
                    world.guide_matrix(clause.joining.follows).tobytes(),
                    (world.moment.phase, world.moment.loops) if timed else None,
                )
            )
        except ProblemError as error:
            raise error.within(f"fields/{field.name}") from None
    return content_key(*parts)
