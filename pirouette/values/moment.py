"""When, and for which copies, a value is asked for."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np


@dataclass(frozen=True)
class Moment:
    """A point in a scene's time; frames may be fractional."""

    frame: float = 0.0
    frame_count: int = 96
    fps: float = 24.0
    loops: bool = True

    @property
    def turn(self) -> float:
        """The loop's phase: 0 at the first frame, 1 at the end of the loop."""
        return self.frame / self.frame_count

    @property
    def seconds(self) -> float:
        return self.frame / self.fps

    @property
    def phase(self) -> float:
        """What time-dependent kinds run on: the turn within 0..1 in a loop, else seconds."""
        return self.turn - np.floor(self.turn) if self.loops else self.seconds

    def at(self, frame: float) -> "Moment":
        return replace(self, frame=frame)

    @property
    def wrapped(self) -> "Moment":
        """The moment within the loop that shows the same; itself in a scene that plays once."""
        return self.at(self.frame % self.frame_count) if self.loops else self

    @property
    def key_parts(self) -> tuple:
        return self.frame, self.frame_count, self.fps, self.loops

    def earlier(self, frames: float) -> "Moment":
        """The moment so many frames before; a loop goes on before its first frame."""
        frame = self.frame - frames
        return self.at(frame % self.frame_count if self.loops and frames else frame)


def _no_lookup(reference: str):
    raise KeyError(reference)


@dataclass(frozen=True)
class Surroundings:
    """Everything a formula can name: the moment, and per copy or point its index and position.

    index, x, y, z, weight  numbers, or arrays (N,) when a value is asked for N copies at once
    order                   (N,) shares that stand in for index / (count - 1), or None
    attributes              what copies or points carry, by name; None while no copies are asked for
    lookup                  finds what a reference in braces stands for; raises KeyError if nothing does
    """

    moment: Moment = field(default_factory=Moment)
    index: "float | np.ndarray" = 0.0
    count: int = 1
    x: "float | np.ndarray" = 0.0
    y: "float | np.ndarray" = 0.0
    z: "float | np.ndarray" = 0.0
    weight: "float | np.ndarray" = 1.0
    order: "np.ndarray | None" = None
    attributes: "Mapping | None" = None
    lookup: Callable[[str], float] = _no_lookup

    def for_copies(self, position, weight, order=None, attributes=None) -> "Surroundings":
        """Return the same moment seen by each of N copies at (N, 3) positions, with what they carry."""
        count = len(position)
        x, y, z = np.asarray(position, np.float64).T
        index = np.arange(count, dtype=np.float64)
        return replace(
            self, index=index, count=count, x=x, y=y, z=z, weight=weight, order=order, attributes=attributes or {}
        )

    @cached_property
    def names(self) -> dict:
        """What each name of the formula language stands for, but `base`."""
        moment = self.moment
        return {
            "index": self.index,
            "count": self.count,
            "share": self.index / max(self.count - 1, 1) if self.order is None else self.order,
            "frame": moment.frame,
            "seconds": moment.seconds,
            "turn": moment.turn,
            "x": self.x,
            "y": self.y,
            "z": self.z,
            "weight": self.weight,
            "pi": np.pi,
            "tau": 2 * np.pi,
        }
