"""Runs a figure's routine, step by step, taking from the memo what is known already."""

from dataclasses import dataclass, replace

import numpy as np

from ..data import Copies, Mesh, Problem, ProblemError
from ..document import Figure
from .memo import Memo, content_key
from .weigh import field_key, field_weights
from .world import World

MAX_POINTS = 8_000_000
MAX_COPIES = 1_000_000


@dataclass(frozen=True)
class Run:
    """What running a routine needs besides the routine."""

    world: World
    memo: Memo
    check_wanted: object
    figure: Figure
    matrix: np.ndarray
    """(4, 4) from the figure's space to the world."""


def run_routine(run: Run) -> Mesh | Copies | None:
    """Return the shape that a figure's routine makes, or None if it makes nothing.

    Raises ProblemError if a step cannot work or would take too much memory, Cancelled if it is not wanted any more
    """
    shape = None
    for index, step in enumerate(run.figure.routine):
        if not step.on:
            continue
        run.check_wanted()
        path = f"figures/{run.figure.name}/routine/{index} ({step.kind.id})"
        if shape is None and step.kind.group != "form":
            raise ProblemError(Problem(path, "there is no form yet; begin the routine with one", "routine.form"))
        try:
            shape = _run_step(run, step, shape)
        except ProblemError as error:
            raise error.within(path) from None
    return shape


def _run_step(run, step, shape):
    world = run.world
    settings = step.settings.resolve(world.around)
    timed = step.settings.depends_on_time(settings)
    limit = world.scene.fields_by_id[step.only_where] if step.only_where else None
    key = content_key(
        step.kind.id,
        step.kind.version,
        step.settings.sign(world.around),
        shape.key if shape is not None else None,
        (world.moment.phase, world.moment.loops, world.moment.fps) if timed else None,
        # A field lives in the world, so where the figure is matters to it.
        (field_key(world, limit), run.matrix.tobytes()) if limit else None,
    )
    return run.memo.get(key, lambda: _keyed(_GROUPS[step.kind.group](run, step, settings, limit, shape), key, shape))


def _keyed(result, key, source):
    if isinstance(result, Copies):
        return replace(result, key=key)
    topology = result.topology
    if not topology.key:
        topology = replace(topology, key=f"t{key}")
    return replace(result, key=key, topology=topology)


def _check_size(count, most, what):
    if count > most:
        raise ProblemError(Problem("", f"this would make {count:,} {what}; allowed up to {most:,}", "size.limit"))


def _form(run, step, settings, limit, shape):
    _check_size(step.kind.estimate(settings), MAX_POINTS, "points")
    return step.kind.call(settings=settings)


def _repeat(run, step, settings, limit, shape):
    each = shape.drawn_count if isinstance(shape, Copies) else 1
    _check_size(step.kind.estimate(settings) * each, MAX_COPIES, "copies")
    return step.kind.call(shape=shape, settings=settings)


def _weights(run, limit, points):
    if limit is None:
        return np.ones(len(points), np.float32)
    matrix = run.matrix.astype(np.float32)
    return field_weights(run.world, limit, points @ matrix[:3, :3].T + matrix[:3, 3])


def _per_copy(run, step, settings, points, weights):
    """Resolve again for each copy where a formula asks for it."""
    if not any(getattr(getattr(step.settings, name), "per_copy", False) for name in step.settings.declared()):
        return settings
    return step.settings.resolve(run.world.around.for_copies(points, weights))


def _modulate(run, step, settings, limit, shape):
    copies = shape if isinstance(shape, Copies) else Copies.at(shape, np.zeros((1, 3), np.float32))
    weights = _weights(run, limit, copies.position)
    settings = _per_copy(run, step, settings, copies.position, weights)
    return step.kind.call(copies=copies, weights=weights, settings=settings, moment=run.world.moment)


def _as_mesh(run, shape) -> Mesh:
    if isinstance(shape, Mesh):
        return shape
    count = shape.drawn_count
    leaf = shape.leaf
    _check_size(count * len(leaf.points), MAX_POINTS, f"points ({count:,} × {len(leaf.points):,})")

    def expand():
        return shape.expanded()

    mesh = run.memo.get(content_key("expand", shape.key), expand)
    # The faces of moving copies stay the same, so their topology keeps its key and what was derived from it.
    key = f"t{content_key('expand', leaf.topology.key, count)}"
    topology = run.memo.get(key, lambda: (replace(mesh.topology, key=key),))[0]
    return replace(mesh, topology=topology)


def _deform(run, step, settings, limit, shape):
    mesh = _as_mesh(run, shape)
    if not len(mesh.points):
        return mesh
    weights = _weights(run, limit, mesh.points)
    settings = _per_copy(run, step, settings, mesh.points, weights)
    offered = {"points": mesh.points, "weights": weights, "settings": settings, "moment": run.world.moment}
    if "normals" in step.kind.arguments:
        offered["normals"] = mesh.normals
    return mesh.with_points(step.kind.call(**offered))


def _build(run, step, settings, limit, shape):
    if isinstance(shape, Copies):
        inner = _build(run, step, settings, limit, shape.source)
        key = content_key(step.kind.id, step.settings.sign(run.world.around), shape.source.key)
        return replace(shape, source=_keyed(inner, key, shape.source), key="")
    _check_size(step.kind.estimate(settings, len(shape.topology.corners)), MAX_POINTS, "points")
    return step.kind.call(mesh=shape, settings=settings)


_GROUPS = {"form": _form, "repeat": _repeat, "modulate": _modulate, "deform": _deform, "build": _build}
