"""Runs a figure's routine, step by step, taking from the memo what is known already."""

from dataclasses import dataclass, replace

import numpy as np

from ..data import Copies, Mesh, Problem, ProblemError, TooMuch
from ..data.copies import COLUMNS
from ..data.key import part_key
from ..document import Figure
from .offers import Offers, as_copies
from .size import MAX_COPIES, MAX_DELAYS, MAX_POINTS, check_size


@dataclass(frozen=True)
class Run:
    """A figure at a moment. `matrix` (4, 4) leads from its space to the world."""

    ev: object
    figure: Figure
    matrix: np.ndarray

    @classmethod
    def of(cls, ev, figure: Figure) -> "Run":
        return cls(ev, figure, ev.own_matrix(figure))

    def at(self, moment) -> "Run":
        """The same figure at another moment."""
        return Run.of(self.ev.at(moment), self.figure)

    def shape_before(self, index: int | None):
        """What the steps before an index make; None if that is nothing."""
        return run_routine(self, index)


def run_routine(run: Run, stop: int | None = None) -> Mesh | Copies | None:
    """Return the shape that a figure's routine makes, or None if it makes nothing.

    stop    run only so many steps of it
    Raises  ProblemError if a step cannot work or would take too much memory, Cancelled if it is not wanted any more
    """
    shape = None
    for index, step in enumerate(run.figure.routine[:stop]):
        if not step.on:
            continue
        path = f"figures/{run.figure.name}/routine/{index} ({step.kind.id})"
        if shape is None and step.kind.group != "form":
            raise ProblemError(Problem(path, "there is no form yet; begin the routine with one", "routine.form"))
        try:
            run.ev.check_wanted()
            shape = run_step(Offers(run, index, shape))
        except ProblemError as error:
            raise error.within("" if _is_placed(error) else path) from None
        except MemoryError:
            raise TooMuch(Problem(path, "this needs more memory than there is", "size.memory")) from None
    return shape


def _is_placed(error) -> bool:
    """True if a problem says already where in the scene it is."""
    return all(problem.path.startswith(("figures/", "fields/", "guides/")) for problem in error.problems)


def run_step(offers) -> Mesh | Copies:
    """Return what one step makes, out of the memo where it is known."""
    shape = offers.shape
    key = offers.key(shape.key if shape is not None else None)
    return offers.run.ev.memo.get(key, lambda: named(_GROUPS[offers.kind.group](offers), key))


def named(result, key):
    """Name a result, and whatever it holds that has no name yet."""
    if isinstance(result, Copies):
        sources = tuple(
            source if source.key else named(source, part_key(key, number))
            for number, source in enumerate(result.sources)
        )
        return replace(result, key=key, sources=sources)
    topology = result.topology
    if not topology.key:
        topology = replace(topology, key=f"t{key}")
    return replace(result, key=key, topology=topology)


# --- what is taken from other times ----------------------------------------------------------------------------------


class _Times:
    """The shape before a step, at several earlier times, and which of them belongs to each copy."""

    def __init__(self, offers, delay):
        self.delays, group = np.unique(delay, return_inverse=True)
        check_size(len(self.delays), MAX_DELAYS, "different times")
        shapes = [offers.before(delay).shape for delay in self.delays]
        # What does not move is one shape at all times.
        rows = {}
        row_of = np.array([rows.setdefault(shape.key, len(rows)) for shape in shapes])
        self.shapes = list({shape.key: shape for shape in shapes}.values())
        self.group = row_of[group]
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


def _point_count(shape):
    return len(shape.points) if isinstance(shape, Mesh) else shape.point_count


def _repeated_late(offers, copies) -> Copies:
    """Give the copies of a repeat what it repeats as it was so many frames before."""
    times = _Times(offers, copies.delay)
    which = np.array([times.number(shape) for shape in times.shapes])[times.group]
    return copies.moved(sources=times.sources, which=which, delay=np.zeros_like(copies.delay))


def _varied_late(offers, copies, delay) -> Copies:
    """Return copies as each was so many frames before: its source, place, turn, size, colour and opacity."""
    times = _Times(offers, delay)
    which = np.zeros(copies.count, np.int32)
    columns = {name: getattr(copies, name).copy() for name in COLUMNS}
    for row, shape in enumerate(times.shapes):
        then = as_copies(shape)
        mine = np.flatnonzero(times.group == row)
        # Where there were fewer copies then, the last of them stands for those that had not come yet.
        there = np.minimum(mine, then.count - 1)
        numbers = np.array([times.number(source) for source in then.sources])
        which[mine] = numbers[then.which[there]]
        for name, column in columns.items():
            column[mine] = getattr(then, name)[there]
    return copies.moved(sources=times.sources, which=which, **columns)


# --- how each group works ---------------------------------------------------------------------------------------------


def _estimated(offers, shape=None) -> int:
    given = {"settings": offers.settings, "shape": shape, "links": offers.links, "moment": offers.moment}
    return offers.kind.estimated(**given)


def _form(offers):
    check_size(_estimated(offers), MAX_POINTS, "points")
    made = offers.call()
    if isinstance(made, Copies):
        check_size(made.drawn_count, MAX_COPIES, "copies")
    return _kept(offers, made)


def _repeat(offers):
    shape = offers.shape
    each = shape.drawn_count if isinstance(shape, Copies) else 1
    check_size(_estimated(offers, shape) * each, MAX_COPIES, "copies")
    made = offers.call()
    return _kept(offers, _repeated_late(offers, made) if made.delay.any() else made)


def _kept(offers, made):
    """What a step with a field makes, it makes only where the field is at least one half."""
    if offers.limit is None:
        return made
    if isinstance(made, Copies):
        return made.picked(offers.weights_at(made.position, made.at_copies) >= 0.5)
    return made.with_faces_where(offers.weights_at(made.points, made.attributes()) >= 0.5)


def _modulate(offers):
    changed = offers.call()
    if not changed.delay.any():
        return changed
    # What stands above this step is taken from each copy's own time; then the step changes that.
    late = _varied_late(offers, offers.copies, changed.delay)
    return offers.call(copies=late).moved(delay=np.zeros_like(changed.delay))


def _deform(offers):
    if offers.moves_copies:
        return offers.call(offers.kind.moves_copies)
    mesh = offers.whole
    if not len(mesh.points):
        return mesh
    made = offers.call()
    return made if isinstance(made, Mesh) else mesh.with_points(made)


def _build(offers):
    shape = offers.shape
    check_size(_estimated(offers, shape), MAX_POINTS, "points")
    as_one = offers.kind.takes_copies_as_one
    if isinstance(shape, Mesh) or "mesh" not in offers.kind.arguments or (as_one and as_one(offers.settings)):
        return offers.call()
    # Source by source, each remembered by itself: copies that move leave their sources as they are.
    sources = tuple(run_step(offers.of(source)) for source in shape.sources)
    return replace(shape, sources=sources, key="")


def _simulate(offers):
    check_size(_estimated(offers, offers.shape), MAX_POINTS, "points")
    return offers.call()


_GROUPS = {
    "form": _form,
    "repeat": _repeat,
    "modulate": _modulate,
    "deform": _deform,
    "build": _build,
    "simulate": _simulate,
}
