"""Where guides and figures are, and what references in braces stand for."""

from functools import cached_property

import numpy as np

from ..data import Mesh, Problem, ProblemError
from ..data.picture import SENSOR_MM, View
from ..document import Scene
from ..values.moment import Moment, Surroundings
from .carry import carrier_matrix, place_matrix
from .memo import Memo


def _no_shapes(world, figure):
    raise TypeError("this world was made to resolve values only")


class World:
    """A scene at a moment: resolves values, places, references and fields, each once.

    memo          remembered results
    check_wanted  called between steps; raises Cancelled once the result is not wanted any more
    run_figure    (world, figure) -> the figure's shape in its own space
    """

    def __init__(self, scene: Scene, moment: Moment, memo=None, check_wanted=lambda: None, run_figure=_no_shapes):
        self.scene = scene
        self.moment = moment
        self.memo = memo or Memo(0)
        self.check_wanted = check_wanted
        self.run_figure = run_figure
        self._places, self._placing = {}, set()
        self._numbers = {}
        self._others = {moment.frame: self}
        self._shapes, self._views = {}, {}

    def at(self, moment: Moment) -> "World":
        """Return the same scene at another moment."""
        if moment.frame not in self._others:
            other = World(self.scene, moment, self.memo, self.check_wanted, self.run_figure)
            other._others = self._others
            self._others[moment.frame] = other
        return self._others[moment.frame]

    def shape_of(self, figure):
        """Return a figure's shape in its own space, an empty mesh if it makes nothing."""
        if figure.id not in self._shapes:
            shape = self.run_figure(self.own(figure), figure)
            self._shapes[figure.id] = Mesh.empty() if shape is None else shape
        return self._shapes[figure.id]

    @cached_property
    def around(self) -> Surroundings:
        return Surroundings(moment=self.moment, lookup=self.lookup)

    def lookup(self, reference: str) -> float:
        """Return the number a reference such as "Hub.scale.x" or "Ribbons.twist.angle" stands for.

        Raises KeyError if there is no such thing, ProblemError if values refer to each other in a circle.
        """
        if reference not in self._numbers:
            # What it refers to comes first, so that no chain is too long to be gone through.
            for name in self._needed(reference):
                self._numbers[name] = self._number(name)
        return self._numbers[reference]

    def _needed(self, reference):
        """Yield a reference after all those that it needs and that are not known yet, each once."""
        way, told = {reference: iter(self.scene.named_value(reference)[0].references)}, set()
        while way:
            last = next(reversed(way))
            name = next(way[last], None)
            if name is None:
                del way[last]
                told.add(last)
                yield last
            elif name in way:
                names = list(way)
                circle = " → ".join([*names[names.index(name) :], name])
                raise ProblemError(Problem("", f"formulas refer to each other in a circle: {circle}", "formula.circle"))
            elif name not in told and name not in self._numbers:
                way[name] = iter(self.scene.named_value(name)[0].references)

    def _number(self, reference):
        value, axis = self.scene.named_value(reference)
        number = value.at(self.around)
        if isinstance(number, np.ndarray) != (axis is not None):
            raise KeyError(reference)
        return float(number if axis is None else number[axis])

    def resolve(self, settings, path: str):
        try:
            return settings.resolve(self.around)
        except ProblemError as error:
            raise error.within(path) from None

    def own(self, figure) -> "World":
        """Return the scene at a figure's own time."""
        time = self.resolve(figure.own_time, f"figures/{figure.name}/own_time")
        if time.speed == 1 and time.offset == 0:
            return self
        moment = self.moment
        frame = moment.frame * time.speed + time.offset
        return self.at(moment.at(frame % moment.frame_count if moment.loops else frame))

    def thing_matrix(self, thing_id: str | None) -> np.ndarray:
        """Return the (4, 4) matrix from a guide's or figure's space to the world; identity for none."""
        if thing_id is None:
            return np.eye(4)
        if thing_id in self.scene.figures_by_id:
            return self.figure_matrix(self.scene.figures_by_id[thing_id])
        return self._place(self.scene.guides_by_id[thing_id], "guides", self)

    def figure_matrix(self, figure) -> np.ndarray:
        """Return the (4, 4) matrix from a figure's space to the world: its place at its own time, carried along now."""
        return self._place(figure, "figures", self.own(figure))

    def own_matrix(self, figure) -> np.ndarray:
        """The same for somebody who is at the figure's own time already."""
        return self._place(figure, "figures", self)

    def carrier(self, settings, path: str) -> np.ndarray:
        """Return the (4, 4) matrix of the space that something lives in, by its follow settings as they are now.

        path  where those settings stand, for problems
        """
        try:
            return carrier_matrix(self, settings.resolve(self.around))
        except ProblemError as error:
            raise error.within(path) if _is_bare(error) else error from None

    def _place(self, thing, family, own):
        """A thing's place at one time, within what carries it at this one."""
        key = family, thing.id, own.moment.frame
        if key not in self._places:
            if key in self._placing:
                raise ProblemError(
                    Problem(
                        f"{family}/{thing.name}/place",
                        "it follows a curve that is made with its own place",
                        "follow.circle",
                    )
                )
            self._placing.add(key)
            path = f"{family}/{thing.name}/place"
            try:
                carry = self.carrier(thing.place, path)
                self._places[key] = carry @ place_matrix(own.resolve(thing.place, path))
            finally:
                self._placing.discard(key)
        return self._places[key]

    def view(self, camera) -> View:
        """Return how a camera sees the scene."""
        if camera.id not in self._views:
            self._views[camera.id] = self._view(camera)
        return self._views[camera.id]

    def _view(self, camera):
        settings = self.resolve(camera.settings, f"cameras/{camera.name}")
        carry = self.carrier(camera.settings, f"cameras/{camera.name}")
        position = carry[:3, :3] @ settings.position + carry[:3, 3]
        target = carry[:3, :3] @ settings.target + carry[:3, 3]
        if settings.aims_at is not None:
            target = self.thing_matrix(settings.aims_at)[:3, 3]
        lens = settings.lens
        if settings.measured == "angle":
            lens = SENSOR_MM / 2 / np.tan(np.radians(settings.angle) / 2)
        return View.looking(position, target, settings.roll, lens, carry[:3, 1])


def _is_bare(error) -> bool:
    """True if a problem says nothing yet of the thing it belongs to."""
    return all("/" not in problem.path for problem in error.problems)


MAX_SAMPLES = 1000


def sample_lane(scene: Scene, lane) -> dict:
    """Return a lane as plain data: words, sort, keys, and its numbers at even steps from the first frame to the end.

    A value that differs per copy is sampled for the first copy. Colours are sampled as their brightness.
    """
    count = scene.frame_count
    step = max(1, -(-count // MAX_SAMPLES))
    samples = []
    for frame in range(0, count + step, step):
        value = lane.value.at(World(scene, scene.moment(min(frame, count))).around)
        samples.append(round(float(np.mean(value)), 5))
    keys = getattr(lane.value, "keys", ())
    return {
        "pointer": lane.pointer,
        "name": lane.name,
        "where": lane.where,
        "setting": lane.setting,
        "sort": "keyed" if keys else "live",
        "keys": [{"frame": key.frame, "value": round(float(np.mean(key.value)), 5), "ease": key.ease} for key in keys],
        "perCopy": lane.value.per_copy,
        "step": step,
        "samples": samples,
    }
