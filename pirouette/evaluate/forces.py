"""The forces under a step at a moment, as its simulation asks them.

A force acts in the space of its figure, as strongly as the field that limits it is there; fields live in the world.
"""

import numpy as np

from ..kernels.geometry.place import carried
from ..schema.kind import HOLDS, PUSHES, SLOWS, arguments_of


class Forces:
    """Those of one step's forces that are switched on."""

    def __init__(self, offers):
        # Forces that lead to the same thing look for places near it together.
        shared = {}
        lines = [
            _Force(offers, force, f"{offers.path}/forces/{number} ({force.kind.id})", shared)
            for number, force in enumerate(offers.step.forces)
            if force.on
        ]
        self._pushes = [line for line in lines if line.kind.acts == PUSHES]
        self._slows = [line for line in lines if line.kind.acts == SLOWS]
        self._holds = [line for line in lines if line.kind.acts == HOLDS]

    @property
    def holds(self) -> bool:
        """True if any of them holds points."""
        return bool(self._holds)

    def push(self, places, velocity, attributes) -> np.ndarray:
        """Return (N, 3) float32: by how much forces change the speed at (N, 3) places, each second."""
        total = np.zeros((len(places), 3), np.float32)
        for line in self._pushes:
            total += line.call(places, velocity, attributes)
        return total

    def slow(self, places, velocity, attributes) -> np.ndarray:
        """Return (N,) float32: which share of its speed a point loses, each second, as the exponent of a decay."""
        total = np.zeros(len(places), np.float32)
        for line in self._slows:
            total += line.call(places, velocity, attributes)
        return total

    def carry(self, places, velocity, attributes) -> np.ndarray:
        """Return (N, 3) places: what is held to figures goes along with them since the frame before."""
        for line in self._holds:
            places = line.call(places, velocity, attributes, line.kind.carries)
        return places

    def hold(self, places, velocity, attributes) -> tuple[np.ndarray, np.ndarray]:
        """Return (N, 3) places and speeds of points where what holds them lets them be."""
        for line in self._holds:
            places, velocity = line.call(places, velocity, attributes)
        return places, velocity


class _Force:
    """One line, with all that is on offer to its kind."""

    def __init__(self, offers, force, path, shared):
        self.force, self.kind, self.run, self.path = force, force.kind, offers.run, path
        ev = offers.run.ev
        self.limit = ev.scene.fields_by_id[force.only_where] if force.only_where else None
        self.settings = ev.resolve(force.settings, path)
        links, _ = ev.links(force.settings, self.settings, offers.run.matrix)
        self.links = {name: shared.setdefault(link.key, link) for name, link in links.items()}

    def call(self, places, velocity, attributes, function=None):
        """Return what the kind makes of (N, 3) places and velocities, with what points carry by name."""
        self._now = places, velocity, attributes
        function = function or self.kind.function
        return function(**{name: getattr(self, f"_{name}")() for name in arguments_of(function)})

    def _places(self):
        return self._now[0]

    def _velocity(self):
        return self._now[1]

    def _settings(self):
        if not self.force.settings.has_per_copy:
            return self.settings
        places, _, attributes = self._now
        around = self.run.ev.around.for_copies(places, self._weights(), None, attributes)
        return self.force.settings.resolve(around)

    def _links(self):
        return self.links

    def _moment(self):
        return self.run.ev.moment.wrapped

    def _matrix(self):
        return self.run.matrix

    def _weights(self):
        places, _, attributes = self._now
        if self.limit is None:
            return np.ones(len(places), np.float32)
        return self.run.ev.weights(self.limit, carried(places, self.run.matrix), None, attributes)

    def _links_before(self):
        """The links of the frame before, in the figure's space then."""
        moment = self.run.ev.moment
        then = self.run.at(moment.at(moment.frame - 1).wrapped)
        return then.ev.links(self.force.settings, then.ev.resolve(self.force.settings, self.path), then.matrix)[0]
