"""What is the same at every frame, so that it is found once and not for each moment.

Only what surely stands still counts: nothing that is keyed, swung or a formula of time, nothing that reads another
value, no kind that asks for the moment or for earlier ones, and nothing that refers to what is not still itself.
"""

from threading import RLock
from weakref import WeakKeyDictionary

from ..data import ProblemError
from .offers import may_delay

# Whether all that a figure shows is still, of those that refer to nothing else: in every scene that holds them.
_alone: WeakKeyDictionary = WeakKeyDictionary()


class Still:
    """Which things of one scene stand still, each found once."""

    def __init__(self, scene):
        self.scene = scene
        self._known = {}
        self._lock = RLock()

    def _once(self, name, find) -> bool:
        with self._lock:
            if name not in self._known:
                # What leads back to itself is refused when it is computed; until then it is taken to move.
                self._known[name] = False
                self._known[name] = find()
            return self._known[name]

    def shape(self, figure) -> bool:
        """True if what a figure's routine makes is the same at every frame."""
        return self._once(("shape", figure.id), lambda: all(self._step(figure, step) for step in figure.routine))

    def drawn(self, figure) -> bool:
        """True if all that a figure shows is the same at every frame."""
        known = _alone.get(figure)
        if known is None:
            known = self._once(("drawn", figure.id), lambda: self._drawn(figure))
            if self.scene.is_alone(figure):
                _alone[figure] = known
        return known

    def _drawn(self, figure):
        looks = [look for look in figure.looks if look.on]
        is_cut_alike = not figure.cut.moving()
        return is_cut_alike and self.shape(figure) and self.place(figure.id) and all(map(self._look, looks))

    def _look(self, look) -> bool:
        return self._line(look) and not look.settings.depends_on_time(look.settings.resolve())

    def place(self, thing_id: str) -> bool:
        """True if a guide or figure never moves in the world."""
        return self._once(
            ("place", thing_id), lambda: all(self._carried(thing.place) for thing in self._called(thing_id))
        )

    def _called(self, thing_id):
        """The guide and the figure of an id: there may be one of each."""
        families = self.scene.guides_by_id, self.scene.figures_by_id
        return [things[thing_id] for things in families if thing_id in things]

    def field(self, field_id: str) -> bool:
        """True if a field weighs the same places alike at every frame."""
        return self._once(("field", field_id), lambda: self._field(self.scene.fields_by_id[field_id]))

    def _step(self, figure, step) -> bool:
        if not step.on:
            return True
        if step.kind.looks_back or not self._line(step):
            return False
        lives_in_world = step.only_where or step.settings.references or "matrix" in step.kind.arguments
        return not lives_in_world or self.place(figure.id)

    def _line(self, line) -> bool:
        if line.only_where is not None and not self.field(line.only_where):
            return False
        return self._settings(line.kind, line.settings)

    def _settings(self, kind, settings) -> bool:
        if settings.moving() or not self._reached(settings):
            return False
        try:
            resolved = settings.resolve()
        except ProblemError:
            return False
        return not may_delay(resolved) and not kind.is_timed(resolved)

    def _reached(self, settings) -> bool:
        """True if all that settings refer to is still."""
        scene = self.scene
        for _, families, thing_id in settings.references:
            if "fields" in families and thing_id in scene.fields_by_id:
                is_still = self.field(thing_id)
            else:
                figure = scene.figures_by_id.get(thing_id)
                is_still = self.place(thing_id) and (figure is None or self.shape(figure))
            if not is_still:
                return False
        return True

    def _field(self, field) -> bool:
        if field.after.moving() or field.after.resolve().then != "follows":
            return False
        return all(
            self._settings(clause.kind, clause.settings) and self._carried(clause.joining)
            for clause in field.clauses
            if clause.on
        )

    def _carried(self, settings) -> bool:
        """True if what another thing may carry stays where it is."""
        if settings.moving():
            return False
        if settings.follows is None:
            return True
        figure = self.scene.figures_by_id.get(settings.follows)
        rides = figure is not None and settings.rides == "its curve"
        return self.place(settings.follows) and (not rides or self.shape(figure))
