"""What the results of a scene follow from, at any time.

A signature is a hash of all that a step's results are made of: the steps above it and, through references, fields and
formulas, whatever else they reach, with the clock. It holds no frame. What looks back or accumulates is named by its
signature and a frame; an edit that a signature does not see leaves all of that valid.
"""

from functools import lru_cache

from ..data.key import content_key, text_key
from .known import Known

# Parts are texts, whole numbers, other keys and tuples of those, so that equal ones are the same: of a scene that is
# edited nearly all are as they were.
_key = lru_cache(1 << 14)(text_key)


class Signatures(Known):
    """The signatures of one scene, each made once.

    Guides, figures and fields may reach each other, but never in a circle: that is refused when a scene is read.
    """

    def __init__(self, scene):
        clock = scene.first_moment
        self.clock = content_key(clock.frame_count, clock.fps, clock.loops, int(scene.clock.resolve().settle))
        super().__init__(scene, self.clock)

    def _of(self, thing_id, what, make) -> str:
        return self._once((*what, thing_id), thing_id, make)

    def step(self, figure, index: int) -> str:
        """The signature of the shape that a figure's first steps make, up to and with the one at an index."""
        # There are many, and what is taken over is the shape.
        return self._once(("step", index, figure.id), None, lambda: self._step(figure, index))

    def _step(self, figure, index):
        if index < 0:
            return _key("figure", self.clock, self._settings(figure.own_time))
        above = self.step(figure, index - 1)
        return _key(above, self._made(figure, index)) if figure.routine[index].on else above

    def _made(self, figure, index) -> str:
        """The signature of what a step's result follows from beside the steps above it."""
        step = figure.routine[index]
        forces = [force for force in step.forces if force.on]
        lives_in_world = any(
            line.only_where or line.settings.references or line.kind.works_in_world for line in (step, *forces)
        )
        return _key(
            *self._line(step),
            self.place(figure.id) if lives_in_world else None,
            tuple(self._line(force) for force in forces),
        )

    def _line(self, line) -> tuple:
        """What a step, force or look is by itself."""
        return (
            line.kind.id,
            line.kind.version,
            self._settings(line.settings),
            self.field(line.only_where) if line.only_where else None,
        )

    def shape(self, figure) -> str:
        """The signature of all that a figure's routine makes."""
        return self._of(figure.id, ("shape",), lambda: self._shape(figure))

    def _shape(self, figure):
        steps = tuple(self._made(figure, index) for index, step in enumerate(figure.routine) if step.on)
        return _key("shape", self.step(figure, -1), steps)

    def drawn(self, figure) -> str:
        """The signature of all that a figure shows: its shape, where it is and its looks."""
        return self._of(figure.id, ("drawn",), lambda: self._drawn(figure))

    def _drawn(self, figure):
        looks = tuple(self._line(look) for look in figure.looks if look.on)
        return _key(
            "drawn",
            figure.id,
            figure.name,
            self.shape(figure),
            self.place(figure.id),
            self._settings(figure.cut),
            looks,
        )

    def place(self, thing_id: str) -> str:
        """The signature of where a guide or figure is."""
        return self._of(thing_id, ("place",), lambda: self._place(thing_id))

    def _place(self, thing_id):
        parts = []
        # There may be a guide and a figure of one id.
        for things in (self.scene.guides_by_id, self.scene.figures_by_id):
            if thing_id in things:
                thing = things[thing_id]
                own_time = getattr(thing, "own_time", None)
                parts.append((self._carried(thing.place), None if own_time is None else self._settings(own_time)))
        return _key("place", self.clock, tuple(parts))

    def camera(self, camera) -> str:
        """The signature of what a camera sees and lets in."""
        make = lambda: _key("camera", self.clock, self._carried(camera.settings))  # noqa: E731
        return self._once(("camera", camera.id), None, make, about=camera)

    def field(self, field_id: str) -> str:
        """The signature of a field's weights and directions."""
        return self._of(field_id, ("field",), lambda: self._field(self.scene.fields_by_id[field_id]))

    def _field(self, field):
        clauses = tuple(
            (clause.kind.id, clause.kind.version, self._settings(clause.settings), self._carried(clause.joining))
            for clause in field.clauses
            if clause.on
        )
        return _key("field", self.clock, clauses, self._settings(field.after))

    def _carried(self, settings):
        """Settings of what another thing may carry: its place counts, and its shape where one rides its curve."""
        shape = None
        if settings.follows in self.scene.figures_by_id and settings.rides == "its curve":
            shape = self.shape(self.scene.figures_by_id[settings.follows])
        return self._settings(settings), shape

    def _settings(self, settings) -> tuple:
        """All that settings follow from: what is written, what formulas name, what references and assets lead to."""
        reached = [self._named(settings.named)] if settings.named else []
        for _, families, thing_id in settings.references:
            if "fields" in families and thing_id in self.scene.fields_by_id:
                reached.append(self.field(thing_id))
            elif thing_id in self.scene.figures_by_id or thing_id in self.scene.guides_by_id:
                reached.append(self.place(thing_id))
                # What follows a figure needs its place alone; see _carried for the rest.
                if thing_id in self.scene.figures_by_id and thing_id != getattr(settings, "follows", None):
                    reached.append(self.shape(self.scene.figures_by_id[thing_id]))
        assets = tuple(self._reach_asset(slug) for _, _, slug in settings.assets)
        return settings.timeless_key, tuple(reached), assets

    def _named(self, names) -> str:
        """The signature of all values that names reach, also through each other; circles are told of elsewhere."""
        self._reach_names()
        found, waiting = {}, list(names)
        while waiting:
            name = waiting.pop()
            if name in found:
                continue
            try:
                thing_id = self.scene.place_named(name)
                if thing_id is not None:
                    found[name] = self.place(thing_id)
                    continue
                value, place = self.scene.named_value(name)
            except KeyError:
                # There is nothing of that name; whoever needs it is told so when it is computed.
                found[name] = "nothing"
                continue
            found[name] = value, place
            waiting.extend(value.references)
        return content_key("values", self.clock, found)
