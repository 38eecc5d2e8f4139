"""What is the same at every frame, so that it is found once and not for each moment.

Only what surely stands still counts: nothing that is keyed, swung or a formula of time, nothing that reads another
value, no kind that asks for the moment or for earlier ones, and nothing that refers to what is not still itself.
"""

from ..data import ProblemError
from .known import Known
from .offers import may_delay


class Still(Known):
    """Which things of one scene stand still, each found once."""

    def _of(self, thing_id, what, find) -> bool:
        # What leads back to itself is refused when it is computed; until then it is taken to move.
        return self._once((what, thing_id), thing_id, find, before=False)

    def shape(self, figure) -> bool:
        """True if what a figure's routine makes is the same at every frame."""
        return self._of(figure.id, "shape", lambda: all(self._step(figure, step) for step in figure.routine))

    def drawn(self, figure) -> bool:
        """True if all that a figure shows is the same at every frame."""
        return self._of(figure.id, "drawn", lambda: self._drawn(figure))

    def _drawn(self, figure):
        looks = [look for look in figure.looks if look.on]
        is_cut_alike = not figure.cut.moving()
        return is_cut_alike and self.shape(figure) and self.place(figure.id) and all(map(self._look, looks))

    def _look(self, look) -> bool:
        return self._line(look) and not look.settings.depends_on_time(look.settings.resolve())

    def place(self, thing_id: str) -> bool:
        """True if a guide or figure never moves in the world."""
        return self._of(thing_id, "place", lambda: self._place(thing_id))

    def _place(self, thing_id):
        # There may be a guide and a figure of one id.
        guide, figure, _ = self._called(thing_id)
        return all(self._carried(thing.place) for thing in (guide, figure) if thing)

    def field(self, field_id: str) -> bool:
        """True if a field weighs the same places alike at every frame."""
        return self._of(field_id, "field", lambda: self._field(self.scene.fields_by_id[field_id]))

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
