"""A scene at a moment: the one thing that all parts of an evaluation ask each other through.

Places, fields, links, routines and simulations need each other in every direction: a field may be near a figure, a
figure limited by a field, a guide may ride a curve. Each has a module of its own that imports none of the others; they
meet here.
"""

from functools import cached_property
from typing import NamedTuple
from weakref import WeakKeyDictionary, WeakValueDictionary, proxy

import numpy as np
from cachetools import LRUCache

from ..data import Cancelled, Mesh, Problem, ProblemError
from ..data.key import content_key
from ..data.picture import Lens, View
from ..data.question import Progress, Question, never
from ..document import Scene
from ..values.moment import Moment, Surroundings
from . import fields, links, places, routines, simulate
from .memo import Memo
from .signature import Signatures
from .still import Still

# Other moments are light: they hold numbers and places, their shapes are the memo's.
MOMENTS_KEPT = 512


# What is known of scenes at any time, for as long as they are there.
_known: WeakKeyDictionary = WeakKeyDictionary()
# The place that was found last of each guide, figure and camera, with what it follows from.
_lately_found: WeakKeyDictionary = WeakKeyDictionary()


def _known_of(scene) -> tuple[Signatures, Still]:
    """Return the signatures of a scene, and what stands still in it, the same for all its evaluations."""
    known = _known.get(scene)
    if known is None:
        # They must not hold the scene: it would be known for ever.
        lent = proxy(scene)
        known = _known.setdefault(scene, (Signatures(lent), Still(lent)))
    return known


class _Last(NamedTuple):
    """What was found of a thing last: by which signature, at which own and whole frame (None for all), and what."""

    signature: str
    when: tuple[float, float] | None
    found: object


class _Shared:
    """What the evaluators of one evaluation have in common."""

    def __init__(self, scene, memo, is_cancelled):
        self.scene = scene
        self.memo = Memo() if memo is None else memo
        self.question = Question.of(is_cancelled)
        self.signatures, self.still = _known_of(scene)
        self.moments = LRUCache(MOMENTS_KEPT)


class Evaluator:
    """A scene at a moment: resolves values, places, fields, links and shapes, each once.

    memo          remembered results, shared between evaluations; a new one if none is given
    is_cancelled  asked between steps; once true, Cancelled is raised. What it raises itself ends the work, too. A
                  `Question` is told how far simulations have come
    """

    def __init__(self, scene: Scene, frame: float, memo: Memo | None = None, is_cancelled=never):
        self._begin(_Shared(scene, memo, is_cancelled), scene.moment(frame))

    def _begin(self, shared, moment):
        self.shared, self.moment = shared, moment
        self.scene, self.memo, self.signatures = shared.scene, shared.memo, shared.signatures
        self._resolved, self._numbers = {}, {}
        self._own, self._places, self._placing = {}, {}, set()
        self._views, self._field_keys = {}, {}

    @cached_property
    def _shapes(self):
        """Shapes are held by the memo alone, and by who works with them."""
        return WeakValueDictionary()

    def at(self, moment: Moment) -> "Evaluator":
        """Return the same scene at another moment."""
        if moment.frame == self.moment.frame:
            return self
        known = self.shared.moments
        if moment.frame not in known:
            other = Evaluator.__new__(Evaluator)
            other._begin(self.shared, moment)
            known[moment.frame] = other
        return known[moment.frame]

    def check_wanted(self) -> None:
        """Raise Cancelled once the result is not wanted any more."""
        if self.shared.question():
            raise Cancelled

    def tell(self, progress: Progress) -> None:
        """Tell who waits for the result how far it has come."""
        self.shared.question.tell(progress)

    # --- values -------------------------------------------------------------------------------------------------

    @cached_property
    def around(self) -> Surroundings:
        return Surroundings(moment=self.moment, lookup=self.lookup)

    def resolve(self, settings, path: str):
        """Return settings as plain numbers now; `path` says where they stand, for problems."""
        known = self._resolved.get(id(settings))
        if known is None:
            try:
                # The settings are kept with the result, so that no others can take their identity.
                known = self._resolved[id(settings)] = settings.resolve(self.around), settings
            except ProblemError as error:
                raise (error.within(path) if _is_bare(error) else error) from None
        return known[0]

    def lookup(self, reference: str) -> float:
        """Return the number a reference such as "Hub.scale.x" or "Ribbons.twist.angle" stands for.

        Raises KeyError if there is no such thing, ProblemError if values refer to each other in a circle.
        """
        if reference not in self._numbers:
            # What it refers to comes first, so that no chain is too long to be gone through.
            for name in self._needed(reference):
                self._numbers[name] = self._number(name)
        return self._numbers[reference]

    def _references(self, reference):
        if self.scene.place_named(reference) is not None:
            return iter(())
        return iter(self.scene.named_value(reference)[0].references)

    def _needed(self, reference):
        """Yield a reference after all those that it needs and that are not known yet, each once."""
        way, told = {reference: self._references(reference)}, set()
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
                way[name] = self._references(name)

    def _number(self, reference):
        thing_id = self.scene.place_named(reference)
        if thing_id is not None:
            return float(self.thing_matrix(thing_id)["xyz".index(reference[-1]), 3])
        value, place = self.scene.named_value(reference)
        number = np.asarray(value.at(self.around))
        if number.ndim != len(place) or any(not 0 <= k < size for k, size in zip(place, number.shape, strict=True)):
            raise KeyError(reference)
        return float(number[place])

    # --- places -------------------------------------------------------------------------------------------------

    def own(self, figure) -> "Evaluator":
        """Return the scene at a figure's own time."""
        if figure.id not in self._own:
            self._own[figure.id] = self._at_own_time(figure)
        return self._own[figure.id]

    def _at_own_time(self, figure):
        time = self.resolve(figure.own_time, f"figures/{figure.name}/own_time")
        if time.speed == 1 and time.offset == 0:
            return self
        return self.at(self.moment.at(self.moment.frame * time.speed + time.offset).wrapped)

    def thing_matrix(self, thing_id: str | None) -> np.ndarray:
        """Return the (4, 4) matrix from a guide's or figure's space to the world; identity for none."""
        if thing_id is None:
            return places.HOME
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
        """Return the (4, 4) matrix of the space that something lives in, by its follow settings as they are now."""
        if settings.follows is None:
            return places.HOME
        try:
            return places.carrier_matrix(self, self.resolve(settings, path))
        except ProblemError as error:
            raise (error.within(path) if _is_bare(error) else error) from None

    def _place(self, thing, family, own):
        """A thing's place at one time, within what carries it at this one."""
        key = family, thing.id, own.moment.frame
        if key not in self._places:
            self._places[key] = self._lately(
                thing,
                self.signatures.place(thing.id),
                own.moment.frame,
                lambda: self._found_place(thing, family, own),
                lambda: self.shared.still.place(thing.id),
            )
        return self._places[key]

    def _lately(self, thing, signature, own_frame, find, is_still=never):
        """Return what was found of a thing last, if it follows from the same now; else find it.

        It outlasts the evaluation: of a scene that is edited nearly all is as it was.

        signature  of what it follows from
        own_frame  at which time of its own
        is_still   whether it is the same at all times
        """
        when = own_frame, self.moment.frame
        last = _lately_found.get(thing)
        if last is None or last.signature != signature or last.when not in (None, when):
            last = _lately_found[thing] = _Last(signature, None if is_still() else when, find())
        return last.found

    def _found_place(self, thing, family, own):
        path, key = f"{family}/{thing.name}/place", (family, thing.id, own.moment.frame)
        if key in self._placing:
            raise ProblemError(Problem(path, "it is made with its own place, in a circle", "follow.circle"))
        self._placing.add(key)
        try:
            return self.carrier(thing.place, path) @ places.place_matrix(own.resolve(thing.place, path))
        finally:
            self._placing.discard(key)

    def view(self, camera) -> View:
        """Return how a camera sees the scene."""
        return self._seen(camera)[0]

    def lens(self, camera) -> Lens:
        """Return what a camera lets in."""
        return self._seen(camera)[1]

    def _seen(self, camera):
        if camera.id not in self._views:
            self._views[camera.id] = self._lately(
                camera,
                self.signatures.camera(camera),
                self.moment.frame,
                lambda: (places.view(self, camera), places.lens(self, camera)),
            )
        return self._views[camera.id]

    # --- fields and links -----------------------------------------------------------------------------------------

    def weights(self, field, points, share=None, attributes=None) -> np.ndarray:
        """Return (N,) float32 weights of a field at (N, 3) points in the world; see fields.py."""
        return fields.field_weights(self, field, points, share, attributes)

    def directions(self, field, points, share=None, attributes=None) -> np.ndarray:
        """Return (N, 3) float32 unit directions of a field at points in the world; see fields.py."""
        return fields.field_directions(self, field, points, share, attributes)

    def field_key(self, field) -> str:
        """Return a key that is equal whenever the field gives the same everywhere."""
        if field.id not in self._field_keys:
            self._field_keys[field.id] = fields.field_key(self, field)
        return self._field_keys[field.id]

    def links(self, settings, resolved, matrix=links.IDENTITY, first_matrix=None):
        """Return the links of settings by name, and keys of all of them; see links.py."""
        return links.links_of(self, settings, resolved, matrix, first_matrix)

    # --- shapes ---------------------------------------------------------------------------------------------------

    def shape_of(self, figure):
        """Return a figure's shape in its own space, an empty mesh if it makes nothing."""
        shape = self._shapes.get(figure.id)
        if shape is None:
            shape = self._shapes[figure.id] = self._found_shape(figure)
        return shape

    def _found_shape(self, figure):
        def made():
            return self.own(figure).shape_before(figure, None) or Mesh.empty()

        if not self.shared.still.shape(figure):
            return made()
        # Not even its key is made for each moment.
        return self.memo.get(content_key("still", self.signatures.shape(figure)), made)

    def shape_before(self, figure, index: int | None):
        """Return what a figure's steps before an index make, at a moment of its own time; None if that is nothing."""
        return routines.run_routine(routines.Run.of(self, figure), index)

    def state_of(self, figure, index: int):
        """Return the state of the simulation that is a figure's step at an index, at a moment of its own time."""
        return simulate.state_at(self, figure, index)


def _is_bare(error) -> bool:
    """True if a problem says nothing yet of the thing it belongs to."""
    return all("/" not in problem.path for problem in error.problems)
