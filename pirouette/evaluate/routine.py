"""Runs a figure's routine, step by step, taking from the memo what is known already."""

from dataclasses import dataclass, replace

import numpy as np

from ..data import Copies, Mesh, Problem, ProblemError
from ..data.copies import COLUMNS
from ..document import Figure
from .memo import content_key
from .past import limit_weights
from .size import MAX_COPIES, MAX_DELAYS, MAX_POINTS, check_size, expanded
from .weigh import field_directions, field_key, links_of
from .world import World


@dataclass(frozen=True)
class Run:
    """A figure at a moment. `matrix` (4, 4) leads from its space to the world."""

    world: World
    figure: Figure
    matrix: np.ndarray

    @classmethod
    def of(cls, world: World, figure: Figure) -> "Run":
        return cls(world, figure, world.own_matrix(figure))

    def at(self, moment) -> "Run":
        """The same figure at another moment."""
        return Run.of(self.world.at(moment), self.figure)


def run_routine(run: Run, stop: int | None = None) -> Mesh | Copies | None:
    """Return the shape that a figure's routine makes, or None if it makes nothing.

    stop    run only so many steps of it
    Raises  ProblemError if a step cannot work or would take too much memory, Cancelled if it is not wanted any more
    """
    shape = None
    for index, step in enumerate(run.figure.routine[:stop]):
        if not step.on:
            continue
        run.world.check_wanted()
        path = f"figures/{run.figure.name}/routine/{index} ({step.kind.id})"
        if shape is None and step.kind.group != "form":
            raise ProblemError(Problem(path, "there is no form yet; begin the routine with one", "routine.form"))
        try:
            shape = _run_step(run, index, step, shape)
        except ProblemError as error:
            raise error.within(path) from None
    return shape


def _as_copies(shape) -> Copies:
    return shape if isinstance(shape, Copies) else Copies.at(shape, np.zeros((1, 3), np.float32))


class _Past:
    """The shape before a step, at several earlier times, and which of them belongs to each copy."""

    def __init__(self, run, index, delay):
        self.delays, self.group = np.unique(delay, return_inverse=True)
        check_size(len(self.delays), MAX_DELAYS, "different times")
        moment = run.world.moment
        self.shapes = [run_routine(run.at(moment.earlier(float(one))), index) for one in self.delays]
        self._sources, self._numbers = [], {}

    def number(self, source) -> int:
        """The number of a source among all; those with the same key are one."""
        if source.key not in self._numbers:
            self._numbers[source.key] = len(self._sources)
            self._sources.append(source)
        return self._numbers[source.key]

    @property
    def sources(self) -> tuple:
        check_size(sum(map(_point_count, self._sources)), MAX_POINTS, f"points at {len(self.delays)} times")
        return tuple(self._sources)


def _repeated_late(run, index, copies) -> Copies:
    """Give the copies of a repeat what it repeats as it was so many frames before."""
    past = _Past(run, index, copies.delay)
    which = np.array([past.number(shape) for shape in past.shapes])[past.group]
    return copies.moved(sources=past.sources, which=which, delay=np.zeros_like(copies.delay))


def _varied_late(run, index, copies, delay) -> Copies:
    """Return copies as each was so many frames before: its source, place, turn, size, colour and opacity."""
    past = _Past(run, index, delay)
    which = np.zeros(copies.count, np.int32)
    columns = {name: getattr(copies, name).copy() for name in COLUMNS}
    for row, shape in enumerate(past.shapes):
        then = _as_copies(shape)
        mine = np.flatnonzero(past.group == row)
        # Where there were fewer copies then, the last of them stands for those that had not come yet.
        there = np.minimum(mine, then.count - 1)
        numbers = np.array([past.number(source) for source in then.sources])
        which[mine] = numbers[then.which[there]]
        for name, column in columns.items():
            column[mine] = getattr(then, name)[there]
    return copies.moved(sources=past.sources, which=which, **columns)


def _point_count(shape):
    return len(shape.points) if isinstance(shape, Mesh) else shape.point_count


def _run_step(run, index, step, shape):
    world = run.world
    settings = step.settings.resolve(world.around)
    links, link_keys = links_of(world, step.settings, settings, run.matrix)
    timed = step.settings.depends_on_time(settings)
    limit = world.scene.fields_by_id[step.only_where] if step.only_where else None
    offered = {"settings": settings, "links": links, "moment": world.moment}
    offered.update(_times(run, index, step, settings))
    key = content_key(
        step.kind.id,
        step.kind.version,
        step.settings.sign(world.around),
        shape.key if shape is not None else None,
        link_keys,
        (world.moment.phase, world.moment.loops, world.moment.fps) if timed else None,
        # A field lives in the world, so where the figure is matters to it.
        (_limit_key(world, limit), run.matrix.tobytes()) if limit else None,
        run.matrix.tobytes() if "matrix" in step.kind.arguments else None,
        # What is above it at other times follows from the scene as a whole.
        (world.scene.digest, world.moment.frame) if _may_delay(step, settings) else None,
        _key_of(offered.get("past")),
        _key_of(offered.get("rest")),
        _key_of(offered.get("trail")),
    )
    work = _Work(run, index, step, limit, shape, offered)
    return world.memo.get(key, lambda: _keyed(_GROUPS[step.kind.group](work), key))


def _may_delay(step, settings) -> bool:
    """True if what a step makes may depend on what is above it at other times."""
    return np.any(getattr(settings, "time", 0)) or "past" in step.kind.arguments


def _limit_key(world, limit):
    """A field that keeps what it touched depends on all that was before, so on the moment itself."""
    after = limit.after.resolve(world.around)
    since = None if after.then == "follows" else (world.moment.frame, after.then, after.over, world.scene.digest)
    return field_key(world, limit), since


def _key_of(offered):
    if offered is None:
        return None
    return offered.tobytes() if isinstance(offered, np.ndarray) else offered.key


def _times(run, index, step, settings) -> dict:
    """What a kind asks of other times.

    rest   the shape so far at the scene's first frame
    past   (D, 4, 4): for the delays that the kind names, from where the figure was then to where it is now
    trail  (T, N, 3) positions of the copies at the frames before this one, oldest first, this one last
    """
    found, wanted = {}, step.kind.arguments
    moment = run.world.moment
    if "rest" in wanted:
        found["rest"] = _mesh(run, run_routine(run.at(moment.at(0.0)), index))
    if "past" in wanted:
        here = np.linalg.pinv(run.matrix)
        delays = step.kind.times(settings)
        check_size(len(delays), MAX_DELAYS, "different times")
        found["past"] = np.stack([here @ run.at(moment.earlier(float(delay))).matrix for delay in delays])
    if "trail" in wanted:
        # Whole frames before this one; a scene that plays once begins at rest.
        reach = step.kind.times(settings)
        frames = [moment.earlier(float(k)) for k in range(reach, -1, -1)]
        frames = [one if moment.loops else one.at(max(one.frame, 0.0)) for one in frames]
        found["trail"] = np.stack([_positions(run.at(one), index) for one in frames])
    return found


def _positions(run, index):
    return _as_copies(run_routine(run, index)).position


def _keyed(result, key):
    """Name a result, and whatever it holds that has no name yet."""
    if isinstance(result, Copies):
        sources = tuple(
            source if source.key else _keyed(source, f"{key}.{number}") for number, source in enumerate(result.sources)
        )
        return replace(result, key=key, sources=sources)
    topology = result.topology
    if not topology.key:
        topology = replace(topology, key=f"t{key}")
    return replace(result, key=key, topology=topology)


def _mesh(run, shape) -> Mesh:
    return expanded(run.world.memo, shape)


@dataclass(frozen=True, eq=False)
class _Work:
    """One step about to be done."""

    run: Run
    index: int
    step: object
    limit: object
    shape: Mesh | Copies | None
    offered: dict

    @property
    def settings(self):
        return self.offered["settings"]

    def weights(self, points, share=None):
        """(N,) weights of the step's field at points of the figure, 1 without a field."""
        if self.limit is None:
            return np.ones(len(points), np.float32)
        return limit_weights(self.run, self.index, self.limit, points, share, run_routine)

    def directions(self, points, share=None):
        """(N, 3) directions of the step's field in the figure's space, or None without a field."""
        if self.limit is None:
            return None
        matrix = self.run.matrix.astype(np.float32)
        ways = field_directions(self.run.world, self.limit, points @ matrix[:3, :3].T + matrix[:3, 3], share)
        return ways @ np.linalg.pinv(matrix[:3, :3]).T.astype(np.float32)

    def per_copy(self, points, weights):
        """Resolve again for each copy or point where a formula asks for it."""
        if not any(value.per_copy for value in self.step.settings.values()):
            return self.settings
        return self.step.settings.resolve(self.run.world.around.for_copies(points, weights))

    def call(self, **more):
        return self.step.kind.call(**{**self.offered, **more})


def _form(work):
    step = work.step
    check_size(step.kind.estimate(work.settings), MAX_POINTS, "points")
    return _kept(work, work.call())


def _repeat(work):
    shape = work.shape
    each = shape.drawn_count if isinstance(shape, Copies) else 1
    check_size(work.step.kind.estimate(work.settings) * each, MAX_COPIES, "copies")
    offered = {"shape": shape, "matrix": work.run.matrix}
    if "mesh" in work.step.kind.arguments:
        offered["mesh"] = _mesh(work.run, shape)
    made = work.call(**offered)
    return _kept(work, _repeated_late(work.run, work.index, made) if made.delay.any() else made)


def _kept(work, made):
    """What a step with a field makes, it makes only where the field is at least one half."""
    if work.limit is None:
        return made
    if isinstance(made, Copies):
        return made.picked(work.weights(made.position) >= 0.5)
    return made.with_faces_where(work.weights(made.points) >= 0.5)


def _modulate(work):
    copies = _as_copies(work.shape)
    weights = work.weights(copies.position)
    offered = {
        "weights": weights,
        "settings": work.per_copy(copies.position, weights),
        "matrix": work.run.matrix,
    }
    if "directions" in work.step.kind.arguments:
        offered["directions"] = work.directions(copies.position)
    changed = work.call(copies=copies, **offered)
    if not changed.delay.any():
        return changed
    # What stands above this step is taken from each copy's own time; then the step changes that.
    late = _varied_late(work.run, work.index, copies, changed.delay)
    return work.call(copies=late, **offered).moved(delay=np.zeros_like(changed.delay))


def _deform(work):
    mesh = _mesh(work.run, work.shape)
    if not len(mesh.points):
        return mesh
    weights = work.weights(mesh.points)
    offered = {"points": mesh.points, "weights": weights, "settings": work.per_copy(mesh.points, weights)}
    if "normals" in work.step.kind.arguments:
        offered["normals"] = mesh.normals
    if "directions" in work.step.kind.arguments:
        offered["directions"] = work.directions(mesh.points)
    return mesh.with_points(work.call(**offered))


def _build(work):
    shape = work.shape
    if isinstance(shape, Copies):
        sources = []
        for source in shape.sources:
            key = content_key(work.step.kind.id, work.step.settings.sign(work.run.world.around), source.key)
            sources.append(_keyed(_build(replace(work, shape=source)), key))
        return replace(shape, sources=tuple(sources), key="")
    check_size(work.step.kind.estimate(work.settings, len(shape.topology.corners)), MAX_POINTS, "points")
    return work.call(mesh=shape, weights=work.weights(shape.points))


_GROUPS = {"form": _form, "repeat": _repeat, "modulate": _modulate, "deform": _deform, "build": _build}
