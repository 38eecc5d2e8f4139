"""Where guides and figures are, and what references in braces stand for."""

from functools import cached_property

import numpy as np

from ..data import Mesh, Problem, ProblemError
from ..data.picture import View
from ..document import Scene
from ..kernels.place import compose, euler_to_quaternion
from ..values.moment import Moment, Surroundings
from .memo import Memo

AXES = ("x", "y", "z")


def place_matrix(place) -> np.ndarray:
    """Return the (4, 4) float64 matrix of resolved place settings."""
    matrix = np.eye(4)
    rotation = euler_to_quaternion(np.asarray(place.rotation)[None])
    matrix[:3] = compose(np.zeros((1, 3)), rotation, np.asarray(place.scale)[None])[0]
    matrix[:3, 3] = place.position
    return matrix


def _split(reference: str) -> tuple[str, str, str]:
    """Return name, setting and axis of "name.setting" or "name.setting.axis"; names may hold dots."""
    parts = reference.split(".")
    if len(parts) > 2 and parts[-1] in AXES:
        return ".".join(parts[:-2]), parts[-2], parts[-1]
    return ".".join(parts[:-1]), parts[-1], ""


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
        self._guides = {}
        self._asked = []
        self._others = {moment.frame: self}
        self._shapes = {}

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
            shape = self.run_figure(self, figure)
            self._shapes[figure.id] = Mesh.empty() if shape is None else shape
        return self._shapes[figure.id]

    @cached_property
    def around(self) -> Surroundings:
        return Surroundings(moment=self.moment, lookup=self.lookup)

    @cached_property
    def _named(self) -> dict:
        scene = self.scene
        places = {thing.name: thing.place for thing in (*scene.guides, *scene.figures)}
        others = {thing.name: thing.settings for thing in (*scene.cameras, *scene.lights)}
        return {**others, **places}

    def lookup(self, reference: str) -> float:
        """Return the number a reference such as "Hub.scale.x" stands for.

        Raises KeyError if there is no such thing, ProblemError if values refer to each other in a circle.
        """
        if reference in self._asked:
            circle = " → ".join([*self._asked[self._asked.index(reference) :], reference])
            raise ProblemError(Problem("", f"formulas refer to each other in a circle: {circle}", "formula.circle"))
        name, setting, axis = _split(reference)
        settings = self._named.get(name)
        if settings is None or setting not in settings.declared():
            raise KeyError(reference)
        self._asked.append(reference)
        try:
            value = getattr(settings, setting).at(self.around)
        except AttributeError:
            raise KeyError(reference) from None
        finally:
            self._asked.pop()
        if np.ndim(value):
            if not axis:
                raise KeyError(reference)
            return float(value[AXES.index(axis)])
        if axis:
            raise KeyError(reference)
        return float(value)

    def resolve(self, settings, path: str):
        try:
            return settings.resolve(self.around)
        except ProblemError as error:
            raise error.within(path) from None

    def guide_matrix(self, guide_id: str | None) -> np.ndarray:
        """Return the (4, 4) matrix from a guide's space to the world; identity for none."""
        if guide_id is None:
            return np.eye(4)
        if guide_id not in self._guides:
            guide = self.scene.guides_by_id[guide_id]
            place = self.resolve(guide.place, f"guides/{guide.name}/place")
            self._guides[guide_id] = self.guide_matrix(place.follows) @ place_matrix(place)
        return self._guides[guide_id]

    def figure_matrix(self, figure) -> np.ndarray:
        place = self.resolve(figure.place, f"figures/{figure.name}/place")
        return self.guide_matrix(place.follows) @ place_matrix(place)

    def view(self, camera) -> View:
        settings = self.resolve(camera.settings, f"cameras/{camera.name}")
        carry = self.guide_matrix(settings.follows)
        position = carry[:3, :3] @ settings.position + carry[:3, 3]
        target = carry[:3, :3] @ settings.target + carry[:3, 3]
        return View.looking(position, target, settings.roll, settings.lens)


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
