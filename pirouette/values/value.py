"""The four sorts of value. Each knows its number at a moment and whether that number moves."""

import math
from dataclasses import dataclass, fields
from functools import cached_property

import numpy as np

from .formula import Formula
from .functions import loop_noise, wave
from .keys import keyed_value
from .moment import Surroundings

AXES = "xyz"
SHAPES = ("sine", "triangle", "square", "noise")


class Value:
    """What every sort of value can answer."""

    moves = False
    """True if the value may differ from frame to frame."""
    per_copy = False
    """True if the value may differ from copy to copy."""
    references: tuple[str, ...] = ()

    def at(self, around: Surroundings):
        """Return the value there: a float or array (N,) for numbers, (3,) or (N, 3) for vectors and colours."""
        raise TypeError(f"{type(self).__name__} has no value of its own")

    @property
    def key_parts(self) -> tuple:
        """All that its numbers follow from at any time, but what it refers to."""
        return tuple(getattr(self, field.name) for field in fields(self))

    def sign(self, around: Surroundings, result):
        """Return what is equal whenever the numbers for the same copies are; `result` is what `at` gave."""
        return result


@dataclass(frozen=True, eq=False)
class Fixed(Value):
    value: object

    def at(self, around):
        return self.value


@dataclass(frozen=True, eq=False)
class Keyed(Value):
    keys: tuple
    before: str = "hold"
    after: str = "hold"

    @property
    def moves(self):
        return len(self.keys) > 1

    def at(self, around):
        return keyed_value(self.keys, self.before, self.after, around.moment.frame, self.frames)

    @cached_property
    def frames(self) -> tuple[float, ...]:
        return tuple(key.frame for key in self.keys)


@dataclass(frozen=True, eq=False)
class Swing(Value):
    """To and fro around a middle: `times` per loop, `phase` in turns."""

    middle: float
    amount: float
    times: float = 1.0
    phase: float = 0.0
    shape: str = "sine"

    moves = True

    def at(self, around):
        shape = swing_shape(self.shape, self.times, self.phase, around.moment.turn)
        return self.middle + self.amount * float(shape)


def swing_shape(shape: str, times: float, phase: float, turn: float) -> float:
    """Return about -1..1 at a turn of the loop."""
    turns = times * turn + phase
    part = turns - math.floor(turns)
    if shape == "sine":
        return wave(turns)
    if shape == "triangle":
        return 1.0 - 4.0 * abs((part + 0.25) % 1.0 - 0.5)
    if shape == "square":
        return 1.0 if part < 0.5 else -1.0
    return loop_noise(times, phase, turn - np.floor(turn))


@dataclass(frozen=True, eq=False)
class Computed(Value):
    """A formula, with the fixed number it may call `base`."""

    formula: Formula
    base: float = 0.0

    @property
    def moves(self):
        return self.formula.uses_time or bool(self.formula.references)

    @property
    def per_copy(self):
        return self.formula.uses_copies

    @property
    def references(self):
        return self.formula.references

    def at(self, around):
        return self.formula.evaluate(around, self.base)

    def sign(self, around, result):
        if not self.per_copy:
            return result
        # What it gives per copy follows from the copies, which have a key of their own.
        frame = around.moment.frame if self.formula.uses_time else None
        return self.formula.text, self.base, frame, tuple(around.lookup(name) for name in self.references)


@dataclass(frozen=True, eq=False)
class Parts(Value):
    """A vector whose three parts are values of their own."""

    parts: tuple[Value, ...]

    @property
    def placed(self) -> tuple[tuple[str, str, Value], ...]:
        """Of each part its path within the whole, the words for it, and itself."""
        return tuple((str(axis), AXES[axis], part) for axis, part in enumerate(self.parts))

    def part(self, place: tuple[int, ...]) -> Value:
        """Return the part at a place in the array that the whole resolves to; raises KeyError if there is none."""
        if len(place) != 1 or not 0 <= place[0] < len(self.parts):
            raise KeyError(place)
        return self.parts[place[0]]

    @cached_property
    def moves(self):
        return any(part.moves for part in self.parts)

    @cached_property
    def per_copy(self):
        return any(part.per_copy for part in self.parts)

    @property
    def references(self):
        return tuple(name for part in self.parts for name in part.references)

    def at(self, around):
        return np.stack(np.broadcast_arrays(*(part.at(around) for part in self.parts)), axis=-1).astype(np.float64)

    def sign(self, around, result):
        if not self.per_copy:
            return result
        return tuple(part.sign(around, None if part.per_copy else part.at(around)) for part in self.parts)


NODE = ("at", "arrive", "leave")


@dataclass(frozen=True, eq=False)
class Nodes(Parts):
    """Points of a curve with their handles, nine values for each: place, handle that arrives, handle that leaves."""

    @property
    def placed(self):
        named = []
        for number, part in enumerate(self.parts):
            index, (name, axis) = number // 9, (NODE[number % 9 // 3], number % 3)
            words = f"{index + 1} {AXES[axis]}" if name == "at" else f"{index + 1} {name} {AXES[axis]}"
            named.append((f"{index}/{name}/{axis}", words, part))
        return tuple(named)

    def part(self, place):
        if len(place) != 2 or not 0 <= place[0] < len(self.parts) // 9 or not 0 <= place[1] < 9:
            raise KeyError(place)
        return self.parts[9 * place[0] + place[1]]

    def at(self, around):
        return np.array([part.at(around) for part in self.parts], np.float64).reshape(-1, 9)


@dataclass(frozen=True, eq=False)
class Blend(Value):
    """A colour between two others; the share runs from 0 to 1 and is a value itself."""

    share: Value
    start: np.ndarray
    end: np.ndarray

    @property
    def moves(self):
        return self.share.moves

    @property
    def per_copy(self):
        return self.share.per_copy

    @property
    def references(self):
        return self.share.references

    def at(self, around):
        share = np.clip(np.asarray(self.share.at(around)), 0.0, 1.0)[..., None]
        return self.start + (self.end - self.start) * share

    def sign(self, around, result):
        return (self.share.sign(around, None), self.start, self.end) if self.per_copy else result
