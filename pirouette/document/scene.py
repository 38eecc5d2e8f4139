"""A scene as checked, frozen data. Made by read.py; nothing here reads or computes."""

import hashlib
import json
from dataclasses import dataclass, field
from functools import cached_property

from ..assets.library import Library
from ..craft import FollowSettings
from ..schema import Kind
from ..values.moment import Moment, Surroundings
from ..values.value import Parts, Value
from .named import AXES, named_values, place_of_part, split_part
from .things import (
    AfterSettings,
    CameraSettings,
    ClockSettings,
    CutSettings,
    FrameSettings,
    JoiningSettings,
    OwnTimeSettings,
    PlaceSettings,
)


@dataclass(frozen=True, eq=False)
class Line:
    """One kind with its settings, switched on or off, limited by a field: a look, or a force under a step."""

    id: str
    kind: Kind
    settings: object
    on: bool = True
    only_where: str | None = None


@dataclass(frozen=True, eq=False)
class Step(Line):
    """A line of a routine, with the forces that stand under it."""

    forces: tuple[Line, ...] = ()


@dataclass(frozen=True, eq=False)
class Figure:
    id: str
    name: str
    visible: str
    place: PlaceSettings
    routine: tuple[Step, ...]
    looks: tuple[Line, ...]
    own_time: OwnTimeSettings = OwnTimeSettings()
    cut: CutSettings = CutSettings()

    @property
    def made_by(self):
        """Yield (place in the figure, path in words, line) of each step and of each force, after its step."""
        for index, step in enumerate(self.routine):
            place, path = f"routine/{index}", f"routine/{index} ({step.kind.id})"
            yield place, path, step
            for number, force in enumerate(step.forces):
                yield f"{place}/forces/{number}", f"{path}/forces/{number} ({force.kind.id})", force

    @property
    def drawn_by(self):
        """Yield the same of each look."""
        for index, look in enumerate(self.looks):
            yield f"looks/{index}", f"looks/{index} ({look.kind.id})", look

    @cached_property
    def is_alone(self) -> bool:
        """Whether it refers to nothing else, so that what follows from it follows from it alone."""
        lines = [line for _, _, line in (*self.made_by, *self.drawn_by)]
        settings = self.place, self.own_time, self.cut, *(line.settings for line in lines)
        is_limited = any(line.only_where for line in lines)
        return not is_limited and not any(one.references or one.named or one.assets for one in settings)

    @property
    def works_by(self):
        """Yield the steps and forces that are switched on."""
        for step in self.routine:
            if step.on:
                yield step
                yield from (force for force in step.forces if force.on)


@dataclass(frozen=True, eq=False)
class Clause:
    id: str
    kind: Kind
    settings: object
    joining: JoiningSettings
    on: bool = True


@dataclass(frozen=True, eq=False)
class Field:
    id: str
    name: str
    clauses: tuple[Clause, ...]
    after: AfterSettings


@dataclass(frozen=True, eq=False)
class Guide:
    id: str
    name: str
    place: PlaceSettings


@dataclass(frozen=True, eq=False)
class Light:
    id: str
    name: str
    kind: Kind
    settings: object
    on: bool = True


@dataclass(frozen=True, eq=False)
class Camera:
    id: str
    name: str
    settings: CameraSettings


@dataclass(frozen=True, eq=False)
class Effect:
    id: str
    kind: Kind
    settings: object
    on: bool = True


@dataclass(frozen=True, eq=False)
class Scene:
    """One document.

    meant    what at its seam is meant to jump: pairs of a thing's family/id and words for a part of it
    raw      the JSON it was read from, in the current version
    library  where the assets are that it names
    """

    name: str
    clock: ClockSettings
    frame: FrameSettings
    figures: tuple[Figure, ...]
    fields: tuple[Field, ...]
    guides: tuple[Guide, ...]
    lights: tuple[Light, ...]
    cameras: tuple[Camera, ...]
    finish: tuple[Effect, ...]
    camera: str
    meant: tuple[tuple[str, str], ...]
    raw: dict = field(repr=False, compare=False)
    library: Library = field(repr=False, compare=False)

    @cached_property
    def first_moment(self) -> Moment:
        """Frame 0, with the clock's fixed settings."""
        clock = self.clock.resolve()
        return Moment(0.0, int(clock.frames), float(clock.fps), clock.loops)

    def moment(self, frame: float) -> Moment:
        return self.first_moment.at(frame)

    @property
    def frame_count(self) -> int:
        return self.first_moment.frame_count

    @property
    def picture_size(self) -> tuple[int, int]:
        """Width and height of the picture in pixels, which cannot move."""
        frame = self.frame.resolve(Surroundings(moment=self.first_moment))
        return int(frame.width), int(frame.height)

    @cached_property
    def fields_by_id(self) -> dict[str, Field]:
        return {thing.id: thing for thing in self.fields}

    @cached_property
    def digest(self) -> str:
        """Equal for scenes that are written alike."""
        return hashlib.blake2b(json.dumps(self.raw, sort_keys=True).encode(), digest_size=12).hexdigest()

    @cached_property
    def figures_by_id(self) -> dict[str, Figure]:
        return {thing.id: thing for thing in self.figures}

    @cached_property
    def guides_by_id(self) -> dict[str, Guide]:
        return {thing.id: thing for thing in self.guides}

    @cached_property
    def named_values(self) -> dict[str, tuple]:
        """Settings and the setting's name by what formulas call them; see named.py."""
        return named_values(self)

    def named_value(self, reference: str) -> tuple[Value, tuple[int, ...]]:
        """Return the value that a formula refers to, and where in it the number stands; () if it is one alone.

        Raises KeyError if there is no such value.
        """
        whole, part = split_part(reference, self.named_values)
        settings, setting = self.named_values[whole]
        value = getattr(settings, setting)
        if not isinstance(value, Value):
            raise KeyError(reference)
        place = place_of_part(part) if part else ()
        if isinstance(value, Parts) and part:
            return value.part(place), ()
        return value, place

    def place_named(self, reference: str) -> str | None:
        """Return whose place in the world a reference such as "Hub.world.x" asks for; None if it asks for a value.

        Raises KeyError if there is no such guide or figure
        """
        name, _, axis = reference.rpartition(".world.")
        if axis not in AXES or not name:
            return None
        return self._places_by_name[name]

    @cached_property
    def _places_by_name(self) -> dict[str, str]:
        return {thing.name: thing.id for thing in (*self.guides, *self.figures)}

    @property
    def current_camera(self) -> Camera:
        return next(camera for camera in self.cameras if camera.id == self.camera)

    def carried(self):
        """Yield (family/id, settings, path) of all that another thing may carry; a clause is field/id/clause's id."""
        for family in ("guides", "figures"):
            for thing in getattr(self, family):
                yield f"{family}/{thing.id}", thing.place, f"{family}/{thing.name}/place"
        for camera in self.cameras:
            yield f"cameras/{camera.id}", camera.settings, f"cameras/{camera.name}"
        for light in self.lights:
            if isinstance(light.settings, FollowSettings):
                yield f"lights/{light.id}", light.settings, f"lights/{light.name}"
        for thing in self.fields:
            for clause in thing.clauses:
                where = f"fields/{thing.name}/clauses ({clause.kind.id})/joining"
                yield f"fields/{thing.id}/{clause.id}", clause.joining, where

    def settings_in_words(self):
        """Yield (thing's name, words that say where, settings, whether they act through figures alone)."""
        for figure in self.figures:
            yield figure.name, "place", figure.place, True
            yield figure.name, "own time", figure.own_time, True
            yield figure.name, "cut", figure.cut, False
            for line in figure.works_by:
                yield figure.name, line.kind.id, line.settings, True
            for look in figure.looks:
                if look.on:
                    yield figure.name, look.kind.id, look.settings, False
        for thing in self.fields:
            yield thing.name, "after", thing.after, True
            for clause in thing.clauses:
                if clause.on:
                    yield thing.name, clause.kind.id, clause.settings, True
                    yield thing.name, f"{clause.kind.id} joining", clause.joining, True
        for guide in self.guides:
            yield guide.name, "place", guide.place, True
        for light in self.lights:
            if light.on:
                yield light.name, light.kind.id, light.settings, False
        yield self.current_camera.name, "camera", self.current_camera.settings, False
        for effect in self.finish:
            if effect.on:
                yield "Finish", effect.kind.id, effect.settings, False
        yield "Frame", "background", self.frame, False
