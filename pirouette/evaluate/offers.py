"""What a step may ask for: each thing is made only if an argument of its kind names it, and then tells its own key."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..data import Copies, Mesh
from ..data.key import content_key
from ..kernels.geometry.place import carried, inverted, turned_back
from ..schema.kind import WHOLE, arguments_of
from . import past
from .forces import Forces
from .size import MAX_DELAYS, check_size, expanded


@dataclass(frozen=True, eq=False)
class Earlier:
    """A figure as it was some frames before, as far as the steps above the asking one make it."""

    _run: object
    _index: int
    _now: np.ndarray

    @cached_property
    def matrix(self) -> np.ndarray:
        """(4, 4) from where the figure was then to where it is now."""
        return inverted(self._now) @ self._run.matrix

    @cached_property
    def shape(self) -> Mesh | Copies | None:
        ev, figure = self._run.ev, self._run.figure
        if not any(step.on for step in figure.routine[: self._index]):
            return None
        # Many ask for the same moment, from one frame to the next: not even the keys of its steps are made again.
        key = content_key("then", ev.signatures.step(figure, self._index - 1), ev.moment)
        return ev.memo.get(key, lambda: self._run.shape_before(self._index))

    @cached_property
    def links(self) -> dict:
        """What the step refers to, as it was then, in the figure's own space then."""
        run, step = self._run, self._run.figure.routine[self._index]
        settings = run.ev.resolve(step.settings, f"figures/{run.figure.name}/routine/{self._index} ({step.kind.id})")
        return run.ev.links(step.settings, settings, run.matrix)[0]

    @cached_property
    def mesh(self) -> Mesh:
        """All its points, in the figure's own space then."""
        return Mesh.empty() if self.shape is None else expanded(self._run.ev.memo, self.shape)


def as_copies(shape) -> Copies:
    """Return copies as they are, a mesh as one copy of it."""
    return shape if isinstance(shape, Copies) else Copies.at(shape, np.zeros((1, 3), np.float32))


class Offers:
    """All that is on offer to one step at a moment, under the names that arguments have.

    run    the figure at that moment, see routines.Run
    index  which of its steps asks
    shape  what the steps above it make
    """

    def __init__(self, run, index: int, shape):
        self.run, self.index, self.shape = run, index, shape
        self.step = run.figure.routine[index]
        self.kind = self.step.kind
        self.path = f"figures/{run.figure.name}/routine/{index} ({self.kind.id})"
        ev = run.ev
        self.settings = self._resolved(ev)
        self.limit = ev.scene.fields_by_id[self.step.only_where] if self.step.only_where else None
        first_matrix = run.at(ev.moment.at(0.0)).matrix if "rest" in self.kind.arguments else None
        self.links, self.link_keys = ev.links(self.step.settings, self.settings, run.matrix, first_matrix)
        self._earlier = {}

    def _resolved(self, ev):
        """The settings now; of a simulation some as they are at the first frame."""
        settings = ev.resolve(self.step.settings, self.path)
        simulation = self.kind.simulation
        if simulation is None or not simulation.fixed:
            return settings
        first = ev.at(ev.moment.at(0.0)).resolve(self.step.settings, self.path)
        return settings.changed(**{name: getattr(first, name) for name in simulation.fixed})

    def of(self, shape) -> "Offers":
        """The same step with another shape before it, one source of copies, say."""
        return Offers(self.run, self.index, shape)

    # --- each argument and what it tells of itself in keys ---------------------------------------------------------

    @property
    def moment(self):
        """The moment within the loop, so that what a kind makes of it is the same in every turn."""
        return self.run.ev.moment.wrapped

    @property
    def matrix(self) -> np.ndarray:
        """(4, 4) from the figure's space to the world."""
        return self.run.matrix

    @cached_property
    def whole(self) -> Mesh:
        """The shape so far, its copies expanded."""
        return Mesh.empty() if self.shape is None else expanded(self.run.ev.memo, self.shape)

    @property
    def mesh(self) -> Mesh:
        return self.shape if isinstance(self.shape, Mesh) else self.whole

    @cached_property
    def copies(self) -> Copies:
        """The shape so far as copies; a mesh is one copy."""
        return as_copies(self.shape)

    @property
    def points(self) -> np.ndarray:
        return self.whole.points

    @property
    def normals(self) -> np.ndarray:
        return self.whole.normals

    @cached_property
    def rest(self) -> Mesh:
        """The shape so far at the scene's first frame, its copies expanded."""
        first = self.run.at(self.run.ev.moment.at(0.0))
        shape = first.shape_before(self.index)
        return Mesh.empty() if shape is None else expanded(self.run.ev.memo, shape)

    def check_wanted(self) -> None:
        """Raise Cancelled once the result is not wanted any more; for steps that go through the same many times."""
        self.run.ev.check_wanted()

    def before(self, frames: float) -> Earlier:
        """The figure so many frames before."""
        frames = float(frames)
        if frames not in self._earlier:
            check_size(len(self._earlier) + 1, MAX_DELAYS, "different times")
            then = self.run.at(self.run.ev.moment.earlier(frames))
            self._earlier[frames] = Earlier(then, self.index, self.matrix)
        return self._earlier[frames]

    @cached_property
    def state(self):
        """The state of the step's simulation, at this moment."""
        return self.run.ev.state_of(self.run.figure, self.index)

    @cached_property
    def forces(self) -> Forces:
        """The forces that stand under the step."""
        return Forces(self)

    @property
    def is_limited(self) -> bool:
        """True if a field says where the step acts, and weights are not just 1."""
        return self.limit is not None

    @cached_property
    def weights(self) -> np.ndarray:
        """(N,) weights of the step's field at the points or copies that it changes; 1 without a field."""
        return self.weights_at(self.places, self.attributes)

    @cached_property
    def directions(self) -> np.ndarray | None:
        """(N, 3) directions of the step's field there in the figure's space, or None without a field."""
        if self.limit is None:
            return None
        ways = self.run.ev.directions(self.limit, carried(self.places, self.matrix), attributes=self.attributes)
        return turned_back(ways, self.matrix)

    # --- what weights, directions and formulas are asked for ------------------------------------------------------

    @property
    def moves_copies(self) -> bool:
        """True if the step changes copies as a whole, and not their points."""
        if self.kind.group == "modulate":
            return True
        moves = self.kind.moves_copies
        return moves is not None and isinstance(self.shape, Copies) and self.settings.moves == WHOLE

    @cached_property
    def places(self) -> np.ndarray:
        """(N, 3) of the points or copies that the step changes."""
        return self.copies.position if self.moves_copies else self.mesh.points

    @cached_property
    def attributes(self):
        """What those carry, by name."""
        return self.copies.at_copies if self.moves_copies else self.mesh.attributes()

    def weights_at(self, places, attributes) -> np.ndarray:
        """(N,) weights of the step's field at (N, 3) places in the figure's space that carry attributes."""
        if self.limit is None:
            return np.ones(len(places), np.float32)
        return past.limit_weights(self.run, self.index, self.limit, places, attributes)

    @cached_property
    def settings_each(self):
        """The settings, resolved for each copy or point where a formula asks for it."""
        declared = self.step.settings
        if not declared.has_per_copy:
            return self.settings
        return declared.resolve(self.run.ev.around.for_copies(self.places, self.weights, None, self.attributes))

    def call(self, function=None, **more):
        """Call a function with what it names of all that is on offer; the step's own by default."""
        function = function or self.kind.function
        return function(**{n: more[n] if n in more else self._offered(n) for n in arguments_of(function)})

    def _offered(self, name):
        return self.settings_each if name == "settings" and self.kind.group != "form" else getattr(self, name)

    def key(self, shape_key: str | None) -> str:
        """Return the key of what the step makes of an input, by all that its kind asks for."""
        kind, run = self.kind, self.run
        ev, names = run.ev, kind.arguments
        looks_back = kind.looks_back or past.looks_back(ev, self.limit) or may_delay(self.settings)
        return content_key(
            kind.id,
            kind.version,
            self.step.settings.sign(ev.around, self.settings),
            shape_key,
            self.link_keys,
            self.moment if kind.is_timed(self.settings) else None,
            # A field lives in the world, so where the figure is matters to it.
            (ev.field_key(self.limit), run.matrix) if self.limit else None,
            run.matrix if "matrix" in names else None,
            self.rest.key if "rest" in names else None,
            # What is above the step at other times follows from its signature.
            (ev.signatures.step(run.figure, self.index), ev.moment) if looks_back else None,
        )


def may_delay(settings) -> bool:
    """True if what a step makes may take copies from other times."""
    time = getattr(settings, "time", None)
    return time is not None and bool(np.any(time))
